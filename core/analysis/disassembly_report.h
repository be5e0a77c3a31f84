// Machine code beside its source, as facts: instructions with the line each comes from, inlined
// calls, jumps, what operands refer to, and at the program counter what they hold now.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include <list>
#include "core/machine/disassembler.h"

#include "core/session/breakpoint.h"
#include "core/session/moment.h"

namespace lantern {

struct DisassemblyRow {
    std::uint64_t address = 0;  // run address
    std::vector<std::byte> bytes;
    std::string text;
    std::string function;        // of the user's source: the innermost inlined one
    std::string inlined_into;    // the function that holds the code, where that is another
    unsigned inlined_depth = 0;  // 0: not inlined
    std::string file;
    std::uint32_t line = 0;
    std::string source;         // the text of the line
    bool starts_block = false;  // another line or another function's code than the row before
    unsigned block = 0,
             blocks = 0;  // in source order: which of the line's stretches this is; 0 else
    std::string part;     // not empty: here begins another part of the function ("cold part")
    std::optional<std::uint64_t> target;  // of a direct jump or call
    std::string refers_to;                // what an address in it means: "level = 7"
    bool is_next = false;
    std::vector<unsigned> breakpoints;
};

struct JumpArrow {
    std::size_t from = 0, to = 0;  // rows
    unsigned lane = 0;             // 0 is next to the text
};

struct OperandNow {
    std::string text;
    std::optional<std::uint64_t> address;  // of memory
    std::string value;                     // empty: not known
    std::string note;                      // what the value, or the address, points at
};

struct LineCount {
    std::string file;
    std::uint32_t line = 0;
    std::size_t instructions = 0, bytes = 0, blocks = 0;
};

struct DisassemblyReport {
    std::string function, module;
    std::string file;  // that most of it comes from
    std::vector<DisassemblyRow> rows;
    std::vector<JumpArrow> arrows;  // those with both ends among the rows
    std::vector<OperandNow>
        operands;      // of the instruction at the program counter, when it is among the rows
    std::string jump;  // "it will jump: ZF is set"
    std::vector<LineCount> counts;  // when asked for
    bool shows_bytes = false;
    std::size_t before = 0, after = 0;  // instructions of the function that are not shown
};

struct DisassemblyQuery {
    std::optional<Place> place;     // nothing: around the selected frame's program counter
    std::optional<RunRange> range;  // instead of a place
    std::optional<std::size_t> count;
    bool whole = false, by_source = false, bytes = false, counts = false;
    std::size_t rows_before = 8, rows_after = 16;  // around the program counter
    Syntax syntax = Syntax::intel;
};

// Throws RequestError where there is no such place or no code.
DisassemblyReport report_disassembly(const Moment& moment, const DisassemblyQuery& query,
                                     const std::list<Breakpoint>& breakpoints);

}  // namespace lantern
