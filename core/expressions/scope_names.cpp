#include "core/expressions/scope_names.h"

#include <algorithm>
#include <set>

#include "core/symbols/places.h"

namespace lantern {

std::vector<VisibleVariable> visible_variables(const Frame& frame) {
    std::vector<VisibleVariable> found;
    std::set<std::string_view> seen;
    for (const Scope* scope : frame.scopes) {
        std::set<std::string_view> here;
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

std::vector<VisibleVariable> visible_of_name(const Frame& frame, std::string_view name) {
    std::vector<VisibleVariable> found;
    for (const Scope* scope : frame.scopes) {
        bool hidden = !found.empty();
        for (const Variable& variable : scope->variables)
            if (variable.name == name) found.push_back({&variable, scope, hidden});
    }
    return found;
}

namespace {

bool is_chosen(const Variable& variable, std::string_view chosen) {
    return chosen.empty() || std::to_string(variable.declared_line) == chosen ||
           path_matches(variable.declared_in, std::string(chosen));
}

}  // namespace

std::optional<VisibleVariable> find_visible(const Frame& frame, std::string_view name,
                                            std::string_view chosen) {
    bool function_chosen = !chosen.empty() && frame_function_name(frame) == chosen;
    for (const VisibleVariable& visible : visible_of_name(frame, name)) {
        if (chosen.empty() ? !visible.is_shadowed
                           : function_chosen || is_chosen(*visible.variable, chosen))
            return visible;
    }
    return std::nullopt;
}

std::vector<std::string> hidden_namesakes(const Frame& frame, std::string_view name) {
    std::vector<std::string> names;
    for (const VisibleVariable& visible : visible_of_name(frame, name))
        if (visible.is_shadowed)
            names.push_back(visible.variable->name + "#" +
                            std::to_string(visible.variable->declared_line));
    return names;
}

namespace {

constexpr std::uint8_t kOpAddr = 0x03;  // DW_OP_addr: it lies at one address, always

const Variable* static_in(const Scope& scope, std::string_view name) {
    for (const Variable& variable : scope.variables) {
        bool is_static =
            variable.name == name && variable.locations.size() == 1 &&
            !variable.locations.front().range && !variable.locations.front().expression.empty() &&
            static_cast<std::uint8_t>(variable.locations.front().expression[0]) == kOpAddr;
        if (is_static) return &variable;
    }
    for (const auto& inner : scope.inner)
        if (const Variable* found = static_in(*inner, name)) return found;
    return nullptr;
}

}  // namespace

std::optional<Variable> find_static_of_function(Target& target, const std::string& name,
                                                const Module*& holder) {
    std::string_view own = last_component(name);
    if (own.size() == name.size()) return std::nullopt;
    std::string_view function_name = std::string_view(name).substr(0, name.size() - own.size() - 2);
    for (const Module& module : target.modules())
        for (const Function* function : module.symbols().functions_named(function_name)) {
            const Variable* found = static_in(module.symbols().body_of(*function).outermost, own);
            if (!found) continue;
            holder = &module;
            return *found;
        }
    return std::nullopt;
}

std::optional<Variable> find_global(Target& target, const Frame* frame, const std::string& name,
                                    const Module*& holder, const std::string& chosen) {
    auto search = [&](const Module& module, const dwarf::Unit* only) -> std::optional<Variable> {
        const SymbolIndex& index = module.symbols().index();
        std::optional<Variable> found;
        index.for_each_named(last_component(name), [&](const NameEntry& entry) {
            if (found || entry.kind != NameKind::global ||
                !name_matches(index.qualified_name(entry), name))
                return;
            if (only && (entry.position < only->offset || entry.position >= only->end)) return;
            auto variable = module.symbols().global(entry);
            if (!variable || !is_chosen(*variable, chosen)) return;
            // What a library of the system's keeps to itself is met by its name only from inside.
            bool is_from_outside = !frame || frame->module != &module;
            if (is_from_outside && module.is_system_library() && !variable->is_external &&
                chosen.empty())
                return;
            holder = &module;
            found = variable;
        });
        return found;
    };
    if (frame && frame->module) {
        if (frame->function)
            if (auto found = search(*frame->module, frame->function->unit)) return found;
        if (auto found = search(*frame->module, nullptr)) return found;
    }
    for (const Module& module : target.modules())
        if (!frame || &module != frame->module)
            if (auto found = search(module, nullptr)) return found;
    return chosen.empty() ? find_static_of_function(target, name, holder) : std::nullopt;
}

std::optional<FoundEnumerator> find_enumerator(Target& target, const std::string& full) {
    // "Light::green" is an enumerator behind its type
    std::string name(last_component(full));
    std::string owner =
        name.size() == full.size() ? "" : full.substr(0, full.size() - name.size() - 2);
    auto is_owner = [&](const Type& type) {
        const std::string& type_name = type.full_name();
        std::string scope = type_name.substr(
            0, type_name.size() - std::min(type_name.size(), type.name.size() + 2));
        return owner.empty() || name_matches(type_name, owner) ||
               name_matches(scope, owner);  // an old enumeration's stand beside it, too
    };
    for (const Module& module : target.modules()) {
        const ModuleSymbols& symbols = module.symbols();
        for (const NameEntry& entry : symbols.index().names()) {
            if (entry.kind != NameKind::enumeration) continue;
            const Type* type = symbols.types().type_at(entry.position);
            for (const Enumerator& enumerator : type->enumerators)
                if (enumerator.name == name && is_owner(*type))
                    return FoundEnumerator{type, enumerator.value};
        }
    }
    return std::nullopt;
}

const Type* find_type(Target& target, const std::string& name) {
    for (const Module& module : target.modules())
        if (const Type* type = module.symbols().type_named(name)) return type;
    if (name.find('<') == std::string::npos) return nullptr;
    for (const Module& module : target.modules())
        if (const Type* type = module.symbols().type_spelled(name)) return type;
    return nullptr;
}

std::vector<std::string> known_names(Target& target, const Frame* frame) {
    std::set<std::string> names;
    if (frame)
        for (const VisibleVariable& visible : visible_variables(*frame))
            names.insert(visible.variable->name);
    for (const Module& module : target.modules()) {
        if (module.is_system_library()) continue;  // thousands, and none of them meant
        const SymbolIndex& index = module.symbols().index();
        for (const NameEntry& entry : index.names()) {
            if (is_function(entry.kind) || entry.kind == NameKind::global)
                names.insert(index.qualified_name(entry));
            if (entry.kind != NameKind::enumeration) continue;
            for (const Enumerator& enumerator :
                 module.symbols().types().type_at(entry.position)->enumerators)
                names.insert(enumerator.name);
        }
    }
    return {names.begin(), names.end()};
}

}  // namespace lantern
