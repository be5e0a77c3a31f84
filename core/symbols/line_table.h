// The lines of one unit, ready for questions: which line is at an address, which addresses belong
// to a line.
#pragma once

#include <cstdint>
#include <vector>

#include "core/dwarf/line_program.h"

namespace lantern {

struct LineEntry {
    FileRange range;         // may be empty where the next row has the same address
    std::uint32_t file = 0;  // index into LineTable::files
    std::uint32_t line = 0;
    std::uint16_t column = 0;
    std::uint16_t view = 0;  // see LineRow
    bool is_statement = false;
    bool prologue_end = false;
    bool epilogue_begin = false;
};

class LineTable {
  public:
    LineTable(dwarf::LineProgram program, const class CodeAreas& areas);

    const std::vector<dwarf::LineFile>& files() const { return files_; }
    const std::vector<LineEntry>& entries() const { return entries_; }  // by address
    const LineEntry* at(FileAddress address) const;                     // null if no line owns it

  private:
    void add(const dwarf::LineRow& row, FileAddress next);

    std::vector<dwarf::LineFile> files_;
    std::vector<LineEntry> entries_;
};

}  // namespace lantern
