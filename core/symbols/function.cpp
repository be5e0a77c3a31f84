#include "core/symbols/function.h"

#include <algorithm>

namespace lantern {

std::vector<ScopeChain> chains_at(const FunctionBody& body, FileAddress pc) {
    std::vector<ScopeChain> chains(1);
    const Scope* scope = &body.outermost;
    while (scope) {
        if (scope->inlined) {
            chains.emplace_back();
            chains.back().inlined = &*scope->inlined;
        }
        chains.back().scopes.push_back(scope);
        const Scope* next = nullptr;
        for (const auto& inner : scope->inner)
            if (any_contains(inner->ranges, pc)) next = inner.get();
        scope = next;
    }
    for (ScopeChain& chain : chains) std::reverse(chain.scopes.begin(), chain.scopes.end());
    std::reverse(chains.begin(), chains.end());
    return chains;
}

namespace {

// Adds the scopes from `scope` to `wanted`, both included. False where `wanted` is not inside.
bool add_way_to(const Scope& scope, const Scope* wanted, std::vector<const Scope*>& way) {
    way.push_back(&scope);
    if (&scope == wanted) return true;
    for (const auto& inner : scope.inner)
        if (add_way_to(*inner, wanted, way)) return true;
    way.pop_back();
    return false;
}

}  // namespace

std::vector<ScopeChain> chains_down_to(const FunctionBody& body, FileAddress pc, const Scope* innermost) {
    std::vector<const Scope*> way;
    const Scope* recorded = innermost && !innermost->inlined->is_recorded ? innermost->around : innermost;
    if (!recorded || !add_way_to(body.outermost, recorded, way)) way = {&body.outermost};
    if (recorded != innermost) {
        auto chains = chains_down_to(body, pc, recorded);
        chains.insert(chains.begin(), ScopeChain{&*innermost->inlined, {innermost}});
        return chains;
    }
    // Below it, the blocks that hold the address.
    for (const Scope* scope = way.back(); scope;) {
        const Scope* next = nullptr;
        for (const auto& inner : scope->inner)
            if (!inner->inlined && any_contains(inner->ranges, pc)) next = inner.get();
        if (next) way.push_back(next);
        scope = next;
    }
    std::vector<ScopeChain> chains(1);
    for (const Scope* scope : way) {
        if (scope->inlined) chains.insert(chains.begin(), ScopeChain{&*scope->inlined, {}});
        chains.front().scopes.insert(chains.front().scopes.begin(), scope);
    }
    return chains;
}

}  // namespace lantern
