#include "core/session/library_function.h"

#include <elf.h>

#include <cstring>

#include "core/code/sites.h"
#include "core/object/imports.h"
#include "core/support/error.h"

namespace lantern {
namespace {

std::string_view bare_name(const ElfSymbol& symbol) {
    return symbol.name.substr(0, symbol.name.find('@'));
}

const ElfSymbol* exported_symbol(const Module& module, std::string_view name) {
    for (const ElfSymbol& symbol : module.symbols().symbol_table().symbols())
        if (symbol.is_function && symbol.is_global && symbol.address.value &&
            bare_name(symbol) == name)
            return &symbol;
    return nullptr;
}

// What the loader has put into a slot for the function: only it knows what it chose.
std::optional<RunAddress> chosen_in(Target& target, const Module& module, const Module& library,
                                    const ElfSymbol& indirect) {
    const ElfFile& elf = module.symbols().elf();
    for (ByteSpan relocations : {elf.bytes(".rela.plt"), elf.bytes(".rela.dyn")}) {
        for (std::size_t at = 0; at + sizeof(Elf64_Rela) <= relocations.size();
             at += sizeof(Elf64_Rela)) {
            Elf64_Rela relocation;
            std::memcpy(&relocation, relocations.data() + at, sizeof relocation);
            std::uint64_t type = ELF64_R_TYPE(relocation.r_info);
            bool is_own = type == R_X86_64_IRELATIVE && &module == &library &&
                          static_cast<std::uint64_t>(relocation.r_addend) == indirect.address.value;
            bool by_name = (type == R_X86_64_JUMP_SLOT || type == R_X86_64_GLOB_DAT) &&
                           dynamic_name(elf, ELF64_R_SYM(relocation.r_info)) == bare_name(indirect);
            if (!is_own && !by_name) continue;
            std::uint64_t word = 0;
            RunAddress slot = module.to_run(FileAddress(relocation.r_offset));
            if (target.read_available(slot, std::as_writable_bytes(std::span(&word, 1))) !=
                sizeof word)
                continue;
            RunAddress bound(word);
            if (target.module_at(bound) != &library || bound == library.to_run(indirect.address))
                continue;
            const Section* section = library.symbols().elf().section_at(library.to_file(bound));
            if (section && !section->name.starts_with(".plt")) return bound;
        }
    }
    return std::nullopt;
}

std::vector<PlaceSite> sites_at(const Module& module, FileAddress address,
                                const std::string& name) {
    std::vector<PlaceSite> sites;
    const Function* function = module.symbols().function_at(address);
    if (function && function->low() == address) {
        CodeSite code;
        CodePosition start = body_start(module.symbols(), *function);
        code.address = start.address;
        if (start.line) code.position = start;
        if (start.file) code.file = *start.file;
        code.line = start.line;
        code.function = name;
        sites.push_back({&module, module.to_run(code.address), code});
        return sites;
    }
    CodeSite code;
    code.address = address;
    code.function = name;
    sites.push_back({&module, module.to_run(address), code});
    return sites;
}

}  // namespace

bool is_loader(const Module& module) {
    std::string_view path = module.path();
    return path.substr(path.rfind('/') + 1).starts_with("ld-linux");
}

std::vector<PlaceSite> exported_function(Target& target, const std::string& name) {
    for (const Module& module : target.modules()) {
        if (is_loader(module) || !module.is_system_library()) continue;
        const ElfSymbol* symbol = exported_symbol(module, name);
        if (!symbol) continue;
        if (!symbol->is_indirect) return sites_at(module, symbol->address, name);
        for (const Module& user : target.modules())
            if (auto chosen = chosen_in(target, user, module, *symbol))
                return sites_at(module, module.to_file(*chosen), name);
        return {};
    }
    return {};
}

}  // namespace lantern
