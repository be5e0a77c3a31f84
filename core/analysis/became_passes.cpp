#include "core/analysis/became_passes.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <set>

#include "core/code/node_effects.h"
#include "core/code/ways.h"
#include "core/machine/registers.h"

namespace lantern {
namespace {

using Ground = BecameFact::Ground;

class Passes {
  public:
    Passes(const Became& became, std::size_t statement, const std::vector<std::uint32_t>& loops)
        : became_(became),
          blocks_(became.code.blocks),
          statement_(became.statements[statement]),
          loops_(loops) {
        for (std::uint32_t loop : loops_)
            inside_.insert(blocks_.loops()[loop].blocks.begin(),
                           blocks_.loops()[loop].blocks.end());
    }

    std::vector<BecameFact> facts() {
        std::vector<BecameFact> facts;
        if (is_tested_at_the_end())
            facts.push_back({Ground::seen, has_test_before()
                                               ? "turned around: the test is made at the end of a "
                                                 "pass, and a copy of it before the first"
                                               : "turned around: the test is made at the end of a "
                                                 "pass, and there is none of its own before the "
                                                 "first"});
        Copies copies = copies_of_a_pass();
        if (copies.before || copies.behind)
            facts.push_back(
                {Ground::seen, fmt::format("peeled: a copy of what a pass does stands {} the loop",
                                           copies.before && copies.behind ? "before and behind"
                                           : copies.before                ? "before"
                                                                          : "behind")});
        return facts;
    }

  private:
    bool is_in_loop(std::uint32_t block) const { return inside_.count(block) != 0; }

    bool is_test(std::uint32_t node) const {
        std::uint32_t line = became_.lines.line_of(node);
        return became_.code.node(node).kind == Instruction::Kind::conditional_jump &&
               statement_.first_line <= line && line <= statement_.last_line;
    }

    // The source tests before a pass; in the code, each jump of that test leads back to the head or
    // out of the loop.
    bool is_tested_at_the_end() const {
        bool tests_first =
            statement_.text.starts_with("for") || statement_.text.starts_with("while");
        if (!tests_first) return false;
        bool has_test = false;
        for (std::uint32_t loop : loops_)
            for (std::uint32_t number : blocks_.loops()[loop].blocks) {
                const Blocks::Block& block = blocks_.all()[number];
                auto leads_out = [&](std::uint32_t to) { return !is_in_loop(to); };
                bool is_exit = is_test(block.end - 1) &&
                               std::any_of(block.to.begin(), block.to.end(), leads_out);
                if (!is_exit) continue;
                std::uint32_t head = blocks_.loops()[loop].head;
                if (std::find(block.to.begin(), block.to.end(), head) == block.to.end())
                    return false;
                has_test = true;
            }
        return has_test;
    }

    bool has_test_before() const {
        for (std::uint32_t number = 0; number < blocks_.all().size(); ++number)
            if (!is_in_loop(number) && is_test(blocks_.all()[number].end - 1) &&
                reaches_loop(number))
                return true;
        return false;
    }

    // What others see of a pass: a store into memory that is not the stack's, or a call.
    struct Deed {
        std::uint32_t line = 0;
        std::uint64_t called = 0;  // file address; 0: a store

        auto operator<=>(const Deed&) const = default;
    };
    std::optional<Deed> deed_of(std::uint32_t node) const {
        std::uint32_t line = became_.lines.line_of(node);
        bool is_of_body = statement_.first_line <= line && line <= statement_.body_last;
        if (!is_of_body) return std::nullopt;
        const FlowGraph::Node& at = became_.code.node(node);
        if (at.kind == Instruction::Kind::call)
            return at.target ? std::optional(Deed{line, at.target->value}) : std::nullopt;
        auto effects = effects_of(at, became_.code.symbols);
        if (!effects) return std::nullopt;
        for (const MemoryAccess& access : effects->memory) {
            bool is_of_stack = access.base == kStackPointerNumber ||
                               access.base == kFramePointerNumber || access.is_implied;
            if (access.writes && !is_of_stack) return Deed{line, 0};
        }
        return std::nullopt;
    }

    struct Copies {
        bool before = false, behind = false;
    };
    Copies copies_of_a_pass() const {
        std::set<Deed> of_loop;
        for (std::uint32_t number : inside_)
            for (std::uint32_t node = blocks_.all()[number].first; node < blocks_.all()[number].end;
                 ++node)
                if (auto deed = deed_of(node)) of_loop.insert(*deed);
        Copies copies;
        for (std::uint32_t number = 0; number < blocks_.all().size(); ++number) {
            // Another loop of those lines is told as one.
            bool is_straight = blocks_.innermost_loop(number) == loop_around();
            if (is_in_loop(number) || !is_straight) continue;
            for (std::uint32_t node = blocks_.all()[number].first; node < blocks_.all()[number].end;
                 ++node) {
                auto deed = deed_of(node);
                if (!deed || !of_loop.count(*deed)) continue;
                bool leads_to_it = reaches_loop(number), comes_from_it = is_reached(number);
                copies.before |= leads_to_it && !comes_from_it;
                copies.behind |= comes_from_it && !leads_to_it;
            }
        }
        return copies;
    }

    std::uint32_t loop_around() const { return blocks_.loops()[loops_.front()].outer; }

    // The head of the loop around ends a pass of that one: what lies behind it is of another.
    bool leads(std::uint32_t from, const std::function<bool(std::uint32_t)>& is_wanted) const {
        std::uint32_t around = loop_around();
        std::uint32_t end = around == Blocks::kNone ? Blocks::kNone : blocks_.loops()[around].head;
        return leads_on_to(blocks_, from, end, is_wanted);
    }
    bool reaches_loop(std::uint32_t block) const {
        return leads(block, [&](std::uint32_t to) { return is_in_loop(to); });
    }
    bool is_reached(std::uint32_t block) const {
        return leads(blocks_.loops()[loops_.front()].head,
                     [&](std::uint32_t to) { return to == block; });
    }

    const Became& became_;
    const Blocks& blocks_;
    const SourceStatement& statement_;
    const std::vector<std::uint32_t>& loops_;
    std::set<std::uint32_t> inside_;  // blocks of all of them
};

}  // namespace

std::vector<BecameFact> facts_of_passes(const Became& became, std::size_t statement,
                                        const std::vector<std::uint32_t>& loops) {
    return Passes(became, statement, loops).facts();
}

}  // namespace lantern
