#include "core/session/runtime_symbol.h"

namespace lantern {
namespace {

bool is_named(const ElfSymbol& symbol, std::string_view name) {
    return symbol.name == name ||
           (name.find("rust_") != std::string_view::npos && symbol.name.ends_with(name) &&
            symbol.name.find("___rustc") != std::string_view::npos);
}

}  // namespace

const ElfSymbol* runtime_symbol(const ModuleSymbols& symbols, std::string_view name) {
    const ElfSymbol* found = symbols.symbol_table().named(name);
    if (found && found->is_function && found->address.value) return found;
    if (name.find("rust_") == std::string_view::npos) return nullptr;
    for (const ElfSymbol& symbol : symbols.symbol_table().symbols())
        if (symbol.is_function && symbol.address.value && is_named(symbol, name)) return &symbol;
    return nullptr;
}

bool stands_at_runtime_symbol(Target& target, ThreadId thread, std::string_view name) {
    RunAddress at = target.registers(thread).program_counter();
    const Module* module = target.module_at(at);
    if (!module) return false;
    const ElfSymbol* symbol = module->symbols().symbol_table().covering(module->to_file(at));
    return symbol && symbol->address == module->to_file(at) && is_named(*symbol, name);
}

}  // namespace lantern
