// The line tables, source files and macros of a module's units, each read when it is first asked
// for, and kept.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/dwarf/macro_table.h"
#include "core/symbols/line_table.h"

namespace lantern {

class UnitLines {
  public:
    // `units`: how many there are. The areas are borrowed.
    UnitLines(std::size_t units, const CodeAreas& areas)
        : areas_(areas), lines_(units), files_(units) {}

    const LineTable& lines_of(const dwarf::Unit& unit);
    const std::vector<dwarf::LineFile>& files_of(
        const dwarf::Unit& unit);  // without running the line program
    std::string file_name(const dwarf::Unit& unit,
                          std::uint64_t index);  // empty: there is none of that number
    // How a macro is defined where the text of a unit has come to a line of a file ("": at its
    // end). Nothing if it is not.
    std::optional<dwarf::MacroDefinition> macro_at(const dwarf::Unit& unit, std::string_view name,
                                                   const std::string& file, std::uint32_t line);
    // Tables that could not be read, one sentence each.
    const std::vector<std::string>& problems() const { return problems_; }

  private:
    const CodeAreas& areas_;
    std::vector<std::unique_ptr<LineTable>> lines_;                     // by unit
    std::vector<std::unique_ptr<std::vector<dwarf::LineFile>>> files_;  // by unit
    std::map<const dwarf::Unit*, std::vector<dwarf::MacroEntry>> macros_;
    std::vector<std::string> problems_;
};

}  // namespace lantern
