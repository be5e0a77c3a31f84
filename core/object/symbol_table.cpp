#include "core/object/symbol_table.h"

#include <elf.h>

#include <algorithm>
#include <cstring>

namespace lantern {
namespace {

std::string_view string_at(ByteSpan strings, std::uint32_t offset) {
    if (offset >= strings.size()) return {};
    const char* start = reinterpret_cast<const char*>(strings.data()) + offset;
    return std::string_view(start, strnlen(start, strings.size() - offset));
}

// Prefer a name that a person wrote: global over local, and one with a size over a bare label.
bool better_name(const ElfSymbol& a, const ElfSymbol& b) {
    if (a.is_function != b.is_function) return a.is_function;
    if ((a.size != 0) != (b.size != 0)) return a.size != 0;
    return a.is_global && !b.is_global;
}

}  // namespace

SymbolTable::SymbolTable(const ElfFile& file, const ElfFile& holder) : file_(file) {
    read(holder, ".symtab", ".strtab");
    has_full_table_ = !symbols_.empty();
    // What strip put aside leaves out what the dynamic table has.
    if (!has_full_table_ || &holder != &file) read(file, ".dynsym", ".dynstr");
    std::stable_sort(symbols_.begin(), symbols_.end(), [](const ElfSymbol& a, const ElfSymbol& b) {
        return a.address != b.address ? a.address < b.address : better_name(a, b);
    });
}

void SymbolTable::read(const ElfFile& file, std::string_view table,
                       std::string_view strings_section) {
    ByteSpan entries = file.bytes(table), strings = file.bytes(strings_section);
    symbols_.reserve(entries.size() / sizeof(Elf64_Sym));
    for (std::size_t at = 0; at + sizeof(Elf64_Sym) <= entries.size(); at += sizeof(Elf64_Sym)) {
        Elf64_Sym entry;
        std::memcpy(&entry, entries.data() + at, sizeof entry);
        unsigned type = ELF64_ST_TYPE(entry.st_info);
        if (entry.st_shndx == SHN_UNDEF || entry.st_shndx >= SHN_LORESERVE) continue;
        if (type != STT_FUNC && type != STT_OBJECT && type != STT_NOTYPE && type != STT_GNU_IFUNC)
            continue;
        std::string_view name = string_at(strings, entry.st_name);
        if (name.empty()) continue;
        bool is_function = type == STT_FUNC || type == STT_GNU_IFUNC;
        symbols_.push_back({name, FileAddress(entry.st_value), entry.st_size, is_function,
                            ELF64_ST_BIND(entry.st_info) != STB_LOCAL, type == STT_GNU_IFUNC});
    }
}

const ElfSymbol* SymbolTable::covering(FileAddress address) const {
    auto after = std::upper_bound(symbols_.begin(), symbols_.end(), address,
                                  [](FileAddress a, const ElfSymbol& s) { return a < s.address; });
    if (after == symbols_.begin()) return nullptr;
    auto found = std::lower_bound(symbols_.begin(), after, std::prev(after)->address,
                                  [](const ElfSymbol& s, FileAddress a) { return s.address < a; });
    const Section* section = file_.section_at(address);
    if (!section || found->address < section->address) return nullptr;
    if (found->size != 0 && address - found->address >= found->size) return nullptr;
    return &*found;
}

const ElfSymbol* SymbolTable::named(std::string_view name) const {
    const ElfSymbol* best = nullptr;
    for (const ElfSymbol& symbol : symbols_) {
        if (symbol.name.substr(0, symbol.name.find('@')) == name &&
            (!best || better_name(symbol, *best)))
            best = &symbol;
    }
    return best;
}

}  // namespace lantern
