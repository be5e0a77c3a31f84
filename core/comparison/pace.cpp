#include "core/comparison/pace.h"

#include <bit>
#include <cmath>
#include <unordered_map>
#include <unordered_set>

namespace lantern {
namespace {

constexpr int kDeepestOrder = 64;          // calls in another order, in one another
constexpr unsigned kMostSkipped = 10'000;  // calls without effect, one after another

bool is_nan(std::uint64_t bits) {
    return std::isnan(std::bit_cast<double>(bits));
}

}  // namespace

bool agree(const Walk& first, const WalkValue& one, const Walk& second, const WalkValue& other) {
    if (one.kind != other.kind) return true;
    switch (one.kind) {
        case WalkValue::Kind::none: return true;
        case WalkValue::Kind::number: return one.bits == other.bits;
        case WalkValue::Kind::real:
            return one.bits == other.bits || (is_nan(one.bits) && is_nan(other.bits));
        case WalkValue::Kind::address: return !one.bits == !other.bits;
        case WalkValue::Kind::text: return first.texts[one.text] == second.texts[other.text];
    }
    return true;
}

std::map<std::uint16_t, PacedThread> paced_threads(
    const Walk& walk, const std::function<Likeness(const WalkEvent& entry)>& likeness) {
    std::map<std::uint16_t, PacedThread> threads;
    std::unordered_map<std::uint32_t, std::uint32_t> places;  // of entries, by event
    for (std::uint32_t i = 0; i < walk.events.size(); ++i) {
        const WalkEvent& event = walk.events[i];
        if (event.kind == WalkEvent::Kind::written || event.kind == WalkEvent::Kind::named)
            continue;
        PacedThread& thread =
            threads[event.kind == WalkEvent::Kind::end ? std::uint16_t{1} : event.thread];
        auto place = static_cast<std::uint32_t>(thread.events.size());
        bool may_be_alone = false;
        if (event.kind == WalkEvent::Kind::entry) {
            Likeness is = likeness(event);
            if (is == Likeness::not_at_all) continue;
            may_be_alone = is == Likeness::perhaps;
            places[i] = place;
        } else if (event.is_call()) {
            auto entry = places.find(event.call);
            if (entry == places.end()) continue;
            may_be_alone = thread.may_be_alone[entry->second];
            thread.ends[entry->second] = place;
            places.erase(entry);
        }
        thread.events.push_back(i);
        thread.ends.push_back(place);
        thread.may_be_alone.push_back(may_be_alone);
    }
    return threads;
}

bool Pace::are_same(std::size_t first, std::size_t second) const {
    const WalkEvent &one = event(0, first), &other = event(1, second);
    return one.kind == other.kind &&
           (one.kind == WalkEvent::Kind::end || one.function == other.function);
}

// Nothing speaks against their being the same call, and some value for it.
bool Pace::are_alike(std::size_t first, std::size_t second) const {
    auto values = walks_[0]->values_of(event(0, first)),
         others = walks_[1]->values_of(event(1, second));
    bool has_any = false;
    for (std::size_t i = 0; i < std::min(values.size(), others.size()); ++i) {
        if (!agree(*walks_[0], values[i], *walks_[1], others[i])) return false;
        has_any |= values[i].kind != WalkValue::Kind::none && values[i].kind == others[i].kind;
    }
    return has_any || values.empty();
}

// Where one is a call that need not be one in the other build, and does not look like its like.
bool Pace::skip_lonely(Range& first, Range& second) {
    bool are_calls_of_one = are_same(first.at, second.at) && are_alike(first.at, second.at);
    if (are_calls_of_one) return false;
    for (unsigned side : {0u, 1u}) {
        Range& range = side ? second : first;
        bool is_lonely = threads_[side]->may_be_alone[range.at] &&
                         event(side, range.at).kind == WalkEvent::Kind::entry;
        if (!is_lonely) continue;
        lonely_ends_[side].insert(threads_[side]->ends[range.at]);
        ++range.at;
        ++counts_.passed_over[side];
        return true;
    }
    return false;
}

bool Pace::compare(std::size_t first, std::size_t second) {
    const WalkEvent &one = event(0, first), &other = event(1, second);
    Both here{threads_[0]->events[first], threads_[1]->events[second]};
    if (one.kind == WalkEvent::Kind::entry) {
        ++counts_.matched;
        std::size_t end = threads_[0]->ends[first], other_end = threads_[1]->ends[second];
        if (end > first && other_end > second) open_.push_back({one.function, end, other_end});
    }
    while (!open_.empty() && open_.back().first <= first) open_.pop_back();
    // What may be two different calls is no ground for a difference.
    if (threads_[0]->may_be_alone[first] || threads_[1]->may_be_alone[second]) {
        last_ = here;
        return false;
    }
    auto values = walks_[0]->values_of(one), others = walks_[1]->values_of(other);
    if (one.kind == WalkEvent::Kind::end && one.function != other.function) return differs(here, 0);
    for (std::uint32_t i = 0; i < std::min(values.size(), others.size()); ++i)
        if (!agree(*walks_[0], values[i], *walks_[1], others[i]) && differs(here, i)) return true;
    last_ = here;
    return false;
}

// Of functions without effect a compiler may make fewer calls than the source does.
bool Pace::skip_calls(Range& first, Range& second) {
    if (!has_no_effect) return false;
    for (unsigned side : {0u, 1u}) {
        Range& range = side ? second : first;
        const Range& other = side ? first : second;
        Range tried = range;
        for (unsigned skipped = 0; skipped < kMostSkipped && tried.at < tried.end; ++skipped) {
            const WalkEvent& here = event(side, tried.at);
            std::size_t end = threads_[side]->ends[tried.at];
            bool may_be_skipped = here.kind == WalkEvent::Kind::entry && end > tried.at &&
                                  has_no_effect(here.function);
            if (!may_be_skipped) break;
            tried.at = end + 1;
            bool fits = tried.at == tried.end || other.at == other.end
                            ? tried.at == tried.end && other.at == other.end
                            : (side ? are_same(other.at, tried.at) : are_same(tried.at, other.at));
            if (!fits) continue;
            range = tried;
            counts_.fewer += skipped + 1;
            return true;
        }
    }
    return false;
}

// Two calls that follow each other the other way round: the language leaves their order open.
bool Pace::cross(Range& first, Range& second, int depth) {
    if (depth > kDeepestOrder || event(0, first.at).kind != WalkEvent::Kind::entry ||
        event(1, second.at).kind != WalkEvent::Kind::entry)
        return false;
    std::size_t end = threads_[0]->ends[first.at] + 1, other_end = threads_[1]->ends[second.at] + 1;
    bool is_crossed = end > first.at + 1 && other_end > second.at + 1 && end < first.end &&
                      other_end < second.end && are_same(end, second.at) &&
                      are_same(first.at, other_end) && threads_[0]->ends[end] > end &&
                      threads_[1]->ends[other_end] > other_end;
    if (!is_crossed) return false;
    ++counts_.other_order;
    Both here{threads_[0]->events[first.at], threads_[1]->events[second.at]};
    if (!counts_.first_other_order) counts_.first_other_order = here;
    return true;
}

// True: it is to go no further.
bool Pace::part(Range& first, Range& second) {
    while (!open_.empty() && (open_.back().first < first.at || open_.back().second < second.at))
        open_.pop_back();
    auto inside = open_.empty() ? std::nullopt : std::optional(open_.back().function);
    auto at = [&](unsigned side, const Range& range) {
        return threads_[side]->events[range.at < range.end ? range.at : range.end - 1];
    };
    if (!first.end || !second.end || parts({at(0, first), at(1, second)}, inside)) return true;
    if (open_.empty() || open_.back().first >= first.end || open_.back().second >= second.end)
        return true;
    // They end otherwise: one returns, the other is left.
    bool are_at_its_ends = first.at == open_.back().first && second.at == open_.back().second;
    first.at = open_.back().first + are_at_its_ends;
    second.at = open_.back().second + are_at_its_ends;
    return false;
}

// True: it is to go no further.
bool Pace::go_ranges(Range first, Range second, int depth) {
    while (first.at < first.end && second.at < second.end) {
        bool is_past_end = false;
        for (Range* range : {&first, &second})
            if (lonely_ends_[range == &second].erase(range->at)) {
                ++range->at;
                is_past_end = true;
            }
        if (is_past_end || skip_lonely(first, second)) continue;
        if (are_same(first.at, second.at)) {
            if (compare(first.at++, second.at++)) return true;
            continue;
        }
        if (!cross(first, second, depth)) {
            if (skip_calls(first, second)) continue;
            if (part(first, second)) return true;
            continue;
        }
        std::size_t end = threads_[0]->ends[first.at] + 1,
                    other_end = threads_[1]->ends[second.at] + 1;
        std::size_t last = threads_[0]->ends[end] + 1,
                    other_last = threads_[1]->ends[other_end] + 1;
        if (go_ranges({first.at, end}, {other_end, other_last}, depth + 1) ||
            go_ranges({end, last}, {second.at, other_end}, depth + 1))
            return true;
        first.at = last;
        second.at = other_last;
    }
    if (first.at == first.end && second.at == second.end) return false;
    if (skip_calls(first, second) && first.at == first.end && second.at == second.end) return false;
    bool is_whole = depth > 0 || (walks_[0]->is_whole && walks_[1]->is_whole);
    if (is_whole) part(first, second);
    return true;
}

void Pace::go(const PacedThread& first, const PacedThread& second) {
    threads_ = {&first, &second};
    lonely_ends_ = {};
    go_ranges({0, first.events.size()}, {0, second.events.size()}, 0);
}

}  // namespace lantern
