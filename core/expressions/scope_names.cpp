#include "core/expressions/scope_names.h"

#include <algorithm>
#include <set>

#include "core/symbols/places.h"

namespace lantern {

std::vector<VisibleVariable> visible_variables(const Frame& frame) {
    std::vector<VisibleVariable> found;
    std::set<std::string> seen;
    for (const Scope* scope : frame.scopes) {
        std::set<std::string> here;
        // Of two declarations of one name in one scope the later one counts, but both are listed.
        for (const Variable& variable : scope->variables) {
            bool hidden = seen.count(variable.name) != 0;
            found.push_back({&variable, scope, hidden});
            here.insert(variable.name);
        }
        seen.insert(here.begin(), here.end());
    }
    return found;
}

namespace {

bool tail_matches(const std::string& qualified, const std::string& name) {
    if (qualified == name) return true;
    return qualified.size() > name.size() + 2 && qualified.ends_with(name) &&
           qualified.compare(qualified.size() - name.size() - 2, 2, "::") == 0;
}

bool is_chosen(const Variable& variable, const std::string& chosen) {
    return chosen.empty() || std::to_string(variable.declared_line) == chosen || path_matches(variable.declared_in, chosen);
}

}  // namespace

std::optional<Variable> find_global(Target& target, const Frame* frame, const std::string& name, const Module*& holder,
                                    const std::string& chosen) {
    auto search = [&](const Module& module, const dwarf::Unit* only) -> std::optional<Variable> {
        for (const NamedEntry& entry : module.symbols().index().globals) {
            if (!tail_matches(entry.name, name)) continue;
            if (only && (entry.entry_offset < only->offset || entry.entry_offset >= only->end)) continue;
            auto variable = module.symbols().global(entry);
            if (variable && is_chosen(*variable, chosen)) {
                holder = &module;
                return variable;
            }
        }
        return std::nullopt;
    };
    if (frame && frame->module) {
        if (frame->function)
            if (auto found = search(*frame->module, frame->function->unit)) return found;
        if (auto found = search(*frame->module, nullptr)) return found;
    }
    for (const Module& module : target.modules())
        if (!frame || &module != frame->module)
            if (auto found = search(module, nullptr)) return found;
    return std::nullopt;
}

std::optional<FoundEnumerator> find_enumerator(Target& target, const std::string& name) {
    for (const Module& module : target.modules()) {
        const ModuleSymbols& symbols = module.symbols();
        for (std::uint64_t offset : symbols.index().enumerations) {
            const Type* type = symbols.types().type_at(offset);
            for (const Enumerator& enumerator : type->enumerators)
                if (enumerator.name == name) return FoundEnumerator{type, enumerator.value};
        }
    }
    return std::nullopt;
}

const Type* find_type(Target& target, const std::string& name) {
    for (const Module& module : target.modules())
        if (const Type* type = module.symbols().type_named(name)) return type;
    return nullptr;
}

std::vector<std::string> known_names(Target& target, const Frame* frame) {
    std::set<std::string> names;
    if (frame)
        for (const VisibleVariable& visible : visible_variables(*frame)) names.insert(visible.variable->name);
    for (const Module& module : target.modules()) {
        const SymbolIndex& index = module.symbols().index();
        for (const NamedEntry& global : index.globals) names.insert(global.name);
        for (const Function& function : index.functions) names.insert(function.name);
        for (std::uint64_t offset : index.enumerations)
            for (const Enumerator& enumerator : module.symbols().types().type_at(offset)->enumerators) names.insert(enumerator.name);
    }
    return {names.begin(), names.end()};
}

}  // namespace lantern
