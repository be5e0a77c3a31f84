// Which names the loader fills a file's slots by: what it takes from other files (System V gABI,
// "Relocation").
#pragma once

#include <string_view>
#include <utility>
#include <vector>

#include "core/object/elf_file.h"

namespace lantern {

// Of entry `index` of the dynamic symbols, borrowed from the file; empty where it does not fit.
std::string_view dynamic_name(const ElfFile& file, std::uint64_t index);

class Imports {
  public:
    explicit Imports(const ElfFile& file);  // borrowed
    // Empty where the loader puts nothing that has a name.
    std::string_view name_of_slot(FileAddress slot) const;

  private:
    std::vector<std::pair<FileAddress, std::string_view>> slots_;  // by address
};

}  // namespace lantern
