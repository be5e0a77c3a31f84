// The names and the code of a module's units: of single units as long as few are asked about, then
// of all at once, in the index.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "core/symbols/symbol_files.h"
#include "core/symbols/symbol_index.h"

namespace lantern {

class UnitIndex {
  public:
    // All are borrowed.
    UnitIndex(const ElfFile& elf, const dwarf::DebugInfo& info, const CodeAreas& areas,
              const SymbolSearch& search)
        : elf_(elf), info_(info), areas_(areas), search_(search), of_units_(info.units().size()) {}

    const SymbolIndex&
    whole();  // passes over all units, or takes the index an earlier session left
    const SymbolIndex* whole_if_ready() const { return whole_.get(); }
    bool came_from_file() const { return came_from_file_; }
    const UnitNames& names_of(const dwarf::Unit& unit);
    std::span<const CodeRange> code_of(const dwarf::Unit& unit);
    std::span<const NameScope> scopes_of(const dwarf::Unit& unit);

  private:
    void prefer_whole(const dwarf::Unit& unit);

    const ElfFile& elf_;
    const dwarf::DebugInfo& info_;
    const CodeAreas& areas_;
    const SymbolSearch& search_;
    std::unique_ptr<SymbolIndex> whole_;
    bool came_from_file_ = false;
    std::size_t units_scanned_ = 0;
    std::vector<std::unique_ptr<UnitNames>> of_units_;
};

}  // namespace lantern
