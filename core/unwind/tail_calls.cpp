#include "core/unwind/tail_calls.h"

#include <algorithm>
#include <set>
#include <unordered_map>

#include "core/code/kept_code.h"
#include "core/support/error.h"

namespace lantern {
namespace {

constexpr std::size_t kMostTailCalls = 8;  // one behind the other
constexpr unsigned kMostLooks = 400;       // at functions, on all ways together

// A jump by which a function may have been left.
struct Exit {
    FileAddress at;
    const Function* callee = nullptr;   // null: without debug information, or not known
    std::optional<FileAddress> target;  // of a direct jump
    std::string name;                   // by which the linker found it; empty: not said
    bool is_computed = false;           // to an address in a register or in memory
};

class TailWays {
  public:
    TailWays(const ModuleSymbols& symbols, const TailEnd& end) : symbols_(symbols), end_(end) {}

    TailWay from(const Function& called) {
        look(called);
        bool is_certain = found_ && !are_several_ && looks_ <= kMostLooks && !leads_anywhere_;
        if (is_certain) return {*found_, false};
        TailWay way;
        way.may_lack = true;
        const Function* left = &called;
        while (left) left = add_certain_step(way.steps, *left);
        return way;
    }

  private:
    // The function has been left, as another one runs. Returns the one it must have jumped to.
    const Function* add_certain_step(std::vector<TailStep>& steps, const Function& left) {
        TailStep step{&left, {}};
        std::set<const Function*> callees;
        for (const Exit& exit : exits_of(left)) {
            if (!may_lead_there(exit, left)) continue;
            step.jumps.push_back(exit.at);
            callees.insert(exit.callee);
        }
        if (step.jumps.empty()) return nullptr;
        steps.push_back(std::move(step));
        const Function* next = callees.size() == 1 ? *callees.begin() : nullptr;
        bool is_circle = std::ranges::find(steps, next, &TailStep::function) != steps.end();
        bool is_end = next == end_.function || is_circle || steps.size() >= kMostTailCalls;
        return is_end ? nullptr : next;
    }

    // Every way but those in circles.
    void look(const Function& from) {
        bool is_too_far = way_.size() >= kMostTailCalls;
        leads_anywhere_ |= is_too_far;
        if (is_too_far || are_several_ || ++looks_ > kMostLooks) return;
        for (const Exit& exit : exits_of(from)) {
            leads_anywhere_ |= exit.is_computed;
            bool is_circle = std::ranges::any_of(
                way_, [&](const TailStep& step) { return step.function == exit.callee; });
            if (is_circle) continue;
            way_.push_back({&from, {exit.at}});
            if (is_there(exit))
                take_way();
            else if (exit.callee)
                look(*exit.callee);
            way_.pop_back();
        }
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

    bool is_there(const Exit& exit) const {
        if (end_.function && exit.callee) return exit.callee == end_.function;
        if (!end_.begins || exit.callee) return false;
        if (exit.target && end_.symbols == &symbols_ && *exit.target == *end_.begins) return true;
        if (exit.target && end_.is_behind && end_.is_behind(*exit.target)) return true;
        if (exit.name.empty() || !end_.symbols) return false;
        const ElfSymbol* symbol = end_.symbols->symbol_table().named(exit.name);
        return symbol && symbol->address == *end_.begins;
    }

    // Directly, or through others. Where it leads back to the beginning, any jump may be the last.
    bool may_lead_there(const Exit& exit, const Function& called) {
        std::set<const Function*> seen;
        std::vector<const Exit*> next{&exit};
        while (!next.empty()) {
            const Exit& each = *next.back();
            next.pop_back();
            if (each.is_computed || each.callee == &called || is_there(each)) return true;
            if (!each.callee && is_end_outside()) return true;
            if (!each.callee || !seen.insert(each.callee).second) continue;
            if (seen.size() > kMostLooks) return true;
            for (const Exit& further : exits_of(*each.callee)) next.push_back(&further);
            if (unreadable_.contains(each.callee)) return true;
        }
        return false;
    }

    // Code without debug information may have been left by jumps that nothing tells of. It is not
    // taken to jump back into functions that have some.
    bool is_end_outside() const { return !end_.function || end_.symbols != &symbols_; }

    const std::vector<Exit>& exits_of(const Function& function) {
        auto [known, is_new] = exits_.try_emplace(&function);
        std::vector<Exit>& exits = known->second;
        if (!is_new) return exits;
        const FlowGraph& flow = kept_code(symbols_, function).flow();
        if (!flow.is_complete()) {
            unreadable_.insert(&function);
            leads_anywhere_ = true;
            return exits;
        }
        std::set<std::uint32_t> recorded;
        for (const TailCall& call : symbols_.tail_calls_of(function)) {
            exits.push_back(as_recorded(function, call));
            recorded.insert(flow.around(call.at));
        }
        for (std::uint32_t i = 0; i < flow.nodes().size(); ++i) {
            const FlowGraph::Node& node = flow.nodes()[i];
            // Nothing is recorded of some jumps to the C library (clang); of a computed one that is
            // not, in a function where others are, the table was not found.
            bool is_computed = node.is_jump() && node.is_computed && recorded.empty() &&
                               node.table == FlowGraph::kNone;
            if ((is_computed || node.leaves()) && !recorded.contains(i))
                exits.push_back(
                    {node.address, begin_at(node.target), node.target, {}, is_computed});
        }
        return exits;
    }

    // A function of another unit is only declared where it is called: the jump itself leads there,
    // or to a table of the linker's, and then its name does.
    Exit as_recorded(const Function& from, const TailCall& call) const {
        Exit exit{call.at, nullptr, {}, {}, !call.callee};
        if (!call.callee) return exit;
        if (!is_end_outside() && symbols_.is_entry_of(*call.callee, *end_.function)) {
            exit.callee = end_.function;
            return exit;
        }
        exit.callee = symbols_.function(*call.callee);
        if (exit.callee && exit.callee->has_code()) return exit;
        exit.target = target_of(from, call);
        exit.callee = begin_at(exit.target);
        if (exit.callee) return exit;
        exit.name = symbols_.linker_name_of(*call.callee);
        const ElfSymbol* symbol = symbols_.symbol_table().named(exit.name);
        if (symbol && symbol->address.value) exit.callee = begin_at(symbol->address);
        return exit;
    }

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
    const TailEnd& end_;
    std::vector<TailStep> way_;
    std::optional<std::vector<TailStep>> found_;
    bool are_several_ = false, leads_anywhere_ = false;
    std::unordered_map<const Function*, std::vector<Exit>> exits_;
    std::set<const Function*> unreadable_;  // their exits are not known
    unsigned looks_ = 0;
};

}  // namespace

TailWay tail_way(const ModuleSymbols& symbols, const Function& called, const TailEnd& running) {
    try {
        return TailWays(symbols, running).from(called);
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
