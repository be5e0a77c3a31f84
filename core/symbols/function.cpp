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

std::vector<ScopeChain> chains_down_to(const FunctionBody& body, FileAddress pc,
                                       const Scope* innermost) {
    if (innermost && !innermost->inlined->is_recorded) {
        auto chains = chains_down_to(body, pc, innermost->around);
        chains.insert(chains.begin(), ScopeChain{&*innermost->inlined, {innermost}});
        return chains;
    }
    std::vector<const Scope*> way;
    for (const Scope* scope = innermost; scope; scope = scope->parent) way.push_back(scope);
    way.push_back(&body.outermost);
    std::reverse(way.begin(), way.end());
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

namespace {

bool is_optimised(const Scope& scope, int depth) {
    constexpr int kDeepest = 30;
    if (scope.inlined) return true;
    for (const Variable& variable : scope.variables)
        if (variable.locations.size() != 1 || variable.locations[0].range) return true;
    return depth < kDeepest &&
           std::any_of(scope.inner.begin(), scope.inner.end(),
                       [&](const auto& inner) { return is_optimised(*inner, depth + 1); });
}

}  // namespace

bool looks_optimised(const FunctionBody& body) {
    return is_optimised(body.outermost, 0);
}

}  // namespace lantern
