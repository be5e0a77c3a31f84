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

}  // namespace lantern
