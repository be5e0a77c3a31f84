// Which unit owns an address. The table the compiler may have written is a shortcut to the first
// answer; each unit it names is held against what that unit says itself, and one that does not
// agree discredits the table.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/dwarf/debug_info.h"
#include "core/symbols/names.h"

namespace lantern {

class UnitMap {
  public:
    // Both are borrowed. `areas` tells code from what the linker threw away.
    UnitMap(const dwarf::DebugInfo& info, const CodeAreas& areas) : info_(info), areas_(areas) {}

    const dwarf::Unit* find(FileAddress address);
    // Not empty: why the table of the file was not used.
    const std::string& distrust() const { return distrust_; }
    // Holds the whole table against the units. False: it was not good; distrust() says why.
    bool check_table();

  private:
    struct Owned {
        FileRange range;
        const dwarf::Unit* unit = nullptr;
    };
    void read_table();
    void read_roots();
    bool agrees(const dwarf::Unit& unit);
    const dwarf::Unit* look_up(FileAddress address) const;

    const dwarf::DebugInfo& info_;
    const CodeAreas& areas_;
    enum class State { fresh, table, roots } state_ = State::fresh;
    std::vector<Owned> owned_;  // by address
    std::vector<bool> agreed_;  // by unit
    std::string distrust_;
};

}  // namespace lantern
