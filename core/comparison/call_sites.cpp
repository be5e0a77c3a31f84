#include "core/comparison/call_sites.h"

#include <algorithm>

#include "core/code/flow_graph.h"
#include "core/code/node_effects.h"
#include "core/support/error.h"

namespace lantern {
namespace {

constexpr unsigned kStackRegisters[] = {6,
                                        7};  // DWARF numbers: the frame pointer, the stack pointer

bool is_of_own_frame(const MemoryAccess& access) {
    return access.is_implied ||
           (access.base && !access.index &&
            (*access.base == kStackRegisters[0] || *access.base == kStackRegisters[1]));
}

}  // namespace

CallSites::CallSites(const BothBuilds& builds, const FunctionPairs& functions)
    : builds_(builds), pairs_(functions.pairs), functions_(functions) {
    for (std::uint32_t i = 0; i < pairs_.size(); ++i) named_.emplace(pairs_[i].name, i);
    for (unsigned side : {0u, 1u}) look_through(side);
    for (unsigned side : {0u, 1u}) look_for_vanished(side);
}

void CallSites::look_through(unsigned side) {
    for (std::uint32_t i = 0; i < pairs_.size(); ++i)
        for (const Function* copy : pairs_[i].in[side]) of_[side].numbers[copy->low().value] = i;
    for (const Function* function : functions_.all[side]) try {
            look_for_calls(side, *function);
            look_for_copies(side, builds_[side]->body_of(*function).outermost);
        } catch (const Error&) {  // damaged there: its calls are not known
        }
}

CallSites::Site CallSites::site_at(unsigned side, FileAddress address) const {
    auto line = builds_[side]->line_at(address);
    return line ? site_of(side, line->file, line->line) : Site{};
}

// By the file's name in the first build.
CallSites::Site CallSites::site_of(unsigned side, const std::string& file,
                                   std::uint32_t line) const {
    std::string name = file_part(file);
    auto renamed = functions_.renamed.find(name);
    bool is_renamed = side == 1 && renamed != functions_.renamed.end();
    return {is_renamed ? renamed->second : name, line};
}

void CallSites::look_for_calls(unsigned side, const Function& function) {
    OfBuild& of = of_[side];
    FlowGraph flow(*builds_[side], function);
    for (const FlowGraph::Node& node : flow.nodes()) {
        bool is_call = node.kind == Instruction::Kind::call;
        if (!is_call && !node.leaves()) continue;
        if (is_call) of.before.insert(node.behind().value);
        Site site = site_at(side, node.address);
        if (!node.target) {
            ++of.computed[site];
            continue;
        }
        if (is_call)
            of.direct[node.behind().value] = node.target->value;
        else
            of.jumps[function.low().value].emplace_back(node.target->value, site);
        if (auto called = of.numbers.find(node.target->value); called != of.numbers.end())
            ++of.counts[{called->second, site}].calls;
    }
}

// By name: constructors and destructors have several entries of one, and overloads that are counted
// too only make a call less sure.
void CallSites::look_for_copies(unsigned side, const Scope& scope) {
    for (const auto& inner : scope.inner) {
        if (inner->inlined) {
            Site site = site_of(side, inner->inlined->call_file, inner->inlined->call_line);
            auto [first, last] = named_.equal_range(inner->inlined->name);
            for (auto each = first; each != last; ++each)
                ++of_[side].counts[{each->second, site}].inlined;
        }
        look_for_copies(side, *inner);
    }
}

CallSites::Count CallSites::count(unsigned side, std::uint32_t function, const Site& site) const {
    auto found = of_[side].counts.find({function, site});
    return found == of_[side].counts.end() ? Count{} : found->second;
}

unsigned CallSites::calls_at(unsigned side, std::uint32_t function, const Site& site) const {
    auto computed = of_[side].computed.find(site);
    return count(side, function, site).calls +
           (computed == of_[side].computed.end() ? 0 : computed->second);
}

void CallSites::look_for_vanished(unsigned side) {
    for (const auto& [key, count_here] : of_[side].counts) {
        const auto& [function, site] = key;
        if (count_here.calls && !calls_at(1 - side, function, site) &&
            !count(1 - side, function, site).inlined)
            vanished_.emplace(function, site.file);
    }
}

Likeness CallSites::likeness_of(unsigned side, std::uint32_t function, const Site& site) const {
    Count there = count(1 - side, function, site);
    if (!site.line) return Likeness::perhaps;
    if (!calls_at(1 - side, function, site))
        return there.inlined ? Likeness::not_at_all : Likeness::perhaps;
    bool is_inlined = there.inlined || count(side, function, site).inlined;
    return is_inlined || vanished_.contains({function, site.file}) ? Likeness::perhaps
                                                                   : Likeness::surely;
}

// Where the jumps stand that lead from a function to another one, by way of others where there is
// none that leads there at once.
std::vector<CallSites::Site> CallSites::jumps_to(unsigned side, std::uint64_t from,
                                                 std::uint32_t function) const {
    std::vector<Site> sites;
    std::vector<std::uint64_t> open{from};
    std::unordered_set<std::uint64_t> seen{from};
    for (std::size_t i = 0; i < open.size(); ++i) {
        auto jumps = of_[side].jumps.find(open[i]);
        if (jumps == of_[side].jumps.end()) continue;
        for (const auto& [target, site] : jumps->second) {
            auto number = of_[side].numbers.find(target);
            if (number != of_[side].numbers.end() && number->second == function)
                sites.push_back(site);
            if (seen.insert(target).second) open.push_back(target);
        }
        if (i == 0 && !sites.empty()) break;
    }
    return sites;
}

Likeness CallSites::find_likeness(unsigned side, const WalkEvent& entry) const {
    const OfBuild& of = of_[side];
    auto called = of.direct.find(entry.caller);
    std::uint64_t from = 0;
    if (entry.jumped_from != WalkEvent::kNobody) {
        from = pairs_[entry.jumped_from].in[side].front()->low().value;
    } else if (called != of.direct.end()) {
        auto number = of.numbers.find(called->second);
        bool is_called_here = number != of.numbers.end() && number->second == entry.function;
        if (!is_called_here) from = called->second;
    }
    if (!from)
        return likeness_of(side, entry.function, site_at(side, FileAddress(entry.caller - 1)));
    std::vector<Site> sites = jumps_to(side, from, entry.function);
    std::size_t sure = 0, none = 0;
    for (const Site& site : sites) {
        Likeness each = likeness_of(side, entry.function, site);
        sure += each == Likeness::surely;
        none += each == Likeness::not_at_all;
    }
    if (!sites.empty() && none == sites.size()) return Likeness::not_at_all;
    return !sites.empty() && sure == sites.size() ? Likeness::surely : Likeness::perhaps;
}

Likeness CallSites::likeness(unsigned side, const WalkEvent& entry) {
    bool is_from_library = !entry.caller || !of_[side].before.contains(entry.caller);
    if (is_from_library && entry.jumped_from == WalkEvent::kNobody) return Likeness::surely;
    auto [known, is_new] = known_[side].try_emplace(
        {entry.caller, entry.function, entry.jumped_from}, Likeness::surely);
    if (is_new) known->second = find_likeness(side, entry);
    return known->second;
}

bool CallSites::look_for_effects(std::uint32_t function) {
    FlowGraph flow(*builds_[0], *pairs_[function].in[0].front());
    if (!flow.is_complete()) return false;
    for (const FlowGraph::Node& node : flow.nodes()) {
        if (node.kind == Instruction::Kind::call || node.leaves()) {
            auto called =
                node.target ? of_[0].numbers.find(node.target->value) : of_[0].numbers.end();
            if (called == of_[0].numbers.end() || !has_no_effect(called->second)) return false;
            continue;
        }
        auto effects = effects_of(node, *builds_[0]);
        if (!effects || effects->is_privileged) return false;
        for (const MemoryAccess& access : effects->memory)
            if (access.writes && !is_of_own_frame(access)) return false;
    }
    return true;
}

bool CallSites::has_no_effect(std::uint32_t function) {
    auto [known, is_new] = without_effect_.try_emplace(function, true);  // while it is looked at
    if (!is_new) return known->second;
    bool found = look_for_effects(function);
    return without_effect_[function] = found;
}

}  // namespace lantern
