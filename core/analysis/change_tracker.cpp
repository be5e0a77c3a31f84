#include "core/analysis/change_tracker.h"

#include <utility>

namespace lantern {

void ChangeTracker::look_at(std::uint64_t life) {
    if (std::exchange(life_, life) == life) return;
    seen_.clear();
    pins_.clear();
}

std::vector<ValueChange> ChangeTracker::observe(const Frame& frame, const LocalsReport& locals,
                                                std::size_t limit, std::size_t& more) {
    std::vector<ValueChange> changes;
    more = 0;
    if (!frame.call_frame_address || !frame.function) return changes;
    // Frames below this one on the stack have returned: what they held means nothing any more.
    seen_.erase(seen_.begin(), seen_.lower_bound(FrameKey{frame.call_frame_address->value, 0}));
    auto [slot, is_new] =
        seen_.try_emplace(FrameKey{frame.call_frame_address->value, frame.function->entry_offset});
    for (const ValueView& now : locals.variables) {
        if (is_new) break;
        const ValueView* before = nullptr;
        for (const ValueView& old : slot->second)
            if (old.name == now.name && old.declared_line == now.declared_line) before = &old;
        if (!before) continue;
        // A variable that has still not been assigned may hold other garbage now; that is no
        // change.
        if (is_unset(now.assignment) || now.is_moved_away) continue;
        bool was_unset = is_unset(before->assignment);
        // Where only some of the ways here assign it, or only others may have done so, the same
        // bytes most likely mean that nobody did.
        bool is_sure = now.assignment == Assignment::assigned;
        if (was_unset && !is_sure && one_line(*before) == one_line(now)) continue;
        if (was_unset) {
            changes.push_back({now.name, "not set", one_line(now, 80), true});
            continue;
        }
        // Why a value is not there may change from line to line; only that it came or went is news.
        if (!before->unavailable.empty() && !now.unavailable.empty()) continue;
        if (!before->unavailable.empty() || !now.unavailable.empty()) {
            auto text = [](const ValueView& view) {
                return view.unavailable.empty() ? one_line(view, 80) : std::string("no value");
            };
            changes.push_back({now.name, text(*before), text(now), false});
            continue;
        }
        for (ViewChange& change : changes_between(*before, now))
            changes.push_back({change.name, change.before, change.after, false});
    }
    slot->second = locals.variables;
    if (changes.size() > limit) {
        more = changes.size() - limit;
        changes.resize(limit);
    }
    return changes;
}

std::optional<ValueChange> ChangeTracker::observe_pin(unsigned number, const ValueView& view) {
    auto [slot, is_new] = pins_.try_emplace(number, view);
    std::optional<ValueChange> change;
    if (!is_new) {
        std::string before = one_line(slot->second, 80), after = one_line(view, 80);
        if (before != after) change = ValueChange{view.name, before, after, false};
        slot->second = view;
    }
    return change;
}

}  // namespace lantern
