#include "core/analysis/became_inlined_loops.h"

#include <fmt/format.h>

#include "core/support/text.h"

namespace lantern {
namespace {

// "accumulate", or "fold, inlined here with sum".
std::string name_of(const Scope& owner) {
    const Scope* outermost = outermost_call(&owner);
    std::string name = name_in_fact(*owner.inlined), called = name_in_fact(*outermost->inlined);
    return outermost == &owner || name == called
               ? fmt::format("{}, inlined here,", name)
               : fmt::format("{}, inlined here with {},", name, called);
}

std::vector<BecameFact> facts_of(const Became& became, const Scope& owner,
                                 const std::vector<const LoopShape*>& shapes) {
    std::vector<BecameFact> facts;
    auto tell = [&](const LoopShape& shape, const std::string& what) {
        facts.push_back(
            {BecameFact::Ground::seen, fmt::format("the loop of {} {} ({})", name_of(owner), what,
                                                   place_of_loop(became, shape))});
    };
    for (const LoopShape* shape : shapes)
        if (std::string work = vector_work(*shape); !work.empty()) tell(*shape, work);
    if (facts.empty()) tell(*shapes.front(), "is one of this function's now");
    if (shapes.size() > 1)
        facts.push_back(
            {BecameFact::Ground::seen, fmt::format("the code has {} loops of it", shapes.size())});
    return facts;
}

}  // namespace

std::map<std::uint32_t, std::vector<BecameFact>> facts_of_inlined_loops(
    const Became& became, const std::vector<std::optional<std::size_t>>& source_loops) {
    std::vector<LoopShape> shapes = shapes_of_loops(became.code);
    std::vector<const Scope*> owners;  // in the order of the code
    std::map<const Scope*, std::vector<const LoopShape*>> loops;
    for (std::size_t i = 0; i < shapes.size(); ++i) {
        const Scope* owner = source_loops[i] ? nullptr : owner_of_loop(became, shapes[i].loop);
        if (!owner) continue;
        if (loops[owner].empty()) owners.push_back(owner);
        loops[owner].push_back(&shapes[i]);
    }
    std::map<std::uint32_t, std::vector<BecameFact>> facts;
    for (const Scope* owner : owners) {
        auto& of_line = facts[outermost_call(owner)->inlined->call_line];
        for (BecameFact& fact : facts_of(became, *owner, loops[owner]))
            of_line.push_back(std::move(fact));
    }
    return facts;
}

}  // namespace lantern
