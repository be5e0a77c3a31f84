#include "core/session/runtime_symbol.h"

namespace lantern {

const ElfSymbol* runtime_symbol(const ModuleSymbols& symbols, std::string_view name) {
    const ElfSymbol* found = symbols.symbol_table().named(name);
    if (found && found->is_function && found->address.value) return found;
    if (name.find("rust_") == std::string_view::npos) return nullptr;
    for (const ElfSymbol& symbol : symbols.symbol_table().symbols())
        if (symbol.is_function && symbol.address.value && symbol.name.ends_with(name) &&
            symbol.name.find("___rustc") != std::string_view::npos)
            return &symbol;
    return nullptr;
}

bool stands_at_runtime_symbol(Target& target, ThreadId thread, std::string_view name) {
    RunAddress at = target.registers(thread).program_counter();
    const Module* module = target.module_at(at);
    const ElfSymbol* symbol = module ? runtime_symbol(module->symbols(), name) : nullptr;
    return symbol && module->to_run(symbol->address) == at;
}

}  // namespace lantern
