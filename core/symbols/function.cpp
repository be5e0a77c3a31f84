#include "core/symbols/function.h"

#include <algorithm>
#include <functional>

namespace lantern {

namespace {

std::uint64_t bytes_of(const Scope& scope) {
    std::uint64_t bytes = 0;
    for (const FileRange& range : scope.ranges) bytes += range.size();
    return bytes;
}

struct WayDown {
    FileAddress pc;
    bool into_inlined_calls;
    std::vector<const Scope*> scopes{};

    bool holds(const Scope& inner) const {
        return any_contains(inner.ranges, pc) && (into_inlined_calls || !inner.inlined);
    }
    bool has_inlined_call_behind(std::size_t first) const {
        return std::any_of(scopes.begin() + static_cast<std::ptrdiff_t>(first), scopes.end(),
                           [](const Scope* each) { return each->inlined.has_value(); });
    }
    // The scope and those in it that hold the address, each before what lies in it.
    void go(const Scope& scope) {
        scopes.push_back(&scope);
        const Scope* only = nullptr;
        std::size_t count = 0;
        for (const auto& inner : scope.inner)
            if (holds(*inner) && ++count) only = inner.get();
        if (count == 1) return go(*only);
        if (count > 1) go_side_by_side(scope);
    }
    // Blocks that lie side by side hold it both (gcc's coroutines): the wider one comes first, and
    // what leads into an inlined call last.
    void go_side_by_side(const Scope& scope) {
        std::vector<const Scope*> holding, inlined_part;
        for (const auto& inner : scope.inner)
            if (holds(*inner)) holding.push_back(inner.get());
        std::ranges::stable_sort(holding, std::greater<>(),
                                 [](const Scope* each) { return bytes_of(*each); });
        for (const Scope* inner : holding) {
            std::size_t before = scopes.size();
            go(*inner);
            if (!has_inlined_call_behind(before)) continue;
            auto part = scopes.begin() + static_cast<std::ptrdiff_t>(before);
            inlined_part.assign(part, scopes.end());
            scopes.erase(part, scopes.end());
        }
        scopes.insert(scopes.end(), inlined_part.begin(), inlined_part.end());
    }
};

std::vector<const Scope*> way_down(const Scope& scope, FileAddress pc, bool into_inlined_calls) {
    WayDown way{pc, into_inlined_calls};
    way.go(scope);
    return std::move(way.scopes);
}

}  // namespace

std::vector<ScopeChain> chains_at(const FunctionBody& body, FileAddress pc) {
    std::vector<ScopeChain> chains(1);
    for (const Scope* scope : way_down(body.outermost, pc, true)) {
        if (scope->inlined) {
            chains.emplace_back();
            chains.back().inlined = &*scope->inlined;
        }
        chains.back().scopes.push_back(scope);
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
    const Scope* last = way.back();
    way.pop_back();
    for (const Scope* scope : way_down(*last, pc, false)) way.push_back(scope);
    std::vector<ScopeChain> chains(1);
    for (const Scope* scope : way) {
        if (scope->inlined) chains.insert(chains.begin(), ScopeChain{&*scope->inlined, {}});
        chains.front().scopes.insert(chains.front().scopes.begin(), scope);
    }
    return chains;
}

namespace {

bool moves(const Variable& variable) {
    return variable.locations.size() > 1 ||
           (variable.locations.size() == 1 && variable.locations[0].range);
}
bool has_no_place(const Variable& variable) {
    return variable.locations.empty();
}

template <class Holds>
bool holds_of_any(const Scope& scope, const Holds& holds, int depth = 0) {
    constexpr int kDeepest = 30;
    if (holds(scope)) return true;
    return depth < kDeepest &&
           std::any_of(scope.inner.begin(), scope.inner.end(),
                       [&](const auto& inner) { return holds_of_any(*inner, holds, depth + 1); });
}

}  // namespace

bool looks_optimised(const FunctionBody& body) {
    auto has_moving = [](const Scope& scope) {
        return std::ranges::any_of(scope.variables, moves);
    };
    auto is_thinned = [](const Scope& scope) {
        return scope.inlined || std::ranges::any_of(scope.variables, has_no_place);
    };
    return holds_of_any(body.outermost, has_moving) ||
           (!body.is_recorded_unoptimised && holds_of_any(body.outermost, is_thinned));
}

}  // namespace lantern
