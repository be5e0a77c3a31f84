#include "core/target/linkage.h"

#include "core/machine/instruction.h"
#include "core/object/imports.h"
#include "core/support/error.h"
#include "core/target/code_at.h"

namespace lantern {
namespace {

bool is_linkage_table(const ModuleSymbols& symbols, FileAddress at) {
    const Section* section = symbols.elf().section_at(at);
    return section && section->name.starts_with(".plt");
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

std::optional<FileAddress> slot_of_linkage_entry(const ModuleSymbols& symbols, FileAddress entry) {
    if (!is_linkage_table(symbols, entry)) return std::nullopt;
    FileAddress at = entry;
    for (int i = 0; i < 3; ++i) {  // some entries begin with a landing mark
        auto instruction = decode_instruction(symbols.elf().loaded_bytes(at, kLongestInstruction),
                                              RunAddress(at.value));
        if (!instruction) return std::nullopt;
        at = FileAddress(instruction->next().value);
        if (instruction->kind != Instruction::Kind::jump) continue;
        if (instruction->memory.size() != 1 || instruction->memory[0].base != kProgramCounterNumber)
            return std::nullopt;
        return at + static_cast<std::uint64_t>(instruction->memory[0].displacement);
    }
    return std::nullopt;
}

std::string name_behind_linkage_table(Target& target, RunAddress at) {
    const Module* module = target.module_at(at);
    auto slot =
        module ? slot_of_linkage_entry(module->symbols(), module->to_file(at)) : std::nullopt;
    return slot ? std::string(module->symbols().imports().name_of_slot(*slot)) : "";
}

std::optional<RunAddress> bound_by_linkage_table(Target& target, RunAddress at) {
    const Module* module = target.module_at(at);
    auto slot =
        module ? slot_of_linkage_entry(module->symbols(), module->to_file(at)) : std::nullopt;
    std::uint64_t word = 0;
    bool is_there =
        slot && target.read_available(module->to_run(*slot),
                                      std::as_writable_bytes(std::span(&word, 1))) == sizeof word;
    RunAddress bound(word);
    bool is_bound = is_there && !(target.module_at(bound) == module &&
                                  is_linkage_table(module->symbols(), module->to_file(bound)));
    return is_bound ? std::optional(bound) : std::nullopt;
}

RunAddress behind_linkage_table(Target& target, RunAddress at) {
    for (int hops = 0; hops < 3; ++hops) {
        if (auto bound = bound_by_linkage_table(target, at)) {
            at = *bound;
            continue;
        }
        std::string name = name_behind_linkage_table(target, at);
        return name.empty() ? at : definition_of(target, name).value_or(at);
    }
    return at;
}

}  // namespace lantern
