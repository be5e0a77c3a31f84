#include "core/object/imports.h"

#include <elf.h>

#include <algorithm>
#include <cstring>

namespace lantern {

std::string_view dynamic_name(const ElfFile& file, std::uint64_t index) {
    ByteSpan symbols = file.bytes(".dynsym"), names = file.bytes(".dynstr");
    if (index >= symbols.size() / sizeof(Elf64_Sym)) return {};
    Elf64_Sym symbol;
    std::memcpy(&symbol, symbols.data() + index * sizeof symbol, sizeof symbol);
    if (symbol.st_name >= names.size()) return {};
    const char* text = reinterpret_cast<const char*>(names.data()) + symbol.st_name;
    return {text, strnlen(text, names.size() - symbol.st_name)};
}

Imports::Imports(const ElfFile& file) {
    for (ByteSpan relocations : {file.bytes(".rela.plt"), file.bytes(".rela.dyn")}) {
        for (std::size_t at = 0; at + sizeof(Elf64_Rela) <= relocations.size();
             at += sizeof(Elf64_Rela)) {
            Elf64_Rela relocation;
            std::memcpy(&relocation, relocations.data() + at, sizeof relocation);
            std::string_view name = dynamic_name(file, ELF64_R_SYM(relocation.r_info));
            if (!name.empty()) slots_.emplace_back(FileAddress(relocation.r_offset), name);
        }
    }
    std::ranges::stable_sort(slots_, {}, &std::pair<FileAddress, std::string_view>::first);
}

std::string_view Imports::name_of_slot(FileAddress slot) const {
    auto found = std::ranges::lower_bound(slots_, slot, {},
                                          &std::pair<FileAddress, std::string_view>::first);
    return found != slots_.end() && found->first == slot ? found->second : std::string_view();
}

}  // namespace lantern
