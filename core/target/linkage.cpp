#include "core/target/linkage.h"

#include <elf.h>

#include <cstring>

#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/target/code_at.h"

namespace lantern {
namespace {

bool is_linkage_table(const Module& module, RunAddress at) {
    const Section* section = module.symbols().elf().section_at(module.to_file(at));
    return section && section->name.starts_with(".plt");
}

// The address of the slot that the entry jumps through; nothing if it is no such entry.
std::optional<RunAddress> slot_of(Target& target, RunAddress entry) {
    RunAddress at = entry;
    for (int i = 0; i < 3; ++i) {  // some entries begin with a landing mark
        auto instruction = instruction_at(target, at);
        if (!instruction) return std::nullopt;
        if (instruction->kind == Instruction::Kind::jump) {
            if (instruction->memory.size() != 1 ||
                instruction->memory[0].base != kProgramCounterNumber)
                return std::nullopt;
            return RunAddress(instruction->next().value +
                              static_cast<std::uint64_t>(instruction->memory[0].displacement));
        }
        at = instruction->next();
    }
    return std::nullopt;
}

// The name that the loader will look up for a slot (gABI, "Relocation").
std::string symbol_of_slot(const Module& module, RunAddress slot) {
    const ElfFile& elf = module.symbols().elf();
    ByteSpan symbols = elf.bytes(".dynsym"), names = elf.bytes(".dynstr");
    for (ByteSpan relocations : {elf.bytes(".rela.plt"), elf.bytes(".rela.dyn")}) {
        for (std::size_t at = 0; at + sizeof(Elf64_Rela) <= relocations.size();
             at += sizeof(Elf64_Rela)) {
            Elf64_Rela relocation;
            std::memcpy(&relocation, relocations.data() + at, sizeof relocation);
            if (relocation.r_offset != module.to_file(slot).value) continue;
            std::size_t index = ELF64_R_SYM(relocation.r_info) * sizeof(Elf64_Sym);
            if (index + sizeof(Elf64_Sym) > symbols.size()) return {};
            Elf64_Sym symbol;
            std::memcpy(&symbol, symbols.data() + index, sizeof symbol);
            if (symbol.st_name >= names.size()) return {};
            const char* text = reinterpret_cast<const char*>(names.data()) + symbol.st_name;
            return std::string(text, strnlen(text, names.size() - symbol.st_name));
        }
    }
    return {};
}

std::optional<RunAddress> definition_of(Target& target, const std::string& name) {
    for (const Module& module : target.modules()) {
        const ElfSymbol* symbol = module.symbols().symbol_table().named(name);
        if (symbol && symbol->is_function && symbol->address.value)
            return module.to_run(symbol->address);
    }
    return std::nullopt;
}

}  // namespace

std::string name_behind_linkage_table(Target& target, RunAddress at) {
    const Module* module = target.module_at(at);
    if (!module || !is_linkage_table(*module, at)) return {};
    auto slot = slot_of(target, at);
    return slot ? symbol_of_slot(*module, *slot) : "";
}

std::optional<RunAddress> bound_by_linkage_table(Target& target, RunAddress at) {
    const Module* module = target.module_at(at);
    auto slot = module && is_linkage_table(*module, at) ? slot_of(target, at) : std::nullopt;
    std::uint64_t word = 0;
    bool is_there = slot && target.read_available(
                                *slot, std::as_writable_bytes(std::span(&word, 1))) == sizeof word;
    if (!is_there || (target.module_at(RunAddress(word)) == module &&
                      is_linkage_table(*module, RunAddress(word))))
        return std::nullopt;
    return RunAddress(word);
}

RunAddress behind_linkage_table(Target& target, RunAddress at) {
    for (int hops = 0; hops < 3; ++hops) {
        const Module* module = target.module_at(at);
        if (!module || !is_linkage_table(*module, at)) return at;
        if (auto bound = bound_by_linkage_table(target, at)) {
            at = *bound;
            continue;
        }
        auto slot = slot_of(target, at);
        if (!slot) return at;
        return definition_of(target, symbol_of_slot(*module, *slot)).value_or(at);
    }
    return at;
}

}  // namespace lantern
