// What hangs together by pointers, from one value on: boxes with rows, and the arrows between them.
//
//     start                    box 2: struct barge at 0x5010     box 3: struct barge at 0x5040
//     queue  ──────────────▶   name   "Wren"                     name   "Heron"
//                              next   ────────────────────────▶  next   null
//
// Pointers, references, owners (std::unique_ptr, Box, Rc …) lead to boxes; containers are taken by
// what they mean. The same object is one box, however many lead to it. A pointer that leads nowhere
// (not mapped, freed, to something too small for its type) says so, and nothing behind it is
// believed.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/session/moment.h"

namespace lantern {

enum class PointerState {
    none,       // the row is no pointer
    leads,      // to the box `to`
    null,       // nothing, as it says itself
    nowhere,    // to an address that is not mapped
    freed,      // to a block of the heap that was freed
    too_small,  // to a block that is smaller than what the pointer is for
    cut,        // to more that was not asked for
};

enum class BoxChange { same, fresh, changed, gone };

struct StructureRow {
    std::string name, value;  // a pointer that leads has no value: its box has the address
    PointerState state = PointerState::none;
    unsigned to = 0;           // the number of a box; 0: none
    std::string into;          // the part of that box it leads to; empty: its beginning
    std::string remark;        // "2 owners", "freed heap block of 40 bytes"
    std::uint64_t behind = 0;  // of one that was cut: at least so many boxes
    std::string before;        // what it was in the other drawing, where that differs
};

struct StructureBox {
    unsigned number = 0;  // from 1, in the order in which they are found
    std::string title;    // the type; of the first one the expression
    std::string address;  // "0x5010", "in rax"; empty: it has none
    std::string problem;  // not empty: what is in it is not to be believed, and why
    std::vector<StructureRow> rows;
    std::uint64_t more_rows = 0;
    unsigned depth = 0;     // arrows from the first box
    bool is_start = false;  // the pointer that was asked for, not an object
    BoxChange change = BoxChange::same;
};

enum class StructureShape { single, chain, tree, graph };

struct StructureReport {
    std::string expression, since;
    StructureShape shape = StructureShape::single;
    std::vector<StructureBox> boxes;
    std::vector<unsigned> chain;  // of a chain: the numbers of its boxes, in order
    std::uint64_t cut = 0;        // boxes that were found and left out
    bool is_counted = true;       // false: there are more than `cut`
    unsigned fresh = 0, changed = 0, gone = 0;
    std::string remark;   // on all of it: what could not be told apart
    std::string caption;  // of what program, where, and when
};

struct StructureWish {
    std::string expression;
    unsigned depth = ~0u;                       // arrows
    unsigned limit = 60;                        // boxes
    bool raw = false;                           // library types as they lie in memory
    std::function<void(double done)> progress;  // of reading the heap; may throw to give up
};

// A list by its meaning, whose elements are drawn one behind the other.
bool is_list(const Type& type);
// Throws RequestError for a value that is not available, MemoryError where it cannot be read.
StructureReport report_structure(const Moment& moment, const StructureWish& wish,
                                 const Value& value);
// Sets what it looks like as a whole: `shape` and `chain`.
void recognise_shape(StructureReport& report);
// Marks what is new, gone and changed since another drawing of the same; what is gone is added.
void mark_changes(const StructureReport& before, StructureReport& now);

}  // namespace lantern
