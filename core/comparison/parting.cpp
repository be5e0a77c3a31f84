#include "core/comparison/parting.h"

#include <algorithm>

#include "core/comparison/pace.h"
#include "core/comparison/written_lines.h"

namespace lantern {
namespace {

using Threads = std::map<std::uint16_t, PacedThread>;

Threads threads_of(const Walk& walk, unsigned side, CallSites* sites, ParallelCounts& counts) {
    return paced_threads(walk, [&](const WalkEvent& entry) {
        Likeness likeness = sites ? sites->likeness(side, entry) : Likeness::surely;
        counts.passed_over[side] += likeness == Likeness::not_at_all;
        return likeness;
    });
}

// The same entry with the same values begins both.
bool begin_alike(const std::array<const Walk*, 2>& walks, const PacedThread& first,
                 const PacedThread& second) {
    if (first.events.empty() || second.events.empty()) return false;
    const WalkEvent &one = walks[0]->events[first.events[0]],
                    &other = walks[1]->events[second.events[0]];
    if (one.kind != other.kind || one.function != other.function) return false;
    auto values = walks[0]->values_of(one), others = walks[1]->values_of(other);
    return std::ranges::equal(values, others, [&](const WalkValue& a, const WalkValue& b) {
        return agree(*walks[0], a, *walks[1], b);
    });
}

// By number; where two threads have begun the other way round, by how they begin.
std::vector<std::pair<const PacedThread*, const PacedThread*>> pair_threads(
    const std::array<const Walk*, 2>& walks, const Threads& first, const Threads& second,
    ParallelCounts& counts) {
    std::vector<std::pair<const PacedThread*, const PacedThread*>> pairs;
    std::map<std::uint16_t, const PacedThread*> left;
    for (const auto& [number, thread] : second) left[number] = &thread;
    for (const auto& each_of_first : first) {
        const auto& number = each_of_first.first;
        const auto& thread = each_of_first.second;
        auto same = left.find(number);
        if (same == left.end() || !begin_alike(walks, thread, *same->second)) {
            auto alike = std::ranges::find_if(left, [&](const auto& each) {
                return number != 1 && begin_alike(walks, thread, *each.second);
            });
            if (alike != left.end()) {
                counts.threads_in_other_order = true;
                same = alike;
            }
        }
        if (same == left.end()) continue;
        pairs.emplace_back(&thread, same->second);
        left.erase(same);
    }
    counts.lonely_threads = first.size() - pairs.size() + left.size();
    return pairs;
}

void count(Unsteadiness why, ParallelCounts& counts) {
    if (why == Unsteadiness::address) ++counts.by_address;
    if (why == Unsteadiness::run) ++counts.by_run;
    if (why == Unsteadiness::unset) ++counts.by_unset;
}

class Finder {
  public:
    Finder(const std::array<const Walk*, 2>& walks, const std::array<const Unsteady*, 2>& unsteady,
           Partings& found)
        : walks_(walks), unsteady_(unsteady), found_(found) {}

    bool value(Pace::Both events, std::uint32_t value, Pace::Both before) {
        const WalkEvent& first = walks_[0]->events[events[0]];
        bool is_end = first.kind == WalkEvent::Kind::end;
        Parting parting;
        parting.kind = is_end ? Parting::Kind::end : Parting::Kind::value;
        parting.value = value;
        Slot slot{first.function, first.kind, value};
        // What nothing has set may be anything, an address too: that comes first.
        for (unsigned side : {0u, 1u}) {
            const WalkEvent& event = walks_[side]->events[events[side]];
            if (!unsteady_[side] || !unsteady_[side]->is_unset(event.first_value + value)) continue;
            if (walks_[side]->values_of(event)[value].is_read_through) {
                ++counts().by_unset;
                return false;
            }
            parting.unsteady = Unsteadiness::unset;
            parting.unsteady_side = side;
        }
        bool may_differ_by_itself = parting.unsteady == Unsteadiness::none && !is_end;
        for (const Unsteady* each : unsteady_) {
            if (!each || !may_differ_by_itself) continue;
            if (Unsteadiness why = each->of(slot); why != Unsteadiness::none) {
                count(why, counts());
                return false;
            }
        }
        take(parting, events, before);
        return true;
    }

    bool path(Pace::Both events, Pace::Both before, std::optional<std::uint32_t> inside) {
        Parting parting;
        bool ends = walks_[0]->events[events[0]].kind == WalkEvent::Kind::end ||
                    walks_[1]->events[events[1]].kind == WalkEvent::Kind::end;
        parting.kind = ends ? Parting::Kind::end : Parting::Kind::path;
        for (unsigned side : {0u, 1u}) {
            if (!unsteady_[side]) continue;
            if (inside && unsteady_[side]->functions.contains(*inside)) {
                ++counts().other_ways;
                return false;
            }
            if (events[side] != unsteady_[side]->unset_way_at) continue;
            parting.unsteady = Unsteadiness::unset;
            parting.unsteady_side = side;
        }
        take(parting, events, before);
        return ends;
    }

    // Where a way has led past the ends.
    void ends() {
        if (!walks_[0]->is_whole || !walks_[1]->is_whole) return;
        if (found_.first_value.kind != Parting::Kind::none) return;
        const WalkEvent &one = walks_[0]->events.back(), &other = walks_[1]->events.back();
        bool is_same =
            one.function == other.function && agree(*walks_[0], walks_[0]->values_of(one)[0],
                                                    *walks_[1], walks_[1]->values_of(other)[0]);
        if (is_same) return;
        Parting parting;
        parting.kind = Parting::Kind::end;
        Pace::Both last{static_cast<std::uint32_t>(walks_[0]->events.size() - 1),
                        static_cast<std::uint32_t>(walks_[1]->events.size() - 1)};
        take(parting, last, last);
    }

    void lines() {
        auto first = written_lines(*walks_[0]), second = written_lines(*walks_[1]);
        for (const auto& [descriptor, lines] : second) first[descriptor];  // perhaps nothing in A
        for (auto& [descriptor, of_first] : first) {
            auto& of_second = second[descriptor];
            std::size_t both = std::min(of_first.size(), of_second.size());
            for (std::size_t i = 0; i < both; ++i) {
                if (of_first[i].text == of_second[i].text) continue;
                bool is_unfinished = !(walks_[0]->is_whole && walks_[1]->is_whole) && i + 1 == both;
                if (is_unfinished || is_unsteady(descriptor, i)) continue;
                return take_line(descriptor, i, of_first[i], of_second[i]);
            }
            bool are_whole = walks_[0]->is_whole && walks_[1]->is_whole;
            if (!are_whole || of_first.size() == of_second.size() || is_unsteady(descriptor, both))
                continue;
            WrittenLine nothing{"", static_cast<std::uint32_t>(walks_[0]->events.size() - 1)},
                nothing_either{"", static_cast<std::uint32_t>(walks_[1]->events.size() - 1)};
            return take_line(descriptor, both, both < of_first.size() ? of_first[both] : nothing,
                             both < of_second.size() ? of_second[both] : nothing_either);
        }
    }

  private:
    // Of a line that differs; counted where it does so by itself.
    bool is_unsteady(std::uint64_t descriptor, std::size_t line) {
        for (const Unsteady* each : unsteady_) {
            if (!each || !each->lines.contains(descriptor)) continue;
            Unsteadiness why = each->lines.at(descriptor).of(line);
            if (why != Unsteadiness::run && why != Unsteadiness::address) continue;
            ++counts().lines;
            return true;
        }
        return false;
    }

    std::optional<unsigned> unset_side(std::uint64_t descriptor, std::size_t line) const {
        for (unsigned side : {0u, 1u}) {
            const Unsteady* each = unsteady_[side];
            if (each && each->lines.contains(descriptor) &&
                each->lines.at(descriptor).of(line) == Unsteadiness::unset)
                return side;
        }
        return std::nullopt;
    }

    void take_line(std::uint64_t descriptor, std::size_t line, const WrittenLine& first,
                   const WrittenLine& second) {
        Parting parting;
        parting.kind = Parting::Kind::written;
        parting.descriptor = descriptor;
        parting.line = line + 1;
        parting.lines = {first.text, second.text};
        if (auto side = unset_side(descriptor, line)) {
            parting.unsteady = Unsteadiness::unset;
            parting.unsteady_side = *side;
        }
        take(parting, {first.event, second.event}, {first.event, second.event});
    }

    // From where on two ways are not the same: of a way, behind the last event that was.
    static Pace::Both begin_of(const Parting& parting) {
        bool is_way = parting.kind == Parting::Kind::path || parting.kind == Parting::Kind::end;
        return is_way ? parting.before : parting.event;
    }

    ParallelCounts& counts() { return found_.first.counts; }

    // The earlier one of two.
    void take(Parting parting, Pace::Both events, Pace::Both before) {
        parting.event = events;
        parting.before = before;
        parting.matched = counts().matched;
        bool is_way = parting.kind == Parting::Kind::path;
        for (Parting* each : {&found_.first, &found_.first_value}) {
            if (is_way && each == &found_.first_value) continue;
            if (each->kind != Parting::Kind::none && begin_of(parting) >= begin_of(*each)) continue;
            ParallelCounts kept = each->counts;
            *each = parting;
            each->counts = kept;
        }
    }

    std::array<const Walk*, 2> walks_;
    std::array<const Unsteady*, 2> unsteady_;
    Partings& found_;
};

// The thread that is asked for may have another number in each walk: it is each one's first here.
void keep_only(Threads& threads, unsigned number) {
    auto wanted = threads.extract(static_cast<std::uint16_t>(number));
    threads.clear();
    if (!wanted) return;
    wanted.key() = 1;
    threads.insert(std::move(wanted));
}

}  // namespace

Partings find_parting(const std::array<const Walk*, 2>& walks, CallSites* sites,
                      const std::array<const Unsteady*, 2>& unsteady, const std::string& thread) {
    Partings found;
    ParallelCounts& counts = found.first.counts;
    Threads first = threads_of(*walks[0], 0, sites, counts),
            second = threads_of(*walks[1], 1, sites, counts);
    if (!thread.empty()) {
        keep_only(first, walks[0]->thread_called(thread));
        keep_only(second, walks[1]->thread_called(thread));
    }
    Finder finder(walks, unsteady, found);
    for (auto [one, other] : pair_threads(walks, first, second, counts)) {
        Pace pace(walks, counts);
        pace.differs = [&](Pace::Both events, std::uint32_t value) {
            return finder.value(events, value, pace.last_same());
        };
        pace.parts = [&](Pace::Both events, std::optional<std::uint32_t> inside) {
            return finder.path(events, pace.last_same(), inside);
        };
        if (sites)
            pace.has_no_effect = [&](std::uint32_t function) {
                return sites->has_no_effect(function);
            };
        pace.go(*one, *other);
    }
    finder.lines();
    finder.ends();
    bool are_whole = walks[0]->is_whole && walks[1]->is_whole;
    found.first.heals = found.first.kind == Parting::Kind::path && are_whole &&
                        found.first_value.kind == Parting::Kind::none;
    return found;
}

void mark_unsteady(const Walk& walk, const Walk& again, unsigned side, CallSites* sites,
                   Unsteadiness why, Unsteady& unsteady) {
    unsteady.unset.resize(walk.values.size());
    if (why == Unsteadiness::unset && unsteady.differs_by_run()) return;
    std::array<const Walk*, 2> walks{&walk, &again};
    ParallelCounts counts;
    Threads first = threads_of(walk, side, sites, counts),
            second = threads_of(again, side, sites, counts);
    for (auto [one, other] : pair_threads(walks, first, second, counts)) {
        Pace pace(walks, counts);
        pace.differs = [&](Pace::Both events, std::uint32_t value) {
            const WalkEvent& event = walk.events[events[0]];
            if (why == Unsteadiness::unset)
                unsteady.unset[event.first_value + value] = true;
            else
                unsteady.slots.try_emplace(Slot{event.function, event.kind, value}, why);
            return false;
        };
        pace.parts = [&](Pace::Both events, std::optional<std::uint32_t> inside) {
            if (why == Unsteadiness::unset) {
                unsteady.unset_way_at = std::min(unsteady.unset_way_at, events[0]);
                return true;
            }
            if (inside) unsteady.functions.try_emplace(*inside, why);
            return false;
        };
        pace.go(*one, *other);
    }
    auto lines = written_lines(walk), lines_again = written_lines(again);
    for (const auto& [descriptor, of] : lines_again) lines[descriptor];
    for (auto& [descriptor, of] : lines) {
        auto& of_again = lines_again[descriptor];
        std::size_t both = std::min(of.size(), of_again.size());
        for (std::size_t i = 0; i < both; ++i)
            if (of[i].text != of_again[i].text) unsteady.lines[descriptor].each.emplace(i, why);
        Unsteady::Lines& marks = unsteady.lines[descriptor];
        if (of.size() == of_again.size() || both >= marks.all_from) continue;
        marks.all_from = both;
        marks.all_why = why;
    }
}

}  // namespace lantern
