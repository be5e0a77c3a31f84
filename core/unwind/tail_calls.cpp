#include "core/unwind/tail_calls.h"

#include <algorithm>
#include <set>

#include "core/code/kept_code.h"
#include "core/support/error.h"

namespace lantern {
namespace {

constexpr std::size_t kMostTailCalls = 8;  // one behind the other
constexpr unsigned kMostLooks = 400;       // at functions, on all ways together

class TailWays {
  public:
    TailWays(const ModuleSymbols& symbols, const Function& to) : symbols_(symbols), to_(to) {}

    std::vector<TailStep> only_one(const Function& from) {
        look(from);
        if (!found_ || are_several_ || looks_ > kMostLooks || is_in_doubt()) return {};
        return *found_;
    }

  private:
    void look(const Function& from) {
        if (way_.size() >= kMostTailCalls || are_several_ || ++looks_ > kMostLooks) return;
        for (const TailCall& call : symbols_.tail_calls_of(from)) {
            const Function* callee = callee_of(from, call);
            if (!callee && !call.callee) leads_anywhere_.insert(&from);
            bool is_circle = std::ranges::any_of(
                way_, [&](const TailStep& step) { return step.function == callee; });
            if (!callee || is_circle) continue;
            way_.push_back({&from, {call.at}});
            if (callee == &to_)
                take_way();
            else
                look(*callee);
            way_.pop_back();
        }
    }

    // The first has been called for certain. Between it and the one that runs there may be others
    // than those on this way where one of them jumps to an address in a register.
    bool is_in_doubt() const {
        return found_->size() > 1 && std::ranges::any_of(*found_, [&](const TailStep& step) {
                   return leads_anywhere_.contains(step.function);
               });
    }

    void take_way() {
        if (!found_) {
            found_ = way_;
            return;
        }
        are_several_ |=
            !std::ranges::equal(way_, *found_, {}, &TailStep::function, &TailStep::function);
        for (std::size_t i = 0; i < way_.size() && !are_several_; ++i) {
            std::vector<FileAddress>& jumps = (*found_)[i].jumps;
            if (std::ranges::find(jumps, way_[i].jumps[0]) == jumps.end())
                jumps.push_back(way_[i].jumps[0]);
        }
    }

    const Function* callee_of(const Function& from, const TailCall& call) const {
        if (call.callee && symbols_.is_entry_of(*call.callee, to_)) return &to_;
        const Function* callee = call.callee ? symbols_.function(*call.callee) : nullptr;
        if (!callee || !callee->has_code()) callee = begin_at(target_of(from, call));
        if (callee || !call.callee) return callee;
        auto* symbol = symbols_.symbol_table().named(symbols_.linker_name_of(*call.callee));
        return symbol ? begin_at(symbol->address) : nullptr;
    }

    // A function of another unit is only declared where it is called: the jump itself leads there,
    // or to a table of the linker's, and then its name does.
    std::optional<FileAddress> target_of(const Function& from, const TailCall& call) const {
        const FlowGraph& flow = kept_code(symbols_, from).flow();
        std::uint32_t jump = flow.around(call.at);
        return jump == FlowGraph::kNone ? std::nullopt : flow.nodes()[jump].target;
    }

    const Function* begin_at(std::optional<FileAddress> address) const {
        const Function* function = address ? symbols_.function_at(*address) : nullptr;
        return function && function->low() == *address ? function : nullptr;
    }

    const ModuleSymbols& symbols_;
    const Function& to_;
    std::vector<TailStep> way_;
    std::optional<std::vector<TailStep>> found_;
    bool are_several_ = false;
    std::set<const Function*> leads_anywhere_;
    unsigned looks_ = 0;
};

}  // namespace

std::vector<TailStep> only_tail_way(const ModuleSymbols& symbols, const Function& from,
                                    const Function& to) {
    try {
        return TailWays(symbols, to).only_one(from);
    } catch (const FormatError&) {  // damaged: nothing is known of them
        return {};
    }
}

bool may_come_back(const ModuleSymbols& symbols, const Function& function) {
    constexpr std::size_t kMostFunctions = 60;
    std::set<const Function*> seen;
    std::vector<const Function*> next{&function};
    try {
        while (!next.empty()) {
            const FlowGraph& flow = kept_code(symbols, *next.back()).flow();
            next.pop_back();
            if (!flow.is_complete()) return true;
            for (const FlowGraph::Node& node : flow.nodes()) {
                if (node.is_jump() && node.is_computed && !flow.targets_of(node)) return true;
                if (!node.leaves()) continue;
                const Function* callee = symbols.function_at(*node.target);
                if (callee == &function) return true;
                if (callee && seen.insert(callee).second) next.push_back(callee);
            }
            if (seen.size() > kMostFunctions) return true;
        }
    } catch (const FormatError&) {
        return true;
    }
    return false;
}

}  // namespace lantern
