// A value as facts to show: a tree of names, types and short texts. Text, JSON and comparisons are
// made from it.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/values/scalar_text.h"

namespace lantern {

// Whether a variable has been given a value on the way to the program counter (see assignment.h).
// not_stored: not_yet in optimised code, where the compiler leaves out a store that nothing reads.
enum class Assignment { unknown, assigned, not_yet, on_some_paths, not_stored };
inline bool is_unset(Assignment assignment) {
    return assignment == Assignment::not_yet || assignment == Assignment::not_stored;
}

// What is to be said of it; empty: nothing.
std::string_view remark_on_assignment(Assignment assignment);

struct ValueView {
    std::string name;
    std::string type;
    std::string text;    // of a scalar, a string, a pointer; with children it stands before them
    std::string detail;  // told where this value is looked at alone: "3 elements, room for 4"
    std::string unavailable;  // not empty: there is no value, and this says why
    std::string broken;       // not empty: what is shown contradicts itself from some point on
    std::string place;        // "0x7ffe…", "in rax", "constant"
    std::optional<std::uint64_t> number;  // of a whole number or pointer, as its bits
    Arrangement arrangement = Arrangement::fields;
    std::vector<ValueView> children;
    std::uint64_t first = 0;  // children passed over before the listed ones
    std::uint64_t more = 0;   // children that are there but not listed
    Assignment assignment = Assignment::unknown;
    // Of a variable in optimised code: what it must be by another ground than the compiler's
    // account, and by which. Where there is a value too, the two contradict each other.
    std::string recovered, recovered_from;
    // Of one without a value: the last one it had, where that still lies, and of which line:
    // "as of line 14, still in rbx".
    std::string last, last_from;
    std::string doubt;  // not empty: the value is perhaps not the one of here, and this says why
    bool is_moved_away = false;  // of Rust: what lies there is another's by now; `doubt` says since
                                 // which line
    // Of variables:
    std::uint32_t declared_line = 0;
    bool is_parameter = false;
    bool is_captured = false;  // of a lambda: a member of its object
    bool is_shadowed = false;  // an inner variable of the same name hides it

    bool has_children() const { return !children.empty() || more != 0; }
    bool is_list() const { return arrangement == Arrangement::elements; }
};

struct ViewLimits {
    unsigned children = 200;  // of one array or structure
    unsigned depth = 6;
    unsigned text = 200;      // characters of one string
    unsigned nodes = 4000;    // of the whole tree
    std::uint64_t first = 0;  // parts of the outermost value that are passed over
    bool raw = false;         // as it lies in memory, not as it is meant
    const ValueContext* around = nullptr;
    // Not null: gets the values that the listed children of the outermost value are made of, in
    // their order. Borrowed.
    std::vector<Value>* parts = nullptr;
};

// Never throws for what the target lacks: unreadable memory becomes `unavailable` where it belongs.
ValueView make_view(const ValueReader& reader, std::string name, const Value& value,
                    Form form = Form::natural, const ViewLimits& limits = {});

// The whole tree in one line: {name = "Wren\n\0", draught_cm = 130}. Elements that repeat are
// counted.
std::string one_line(const ValueView& view, std::size_t longest = 400);

// Stands for a part that is unset, in place of what lies there by chance; what is looked at alone
// shows that too, with a remark.
std::string word_for_unset(const ValueView& part);

// Which leaves differ between two views of the same thing: "chamber.level_cm", old text, new text.
struct ViewChange {
    std::string name, before, after;
};
std::vector<ViewChange> changes_between(const ValueView& before, const ValueView& after,
                                        std::size_t limit = 8);

}  // namespace lantern
