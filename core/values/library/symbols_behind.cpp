#include "core/values/library/symbols_behind.h"

#include <utility>

#include "core/support/text.h"
#include "core/symbols/demangle.h"
#include "core/values/builtin_types.h"
#include "core/values/meaning.h"

namespace lantern {

std::optional<SymbolBehind> symbol_behind(Target& target, RunAddress address) {
    const Module* module = target.module_at(address);
    if (!module) return std::nullopt;
    const ElfSymbol* symbol = module->symbols().symbol_table().covering(module->to_file(address));
    if (!symbol) return std::nullopt;
    return SymbolBehind{demangled(symbol->name), module->to_file(address) - symbol->address};
}

const Type* type_called(Target& target, const std::string& name) {
    std::vector<std::string> words;
    for (std::size_t at = 0; at < name.size();) {
        std::size_t end = std::min(name.find(' ', at), name.size());
        words.push_back(name.substr(at, end - at));
        at = end + 1;
    }
    if (const Type* base = base_type_from_words(words)) return base;
    if (name.ends_with('*')) {
        const Type* pointed = type_called(
            target, std::string(trimmed(std::string_view(name).substr(0, name.size() - 1))));
        return pointed ? &pointer_to(*pointed) : nullptr;
    }
    for (const Module& module : target.modules())
        if (const Type* type = module.symbols().type_spelled(name)) return type;
    return nullptr;
}

std::string first_argument(std::string_view name, std::string_view start) {
    std::size_t at = name.find(start);
    if (at == std::string_view::npos) return {};
    name.remove_prefix(at + start.size());
    int depth = 0;
    for (std::size_t i = 0; i < name.size(); ++i) {
        if (name[i] == '<' || name[i] == '(') ++depth;
        bool ends = depth == 0 && (name[i] == '>' || name[i] == ',');
        if (ends) return std::string(trimmed(name.substr(0, i)));
        if (name[i] == '>' || name[i] == ')') --depth;
    }
    return {};
}

void lead_to(Meaning& meaning, const Value& value) {
    meaning.arrangement = Arrangement::target;
    meaning.count = 1;
    meaning.next = [value, given = false]() mutable -> std::optional<Part> {
        if (std::exchange(given, true)) return std::nullopt;
        return Part{{}, value, {}};
    };
}

}  // namespace lantern
