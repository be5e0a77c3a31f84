#include "core/session/breakpoint_set.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/support/error.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

constexpr int kLastOrder = 1 << 16;

bool same_sites(const Breakpoint& a, const Breakpoint& b) {
    return std::equal(a.sites.begin(), a.sites.end(), b.sites.begin(), b.sites.end(),
                      [](const Breakpoint::Site& x, const Breakpoint::Site& y) {
                          return x.address == y.address && x.code.line == y.code.line &&
                                 x.code.function == y.code.function;
                      });
}

}  // namespace

Breakpoint& BreakpointSet::add(Breakpoint wish) {
    if (!wish.number) wish.number = next_;
    pass_over(wish.number);
    return all_.emplace_back(std::move(wish));
}

void BreakpointSet::pass_over(unsigned number) {
    next_ = std::max(next_, number + 1);
}

void BreakpointSet::inherit(const BreakpointSet& parent) {
    for (Breakpoint each : parent.all_) {
        for (Breakpoint::Site& site : each.sites) site.inserted = false;
        each.read = {};
        if (each.watched) {
            each.watched = std::make_shared<WatchedValue>(*each.watched);
            each.watched->debug_registers.clear();
            each.watched->by_pages = false;
        }
        add(std::move(each));
    }
    next_ = parent.next_;
}

Breakpoint& BreakpointSet::numbered(unsigned number) {
    for (Breakpoint& candidate : all_)
        if (candidate.number == number) return candidate;
    throw RequestError(fmt::format("there is no breakpoint {}", number),
                       all_.empty() ? Next::set_breakpoint : Next::list_breakpoints);
}

bool BreakpointSet::has(unsigned number) const {
    return std::ranges::any_of(all_,
                               [number](const Breakpoint& each) { return each.number == number; });
}

void BreakpointSet::erase(unsigned number) {
    all_.remove_if([number](const Breakpoint& breakpoint) { return breakpoint.number == number; });
}

std::vector<unsigned> BreakpointSet::others_at(const Breakpoint& wanted) const {
    std::vector<unsigned> numbers;
    for (const Breakpoint& other : all_)
        if (other.number != wanted.number && other.cause == wanted.cause && !wanted.sites.empty() &&
            same_sites(other, wanted))
            numbers.push_back(other.number);
    return numbers;
}

bool BreakpointSet::is_any_watched_by_registers() const {
    return std::ranges::any_of(all_, [](const Breakpoint& each) {
        return each.is_watch() && each.is_on && each.watched &&
               !each.watched->debug_registers.empty();
    });
}

bool BreakpointSet::is_any_on(Cause cause) const {
    return std::ranges::any_of(all_, [cause](const Breakpoint& breakpoint) {
        return breakpoint.is_on && breakpoint.cause == cause;
    });
}

std::vector<BreakpointSet::SiteHere> BreakpointSet::at(RunAddress address) const {
    auto found = at_address_.find(address);
    return found == at_address_.end() ? std::vector<SiteHere>() : found->second;
}

void BreakpointSet::insert_sites(Breakpoint& breakpoint, LiveProcess& process) {
    if (!breakpoint.is_on) return;
    for (Breakpoint::Site& site : breakpoint.sites) {
        if (site.inserted) continue;
        process.insert_trap(site.address);
        site.inserted = true;
        SiteHere here{&breakpoint, site.code.position,
                      site.code.position ? site.code.position->order : kLastOrder,
                      site.code.is_split_off ? site.code.function : "", site.jumps_past};
        for (const Breakpoint::Site::Jump& jump : site.jumps_past) {
            process.insert_trap(jump.from);
            ++jumps_past_[jump.from];
        }
        auto& all = at_address_[site.address];
        all.insert(std::upper_bound(
                       all.begin(), all.end(), here,
                       [](const SiteHere& a, const SiteHere& b) { return a.order < b.order; }),
                   here);
    }
}

void BreakpointSet::remove_sites(Breakpoint& breakpoint, LiveProcess* process) {
    for (Breakpoint::Site& site : breakpoint.sites) {
        if (!site.inserted) continue;
        if (process) process->remove_trap(site.address);
        for (const Breakpoint::Site::Jump& jump : site.jumps_past) {
            if (process) process->remove_trap(jump.from);
            if (--jumps_past_[jump.from] == 0) jumps_past_.erase(jump.from);
        }
        std::erase_if(at_address_[site.address],
                      [&](const SiteHere& here) { return here.breakpoint == &breakpoint; });
        site.inserted = false;
    }
}

void BreakpointSet::forget_sites() {
    for (Breakpoint& breakpoint : all_) {
        for (Breakpoint::Site& site : breakpoint.sites) site.inserted = false;
        if (!breakpoint.is_watch()) continue;
        breakpoint.is_on = breakpoint.is_on && breakpoint.watched->is_of_program;
        breakpoint.watched->has_ended = !breakpoint.watched->is_of_program;
        breakpoint.watched->forget_process();
    }
    at_address_.clear();
    jumps_past_.clear();
}

}  // namespace lantern
