// Which of the visible values are not what they were when this frame was last looked at.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/analysis/locals_report.h"

namespace lantern {

struct ValueChange {
    std::string name, before, after;
    bool was_unset = false;  // nothing had assigned it at the last stop
};

class ChangeTracker {
  public:
    // In another life of the program than at the look before what was seen is forgotten (see
    // Moment::life).
    void look_at(std::uint64_t life);
    // Compares the frame's variables with those of the last stop in the same frame, and remembers
    // them. The first look at a frame finds no changes. `more` counts those beyond `limit`.
    std::vector<ValueChange> observe(const Frame& frame, const LocalsReport& locals,
                                     std::size_t limit, std::size_t& more);
    // Expressions that are pinned; compared by their own text.
    std::optional<ValueChange> observe_pin(unsigned number, const ValueView& view);

  private:
    std::uint64_t life_ = 0;
    struct FrameKey {
        std::uint64_t frame_address, function;
        auto operator<=>(const FrameKey&) const = default;
    };
    std::map<FrameKey, std::vector<ValueView>> seen_;
    std::map<unsigned, ValueView> pins_;
};

}  // namespace lantern
