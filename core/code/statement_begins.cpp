#include "core/code/statement_begins.h"

#include <algorithm>

#include "core/code/forward_order.h"
#include "core/code/joined_rows.h"
#include "core/code/jumped_past.h"
#include "core/code/node_effects.h"
#include "core/code/resumption.h"
#include "core/symbols/module_symbols.h"

namespace lantern {
namespace {

// What may have happened on the ways to a place, of all those that do not lead through a loop
// twice.
struct Past {
    std::uint64_t seen = 0;     // columns of the line that have run in this pass
    bool may_be_fresh = false;  // on some way nothing of the line has run
    bool from_line = false;     // on some way the last statement was the line's
    bool from_other = false;    // on some way it was another

    void join(const Past& other) {
        seen |= other.seen;
        may_be_fresh |= other.may_be_fresh;
        from_line |= other.from_line;
        from_other |= other.from_other;
    }
};

class Search {
  public:
    Search(const FlowGraph& flow, const FunctionPositions& positions, const Scope* inlined,
           const std::string& file, std::uint32_t line)
        : order_(flow),
          joined_(flow, positions),
          jumped_past_(flow, positions, positions.symbols().body_of(flow.function())),
          positions_(positions),
          resumed_(resumptions(flow, positions.symbols().body_of(flow.function()))),
          inlined_(inlined),
          file_(file),
          line_(line) {
        for (const CodePosition& position : positions.all())
            if (is_of_line(position)) {
                has_statements_ |= position.is_statement;
                columns_.push_back(position.column);
            }
        std::sort(columns_.begin(), columns_.end());
        columns_.erase(std::unique(columns_.begin(), columns_.end()), columns_.end());
    }

    // Begins, and begins again.
    std::pair<std::vector<const CodePosition*>, std::vector<const CodePosition*>> run() {
        const auto& all = order_.all();
        std::vector<Past> before(all.size()), behind_rows(all.size());
        if (!before.empty()) before[0] = {0, true, false, true};
        for (std::size_t i = 0; i < all.size(); ++i) {
            Past past = before[i];
            if (order_.is_instruction(all[i])) pass(address_of(all[i]), past);
            past.join(behind_rows[i]);
            order_.for_each_next(i, [&](std::size_t next) {
                auto first = first_of(all[i], all[next]);
                if (!first) return before[next].join(behind_wait(all[next], past));
                Past jumped = past;
                pass(address_of(all[next]), jumped, first);
                behind_rows[next].join(jumped);
            });
        }
        std::vector<const CodePosition*> begins;
        std::ranges::copy_if(found_, std::back_inserter(begins),
                             [&](const CodePosition* each) { return !only_leads_on(*each); });
        return {std::move(begins), std::move(again_)};
    }

  private:
    // From there the code goes straight on, and changes no memory, to where others join it: a pass
    // is met there, and once.
    bool only_leads_on(const CodePosition& begin) const {
        const FlowGraph& flow = order_.flow();
        for (std::uint32_t at = flow.at(begin.address); at != FlowGraph::kNone;
             at = flow.nodes()[at].next) {
            const FlowGraph::Node& node = flow.nodes()[at];
            if (node.address != begin.address)
                for (const CodePosition* other : found_)
                    if (other->address == node.address) return joined_.is_joined(*other);
            auto effects = effects_of(node, positions_.symbols());
            bool goes_elsewhere = node.is_jump() || node.kind == Instruction::Kind::call;
            bool changes = !effects || std::ranges::any_of(effects->memory, &MemoryAccess::writes);
            if (goes_elsewhere || changes) return false;
        }
        return false;
    }

    // An async body that is polled again goes on with the line that it waited in. What it does when
    // it has ended is no way to anywhere, though the call that panics seems to return.
    Past behind_wait(std::uint32_t node, const Past& past) const {
        auto resumed = std::ranges::find(resumed_, node, &Resumption::node);
        if (resumed == resumed_.end()) return past;
        if (!resumed->line) return {};
        bool is_here = resumed->line == line_ && !inlined_;
        return is_here ? Past{~std::uint64_t{0}, false, true, false} : Past{0, true, false, true};
    }

    FileAddress address_of(std::uint32_t node) const { return order_.flow().nodes()[node].address; }

    // The first position, by its order, that who goes from the one to the other comes to.
    std::uint16_t first_of(std::uint32_t from, std::uint32_t to) const {
        if (jumped_past_.is_empty() || !order_.is_instruction(from) || !order_.is_instruction(to))
            return 0;
        const JumpedPast::Jump* jump = jumped_past_.jump(address_of(from), address_of(to));
        return jump ? jump->certain : 0;
    }

    bool is_of_line(const CodePosition& position) const {
        return position.inlined == inlined_ && position.is_on(file_, line_);
    }

    void pass(FileAddress address, Past& past, std::uint16_t first = 0) {
        bool has_begun = false;
        for (const CodePosition& position : positions_.at(address)) {
            if (position.order < first) continue;
            if (!is_within(position.inlined, inlined_)) {
                if (joined_.begins_statement(position))
                    past = {0, true, false, true};  // the inlined copy has been left
                continue;
            }
            if (position.inlined != inlined_ || position.line == 0) continue;
            if (is_of_line(position))
                has_begun |= pass_line(position, past, has_begun);
            else if (joined_.begins_statement(position))
                past.from_line = false, past.from_other = true;
        }
    }

    // True if a pass begins here.
    bool pass_line(const CodePosition& position, Past& past, bool has_begun) {
        std::size_t column = static_cast<std::size_t>(
            std::lower_bound(columns_.begin(), columns_.end(), position.column) - columns_.begin());
        std::uint64_t bit = std::uint64_t{1} << std::min<std::size_t>(column, 63);
        bool may_begin =
            past.from_other && (joined_.begins_statement(position) || !has_statements_);
        if (!may_begin) {
            if (past.from_line) past.seen |= bit;
            return false;
        }
        // What joins behind a part of the line goes on with it: the head of a loop, at its turn.
        bool may_be_again = (past.seen & bit) && !joined_.is_joined(position);
        bool begins = past.may_be_fresh || may_be_again, is_again = !past.may_be_fresh;
        past.from_line = true;
        past.from_other = past.may_be_fresh = false;
        past.seen = begins ? bit : past.seen | bit;
        if (begins && !has_begun) {
            found_.push_back(&position);
            if (is_again) again_.push_back(&position);
        }
        return begins;
    }

    ForwardOrder order_;
    JoinedRows joined_;
    JumpedPast jumped_past_;
    const FunctionPositions& positions_;
    std::vector<Resumption> resumed_;
    const Scope* inlined_;
    const std::string& file_;
    std::uint32_t line_;
    bool has_statements_ = false;
    std::vector<std::uint16_t> columns_;
    std::vector<const CodePosition*> found_, again_;
};

// Who jumps to an address may begin behind where who falls into it does.
std::vector<const CodePosition*> each_address_once(std::vector<const CodePosition*> found) {
    auto address = [](const CodePosition* each) { return each->address; };
    std::ranges::sort(
        found, {}, [](const CodePosition* each) { return std::pair(each->address, each->order); });
    auto rest = std::ranges::unique(found, {}, address);
    found.erase(rest.begin(), rest.end());
    return found;
}

}  // namespace

std::vector<const CodePosition*> statement_begins(const FlowGraph& flow,
                                                  const FunctionPositions& positions,
                                                  const Scope* inlined, const std::string& file,
                                                  std::uint32_t line) {
    auto [found, again] = Search(flow, positions, inlined, file, line).run();
    return each_address_once(std::move(found));
}

std::vector<const CodePosition*> statement_begins_again(const FlowGraph& flow,
                                                        const FunctionPositions& positions,
                                                        const Scope* inlined,
                                                        const std::string& file,
                                                        std::uint32_t line) {
    return each_address_once(Search(flow, positions, inlined, file, line).run().second);
}

}  // namespace lantern
