#include "core/symbols/async.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/symbols/module_symbols.h"
#include "core/symbols/names.h"

namespace lantern {
namespace {

constexpr std::string_view kContext = "_task_context", kFunctionTask = "{async_fn_env#";

// "<u32>" of "a::moor<u32>"; empty where it has none.
std::string_view arguments_of(std::string_view name) {
    return name.substr(without_template_arguments(name).size());
}

// Of those that lie in one place for good.
void collect_names(const Scope& scope, std::set<std::string>& names) {
    for (const Variable& variable : scope.variables)
        if (variable.locations.size() == 1 && !variable.locations[0].range)
            names.insert(variable.name);
    for (const auto& inner : scope.inner)
        if (!inner->inlined) collect_names(*inner, names);
}

// The compiler may put them into two units.
bool belong_together(const Function& maker, const Function& body) {
    return body.declared_line == maker.declared_line && body.declared_in == maker.declared_in &&
           arguments_of(body.name) == arguments_of(maker.name);
}

bool makes_task(const ModuleSymbols& symbols, const Function& function) {
    if (!function.unit->is_rust()) return false;
    const Type* returned = symbols.body_of(function).returned;
    return returned && plain(*returned).name.starts_with(kFunctionTask);
}

std::vector<const Function*> bodies_made_by(const ModuleSymbols& symbols, const Function& maker) {
    auto bodies = async_bodies_named(
        symbols, std::string(last_component(without_template_arguments(maker.name))));
    std::erase_if(bodies, [&](const Function* body) { return !belong_together(maker, *body); });
    return bodies;
}

}  // namespace

bool is_async_task(const Type& type) {
    for (std::string_view kind : {"{async_", "{gen_", "{coroutine_env#"})
        if (type.name.starts_with(kind))
            return type.name.find("_env#") != type.name.npos && !type.variants().empty();
    return false;
}

std::optional<AsyncParameter> async_parameter(const FunctionBody& body) {
    const Variable* variable = body.outermost.unnamed.get();
    if (!variable) return std::nullopt;
    const Type* type = &plain(*variable->type);
    if (type->kind == TypeKind::structure && type->members().size() == 1)
        type = &plain(*type->members().front().type);
    if (type->kind != TypeKind::pointer && type->kind != TypeKind::reference) return std::nullopt;
    const Type& task = plain(target_of(*type));
    return is_async_task(task) ? std::optional(AsyncParameter{variable, &task}) : std::nullopt;
}

void hide_contexts(Scope& scope) {
    for (Variable& variable : scope.variables) variable.is_artificial |= variable.name == kContext;
    for (const auto& inner : scope.inner) hide_contexts(*inner);
}

void take_as_async_body(const Function& function, FunctionBody& body) {
    body.coroutine.emplace(function.declared_in, function.declared_line);
    std::set<std::string> inner;
    for (const auto& scope : body.outermost.inner)
        if (!scope->inlined) collect_names(*scope, inner);
    for (Variable& variable : body.outermost.variables)
        variable.is_artificial |=
            variable.declared_line == function.declared_line && inner.contains(variable.name);
}

std::vector<const Function*> async_bodies_named(const ModuleSymbols& symbols,
                                                const std::string& name) {
    std::string_view arguments = arguments_of(name);
    return symbols.functions_named(fmt::format(
        "{}::{{async_fn#0}}{}", name.substr(0, name.size() - arguments.size()), arguments));
}

std::vector<const Function*> with_async_bodies(const ModuleSymbols& symbols,
                                               const std::vector<const Function*>& functions) {
    std::vector<const Function*> all;
    auto add = [&](const Function* function) {
        if (std::ranges::find(all, function) == all.end()) all.push_back(function);
    };
    for (const Function* function : functions) {
        std::vector<const Function*> bodies;
        if (makes_task(symbols, *function)) bodies = bodies_made_by(symbols, *function);
        if (bodies.empty()) add(function);
        for (const Function* body : bodies) add(body);
    }
    return all;
}

}  // namespace lantern
