#include "core/code/statement_begins.h"

#include <algorithm>

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
        : flow_(flow), positions_(positions), inlined_(inlined), file_(file), line_(line) {
        for (const CodePosition& position : positions.all())
            if (is_of_line(position)) {
                has_statements_ |= position.is_statement;
                columns_.push_back(position.column);
            }
        std::sort(columns_.begin(), columns_.end());
        columns_.erase(std::unique(columns_.begin(), columns_.end()), columns_.end());
    }

    std::vector<const CodePosition*> run() {
        order_nodes();
        std::vector<Past> before(order_.size() + 2);
        std::vector<std::uint32_t> number(flow_.nodes().size() + 2, FlowGraph::kNone);
        for (std::uint32_t i = 0; i < order_.size(); ++i) number[order_[i]] = i;
        before[0] = {0, true, false, true};
        for (std::uint32_t i = 0; i < order_.size(); ++i) {
            Past past = before[i];
            if (!is_hub(order_[i])) pass(flow_.nodes()[order_[i]].address, past);
            for_each_next(order_[i], [&](std::uint32_t next) {
                if (number[next] > i) before[number[next]].join(past);  // backwards is a loop's way
            });
        }
        return found_;
    }

  private:
    // Two places that stand for "any computed jump" and "any call that throws".
    std::uint32_t jump_hub() const { return static_cast<std::uint32_t>(flow_.nodes().size()); }
    std::uint32_t throw_hub() const { return jump_hub() + 1; }
    bool is_hub(std::uint32_t node) const { return node >= jump_hub(); }

    bool is_of_line(const CodePosition& position) const {
        return position.inlined == inlined_ && position.is_on(file_, line_);
    }

    template <class Visit>
    void for_each_next(std::uint32_t node, Visit visit) const {
        if (node == jump_hub()) {
            for (std::uint32_t target : flow_.computed_targets()) visit(target);
            for (std::uint32_t target : flow_.landings()) visit(target);
            return;
        }
        if (node == throw_hub()) {
            for (std::uint32_t target : flow_.landings()) visit(target);
            return;
        }
        const FlowGraph::Node& facts = flow_.nodes()[node];
        if (facts.branch != FlowGraph::kNone) visit(facts.branch);
        if (facts.next != FlowGraph::kNone) visit(facts.next);
        if (facts.is_jump() && facts.is_computed) visit(jump_hub());
        if (facts.kind == Instruction::Kind::call && !flow_.landings().empty()) visit(throw_hub());
    }

    // Each place behind all those that lead to it, loops' ways back left out.
    void order_nodes() {
        enum class Mark : std::uint8_t { fresh, open, done };
        std::vector<Mark> marks(flow_.nodes().size() + 2, Mark::fresh);
        struct Open {
            std::uint32_t node;
            std::vector<std::uint32_t> next;
        };
        std::vector<Open> open;
        auto enter = [&](std::uint32_t node) {
            marks[node] = Mark::open;
            open.push_back({node, {}});
            for_each_next(node, [&](std::uint32_t next) { open.back().next.push_back(next); });
        };
        std::uint32_t entry = flow_.entry();
        if (entry == FlowGraph::kNone) return;
        enter(entry);
        while (!open.empty()) {
            if (open.back().next.empty()) {
                marks[open.back().node] = Mark::done;
                order_.push_back(open.back().node);
                open.pop_back();
                continue;
            }
            std::uint32_t next = open.back().next.back();
            open.back().next.pop_back();
            if (marks[next] == Mark::fresh) enter(next);
        }
        std::reverse(order_.begin(), order_.end());
    }

    void pass(FileAddress address, Past& past) {
        bool has_begun = false;
        for (const CodePosition& position : positions_.at(address)) {
            if (!is_within(position.inlined, inlined_)) {
                if (position.is_statement)
                    past = {0, true, false, true};  // the inlined copy has been left
                continue;
            }
            if (position.inlined != inlined_ || position.line == 0) continue;
            if (is_of_line(position))
                has_begun |= pass_line(position, past, has_begun);
            else if (position.is_statement)
                past.from_line = false, past.from_other = true;
        }
    }

    // True if a pass begins here.
    bool pass_line(const CodePosition& position, Past& past, bool has_begun) {
        std::size_t column = static_cast<std::size_t>(
            std::lower_bound(columns_.begin(), columns_.end(), position.column) - columns_.begin());
        std::uint64_t bit = std::uint64_t{1} << std::min<std::size_t>(column, 63);
        bool may_begin = past.from_other && (position.is_statement || !has_statements_);
        if (!may_begin) {
            if (past.from_line) past.seen |= bit;
            return false;
        }
        bool begins = past.may_be_fresh || (past.seen & bit);
        past.from_line = true;
        past.from_other = past.may_be_fresh = false;
        past.seen = begins ? bit : past.seen | bit;
        if (begins && !has_begun) found_.push_back(&position);
        return begins;
    }

    const FlowGraph& flow_;
    const FunctionPositions& positions_;
    const Scope* inlined_;
    const std::string& file_;
    std::uint32_t line_;
    bool has_statements_ = false;
    std::vector<std::uint16_t> columns_;
    std::vector<std::uint32_t> order_;
    std::vector<const CodePosition*> found_;
};

}  // namespace

std::vector<const CodePosition*> statement_begins(const FlowGraph& flow,
                                                  const FunctionPositions& positions,
                                                  const Scope* inlined, const std::string& file,
                                                  std::uint32_t line) {
    std::vector<const CodePosition*> found = Search(flow, positions, inlined, file, line).run();
    std::sort(found.begin(), found.end(),
              [](const CodePosition* a, const CodePosition* b) { return a->address < b->address; });
    return found;
}

}  // namespace lantern
