// The breakpoints of a session: kept by place, put into memory as sites while the program runs.
#include <fmt/format.h>

#include <algorithm>

#include "core/expressions/scope_names.h"
#include "core/expressions/syntax.h"
#include "core/session/session.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {

const Breakpoint& Session::add_breakpoint(const Place& place, std::string condition) {
    Breakpoint made;
    made.place = place;
    made.condition = std::move(condition);
    if (!made.condition.empty()) Expression(made.condition, context());
    resolve_breakpoint(made);
    for (Breakpoint& other : breakpoints_) {
        bool same = other.is_on && std::equal(other.sites.begin(), other.sites.end(), made.sites.begin(), made.sites.end(),
                                              [](const auto& a, const auto& b) { return a.address == b.address; });
        if (same) throw RequestError(fmt::format("breakpoint {} already stands there", other.number), fmt::format("drop {} removes it", other.number));
    }
    made.number = next_breakpoint_++;
    breakpoints_.push_back(std::move(made));
    insert_sites(breakpoints_.back());
    return breakpoints_.back();
}

Breakpoint& Session::breakpoint(unsigned number) {
    for (Breakpoint& candidate : breakpoints_)
        if (candidate.number == number) return candidate;
    throw RequestError(fmt::format("there is no breakpoint {}", number), breakpoints_.empty() ? "pause at PLACE sets one" : "breakpoints lists them");
}

void Session::switch_breakpoint(unsigned number, bool on) {
    Breakpoint& chosen = breakpoint(number);
    if (chosen.is_on == on) return;
    chosen.is_on = on;
    if (on) insert_sites(chosen);
    else remove_sites(chosen);
}

void Session::drop_breakpoint(unsigned number) {
    remove_sites(breakpoint(number));
    std::erase_if(breakpoints_, [&](const Breakpoint& b) { return b.number == number; });
}

// A number that was an address in the file, or in the last run, is somewhere else in this one.
void Session::follow_address(Breakpoint& breakpoint) {
    for (Breakpoint::Site& site : breakpoint.sites)
        for (const Module& module : target().modules())
            if (module.path() == site.module) site.address = module.to_run(site.code.address);
}

void Session::resolve_breakpoint(Breakpoint& breakpoint) {
    if (breakpoint.place.kind == Place::Kind::address && !breakpoint.sites.empty()) {
        follow_address(breakpoint);
        return;
    }
    // Only an expression needs a frame. At the start that would be the loader's, whose symbols nobody asked for.
    EvaluationContext where;
    where.target = &target();
    if (breakpoint.place.kind == Place::Kind::address) where = context();
    std::vector<PlaceSite> found = resolve_place(breakpoint.place, where);
    breakpoint.sites.clear();
    for (PlaceSite& site : found) breakpoint.sites.push_back({site.address, site.code, site.module ? site.module->path() : "", false});
    // From now on the very file that was meant, not any other that ends the same.
    bool has_file = !found.empty() && !found.front().code.file.empty();
    if (breakpoint.place.kind == Place::Kind::line && has_file) breakpoint.place.file = found.front().code.file;
}

void Session::insert_sites(Breakpoint& breakpoint) {
    if (!is_running() || !breakpoint.is_on) return;
    for (Breakpoint::Site& site : breakpoint.sites) {
        if (site.inserted) continue;
        process_->insert_trap(site.address);
        site.inserted = true;
    }
}

void Session::remove_sites(Breakpoint& breakpoint) {
    for (Breakpoint::Site& site : breakpoint.sites) {
        if (site.inserted && is_running()) process_->remove_trap(site.address);
        site.inserted = false;
    }
}

// The program has been started anew and stands before its first instruction: places are looked up again. Those in
// libraries wait until the libraries are loaded.
void Session::resolve_all_for_start() {
    for (Breakpoint& breakpoint : breakpoints_) {
        for (Breakpoint::Site& site : breakpoint.sites) site.inserted = false;
        try {
            resolve_breakpoint(breakpoint);
            insert_sites(breakpoint);
        } catch (const Error&) {
            breakpoint.sites.clear();
        }
    }
}

}  // namespace lantern
