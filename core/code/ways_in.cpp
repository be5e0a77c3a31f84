#include "core/code/ways_in.h"

#include <algorithm>

#include "core/code/forward_order.h"

namespace lantern {
namespace {

// What may have run before a place.
struct Before {
    // Nothing of the copy, and the last statement was of the code around it, or there was none yet;
    // or of another call that was inlined: one that is over, or shares its code with the copy.
    bool around = false, other = false;
    // The copy, and nothing else since; or then a statement around it.
    bool copy = false, around_again = false;

    void join(Before more) {
        around |= more.around;
        other |= more.other;
        copy |= more.copy;
        around_again |= more.around_again;
    }
    bool is_none() const { return !around && !other && !copy && !around_again; }
    Before behind(bool is_around) const {
        Before next;
        (is_around ? next.around : next.other) = around || other;
        next.copy = copy && !is_around;
        next.around_again = around_again || (copy && is_around);
        return next;
    }
};

class CopyEntrances {
  public:
    CopyEntrances(const FlowGraph& flow, const FunctionPositions& positions, const Scope& copy,
                  const CodePosition& first)
        : order_(flow),
          positions_(positions),
          copy_(copy),
          first_(first),
          is_numbered_(copy.inlined->entry_view.has_value()) {}

    std::vector<FileAddress> run() {
        const auto& all = order_.all();
        std::vector<Before> before(all.size());
        if (!before.empty()) before[0].around = true;
        for (std::size_t i = 0; i < all.size(); ++i) {
            Before here = before[i];
            if (here.is_none()) continue;
            if (order_.is_instruction(all[i])) here = pass(order_.flow().nodes()[all[i]], here);
            if (here.is_none()) continue;
            order_.for_each_next(i, [&](std::size_t next) { before[next].join(here); });
        }
        std::sort(found_.begin(), found_.end());
        return std::move(found_);
    }

  private:
    Before pass(const FlowGraph::Node& node, Before here) {
        bool is_entry = copy_.inlined->entry == node.address, is_new = here.around || here.other;
        for (const CodePosition& position : positions_.at(node.address)) {
            if (!position.is_statement) continue;
            if (!is_within(position.inlined, &copy_)) {
                here = here.behind(is_within(&copy_, position.inlined));
                continue;
            }
            bool is_first = position.line == first_.line && position.column == first_.column;
            bool counts = here.around || (is_new && (is_entry || !is_numbered_));
            if (counts || (here.around_again && is_first)) found_.push_back(node.address);
            return {.copy = true};
        }
        // Filler stands before a loop's head, which is then where each turn's call begins.
        if (is_entry && is_new && !node.is_filler) {
            found_.push_back(node.address);
            return {.copy = true};
        }
        // A table may lead past a statement of the copy that asks what is known already.
        if (order_.flow().targets_of(node) && is_new) here.around = true;
        return here;
    }

    ForwardOrder order_;
    const FunctionPositions& positions_;
    const Scope& copy_;
    const CodePosition& first_;
    bool is_numbered_;  // the compiler says before which row the copy begins
    std::vector<FileAddress> found_;
};

}  // namespace

std::vector<FileAddress> ways_into(const FlowGraph& flow, const FunctionPositions& positions,
                                   const Scope& copy, const CodePosition& first) {
    if (!flow.is_complete()) return {};
    return CopyEntrances(flow, positions, copy, first).run();
}

}  // namespace lantern
