// The linker's symbols of one object file (.symtab, else .dynsym): what is left when there is no
// DWARF. (System V gABI, "Symbol Table".)
#pragma once

#include <cstdint>
#include <string_view>
#include <vector>

#include "core/object/elf_file.h"

namespace lantern {

struct ElfSymbol {
    std::string_view name;  // borrowed from the file
    FileAddress address;
    std::uint64_t size = 0;
    bool is_function = false;
    bool is_global = false;
    bool is_indirect =
        false;  // its code gives the address of the function that is meant (STT_GNU_IFUNC)
};

class SymbolTable {
  public:
    explicit SymbolTable(const ElfFile& file) : SymbolTable(file, file) {}
    // `holder` has the fuller table: the program's separate debug file, say. Both are borrowed.
    SymbolTable(const ElfFile& file, const ElfFile& holder);

    const std::vector<ElfSymbol>& symbols() const { return symbols_; }  // by address
    // The symbol whose bytes hold this address; one without a size reaches to the next symbol or
    // its section's end.
    const ElfSymbol* covering(FileAddress address) const;
    const ElfSymbol* named(
        std::string_view name) const;  // the version after '@' is left out; null if none
    bool has_full_table() const {
        return has_full_table_;
    }  // false: stripped, only the dynamic symbols are left

  private:
    void read(const ElfFile& file, std::string_view table, std::string_view strings);

    const ElfFile& file_;
    std::vector<ElfSymbol> symbols_;
    bool has_full_table_ = false;
};

}  // namespace lantern
