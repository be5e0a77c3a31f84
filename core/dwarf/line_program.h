// Decodes a line number program, versions 2 to 5: which address belongs to which file, line and
// column (DWARF 5 §6.2; the header of older versions: DWARF 4 §6.2.4).
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/dwarf/unit.h"

namespace lantern::dwarf {

struct LineFile {
    std::string
        path;  // joined with its folder, and with the compilation folder where that is relative
    std::optional<std::array<std::uint8_t, 16>> md5;
};

struct LineRow {
    FileAddress address;
    std::uint32_t file = 0;  // index into LineProgram::files
    std::uint32_t line = 0;  // 0: no source line
    std::uint16_t column = 0;
    std::uint16_t view = 0;  // which of the rows of its address it is, as compilers number them; 0
                             // again where a function begins
    bool is_statement : 1 = false;
    bool end_sequence : 1 = false;
    bool prologue_end : 1 = false;
    bool epilogue_begin : 1 = false;
};

struct LineProgram {
    std::vector<LineFile>
        files;  // indexed as the rows and DW_AT_decl_file index them (versions 2–4 start at 1)
    std::vector<LineRow>
        rows;  // in the order of the program; each sequence ends with an end_sequence row
    std::uint16_t version = 0;
};

// The file table alone, without running the program: cheap, for finding which unit mentions a file.
// Throws FormatError.
LineProgram read_line_header(const Unit& unit);
// True if a file of that last component may be in the unit's file table: a look at the names alone,
// cheaper still. Never false for a file that is there; true also where the table is damaged.
bool may_mention_file(const Unit& unit, std::string_view last_component);
// Everything. Throws FormatError.
LineProgram read_line_program(const Unit& unit);

}  // namespace lantern::dwarf
