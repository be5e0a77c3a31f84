#include "core/session/breakpoint_sites.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/code/kept_code.h"
#include "core/expressions/scope_names.h"
#include "core/expressions/syntax.h"
#include "core/runtime/c_library.h"
#include "core/session/events.h"
#include "core/session/heap_asked.h"
#include "core/session/heap_guards.h"
#include "core/session/jump_arrival.h"
#include "core/session/parts.h"
#include "core/session/runtime_symbol.h"
#include "core/session/site_scope.h"
#include "core/session/watching.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/code_query.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

// A function that two units describe has its inlined copies twice; a pass through one of them is
// one.
bool is_one_pass(const Breakpoint::Site& a, const PlaceSite& b) {
    if (a.address != b.address || a.code.line != b.code.line || a.code.function != b.code.function)
        return false;
    return !a.code.position || !b.code.position ||
           a.code.position->inlined == b.code.position->inlined;
}

// The beginning of a function that only the linker's symbols know, in each module that has it.
std::vector<Breakpoint::Site> sites_of_symbol(Target& target, std::string_view name) {
    std::vector<Breakpoint::Site> sites;
    for (const Module& module : target.modules()) {
        const ElfSymbol* symbol = runtime_symbol(module.symbols(), name);
        if (!symbol) continue;
        Breakpoint::Site site;
        site.address = module.to_run(symbol->address);
        site.code.address = symbol->address;
        site.code.function = std::string(name);
        site.module = module.path();
        sites.push_back(std::move(site));
    }
    return sites;
}

// What the jumps meet of the line that do not meet the site itself as it stands there.
std::vector<Breakpoint::Site::Jump> jumps_past(const Module& module, const CodeSite& site,
                                               SourceFiles& sources) {
    std::vector<Breakpoint::Site::Jump> jumps;
    const ModuleSymbols& symbols = module.symbols();
    const Function* function = site.position ? symbols.function_at(site.address) : nullptr;
    if (!function) return jumps;
    const FunctionPositions& positions = symbols.positions_of(*function);
    auto here = positions.at(site.address);
    if (here.empty() || here.back().order == site.position->order) return jumps;
    const JumpedPast& past = kept_code(symbols, *function).jumped_past();
    JumpArrival arrival(past, positions, sources);
    for (const JumpedPast::Jump& jump : past.to(site.address)) {
        if (jump.first <= site.position->order) continue;
        int first = std::max(arrival.first_met(jump.from, site.address), site.position->order);
        auto met = std::ranges::find_if(here, [&](const CodePosition& each) {
            return each.order >= first && each.is_statement && each.file &&
                   each.inlined == site.position->inlined && each.is_on(site.file, site.line);
        });
        jumps.push_back(
            {module.to_run(jump.from),
             met == here.end() ? std::nullopt : std::optional(arrival.as_met(*met, jump.from))});
    }
    return jumps;
}

// Which of the stretches of code that the compiler made of the line each site stands in.
void number_blocks(Target& target, Breakpoint& breakpoint) {
    for (const Module& module : target.modules()) {
        std::vector<LineBlock> blocks;
        for (Breakpoint::Site& site : breakpoint.sites) {
            if (site.module != module.path()) continue;
            if (blocks.empty())
                blocks = blocks_of_line(module.symbols(), site.code.file, site.code.line);
            for (std::size_t i = 0; i < blocks.size(); ++i)
                if (blocks[i].range.contains(site.code.address)) {
                    site.block = static_cast<unsigned>(i + 1);
                    site.blocks = static_cast<unsigned>(blocks.size());
                }
        }
    }
}

}  // namespace

std::string_view touched_word(Touched touched) {
    static constexpr std::string_view kWords[] = {"changed", "written-again", "read", "unsure"};
    return kWords[static_cast<std::size_t>(touched)];
}

std::string_view cause_word(Cause cause) {
    static constexpr std::string_view kWords[] = {
        "place",        "write",      "access", "read",    "throw", "catch",
        "panic",        "signal",     "load",   "unload",  "fork",  "exec",
        "thread-start", "thread-end", "exit",   "syscall", "heap",  "sanitizer"};
    return kWords[static_cast<std::size_t>(cause)];
}

// Before the program runs, only what lies in it from the start has an address.
void BreakpointSites::require_of_program(Breakpoint& wish) {
    Value value = evaluate(wish.subject, parts_.moment().context());
    if (!value.address || !parts_.debuggee.target().module_at(*value.address))
        throw RequestError(fmt::format("{} has no address before the program runs", wish.subject),
                           Next::launch_and_stop_in_scope);
    wish.watched->is_of_program = true;
}

const Breakpoint& BreakpointSites::add(Breakpoint wish, bool may_wait) {
    Debuggee& debuggee = parts_.debuggee;
    if (wish.is_watch()) {
        if (debuggee.core()) debuggee.process();  // refuses
        if (debuggee.is_moving())
            throw RequestError("a watchpoint is set while the program stands", Next::pause);
        if (!wish.watched) wish.watched = std::make_shared<WatchedValue>();
        if (debuggee.is_running())
            Watching(parts_).start(wish);
        else
            require_of_program(wish);
    }
    if (wish.has_sites()) {
        try {
            resolve(wish);
        } catch (const RequestError&) {
            if (!may_wait) throw;
        }
    }
    require_meaning_at_sites(debuggee.target(), wish, parts_.moment().context(), may_wait);
    remember_source(wish);
    Breakpoint& added = parts_.breakpoints.add(std::move(wish));
    insert(added);
    if (debuggee.is_running()) want_loader_hook();
    return added;
}

void BreakpointSites::switch_to(unsigned number, bool on) {
    Breakpoint& chosen = parts_.breakpoints.numbered(number);
    if (chosen.is_on == on) return;
    if (chosen.is_watch() && parts_.debuggee.is_running()) {
        if (on)
            Watching(parts_).start(chosen);
        else
            Watching(parts_).stop(chosen);
    }
    chosen.is_on = on;
    if (on)
        insert(chosen);
    else
        remove(chosen);
}

void BreakpointSites::drop(unsigned number) {
    Breakpoint& chosen = parts_.breakpoints.numbered(number);
    if (chosen.is_watch() && chosen.is_on && parts_.debuggee.is_running())
        Watching(parts_).stop(chosen);
    remove(chosen);
    parts_.breakpoints.erase(number);
}

// A number that was an address in the file, or in the last run, is somewhere else in this one.
void BreakpointSites::follow_address(Breakpoint& breakpoint) {
    for (Breakpoint::Site& site : breakpoint.sites)
        for (const Module& module : parts_.debuggee.target().modules())
            if (module.path() == site.module) site.address = module.to_run(site.code.address);
}

void BreakpointSites::resolve(Breakpoint& breakpoint) {
    if (breakpoint.cause == Cause::place) return resolve_place(breakpoint);
    if (!breakpoint.has_sites()) return;
    auto symbols = symbols_of(breakpoint.cause);
    if (breakpoint.cause == Cause::heap && asked_of(breakpoint.subject))
        symbols = {heap_tables::kAskedSymbol};
    breakpoint.sites.clear();
    for (std::string_view symbol : symbols)
        for (Breakpoint::Site& site : sites_of_symbol(parts_.debuggee.target(), symbol))
            breakpoint.sites.push_back(std::move(site));
    if (breakpoint.sites.empty())
        throw RequestError(fmt::format("no loaded module has {}", symbols.front()));
}

void BreakpointSites::resolve_place(Breakpoint& breakpoint) {
    if (breakpoint.place.kind == Place::Kind::address && !breakpoint.sites.empty()) {
        follow_address(breakpoint);
        return;
    }
    // Only an expression needs a frame. At the start that would be the loader's, whose symbols
    // nobody asked for.
    EvaluationContext where;
    where.target = &parts_.debuggee.target();
    if (breakpoint.place.kind == Place::Kind::address) where = parts_.moment().context();
    std::vector<PlaceSite> found = lantern::resolve_place(breakpoint.place, where);
    // Counted at addresses that may be of other blocks now.
    bool stay = std::ranges::equal(found, breakpoint.sites, {}, &PlaceSite::address,
                                   &Breakpoint::Site::address);
    if (!stay) breakpoint.counts->blocks.clear();
    breakpoint.sites.clear();
    for (PlaceSite& site : found) {
        bool is_known = std::ranges::any_of(breakpoint.sites, [&](const Breakpoint::Site& other) {
            return is_one_pass(other, site);
        });
        if (is_known) continue;
        Breakpoint::Site made;
        made.address = site.address;
        made.code = site.code;
        made.module = site.module ? site.module->path() : "";
        if (site.module) made.jumps_past = jumps_past(*site.module, site.code, parts_.sources);
        breakpoint.sites.push_back(std::move(made));
    }
    if (breakpoint.place.kind == Place::Kind::line)
        number_blocks(parts_.debuggee.target(), breakpoint);
    // From now on the very file that was meant, not any other that ends the same.
    bool has_file = !found.empty() && !found.front().code.file.empty();
    if (breakpoint.place.kind == Place::Kind::line && has_file)
        breakpoint.place.file = found.front().code.file;
}

void BreakpointSites::insert(Breakpoint& breakpoint) {
    if (parts_.debuggee.is_running())
        parts_.breakpoints.insert_sites(breakpoint, parts_.debuggee.process());
    tell_of_heap(breakpoint);
}

void BreakpointSites::remove(Breakpoint& breakpoint) {
    parts_.breakpoints.remove_sites(
        breakpoint, parts_.debuggee.is_running() ? &parts_.debuggee.process() : nullptr);
    tell_of_heap(breakpoint);
}

void BreakpointSites::tell_of_heap(const Breakpoint& breakpoint) {
    if (breakpoint.cause != Cause::heap || !parts_.debuggee.is_running()) return;
    tell_heap_library(parts_.debuggee.process(), parts_.breakpoints.all());
}

void BreakpointSites::take_out_all() {
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) remove(breakpoint);
}

void BreakpointSites::stand_as_in(const BreakpointSites& parent, ThreadId thread) {
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) {
        insert(breakpoint);
        if (breakpoint.is_watch() && breakpoint.is_on &&
            !Watching(parts_).start_in_copy(breakpoint, thread)) {
            breakpoint.is_on = false;
            breakpoint.watched->has_ended = true;
        }
    }
    known_libraries_ = parent.known_libraries_;
    loader_hook_ = parent.loader_hook_;
    if (loader_hook_) parts_.debuggee.process().insert_trap(*loader_hook_, ProbeClient::loader);
}

void BreakpointSites::forget() {
    parts_.breakpoints.forget_sites();
    parts_.jumping.forget();
    loader_hook_.reset();
    known_libraries_.clear();
}

void BreakpointSites::watch_anew(Breakpoint& breakpoint) {
    try {
        Watching(parts_).start(breakpoint);
    } catch (const Error&) {  // the program has become another
        breakpoint.is_on = false;
        breakpoint.watched->has_ended = true;
    }
}

void BreakpointSites::resolve_all_for_start() {
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) {
        breakpoint.read = {};
        if (breakpoint.is_watch() && breakpoint.is_on) watch_anew(breakpoint);
        if (!breakpoint.has_sites()) continue;
        try {
            resolve(breakpoint);
            insert(breakpoint);
        } catch (const Error&) {
            breakpoint.sites.clear();
        }
    }
    want_loader_hook();
}

// ---- libraries

bool BreakpointSites::is_waiting_for_libraries() const {
    return std::ranges::any_of(parts_.breakpoints.all(), [&](const Breakpoint& b) {
        bool in_library = std::any_of(
            b.sites.begin(), b.sites.end(),
            [&](const Breakpoint::Site& site) { return site.module != parts_.debuggee.program(); });
        return (b.has_sites() && b.sites.empty()) || in_library || b.cause == Cause::load ||
               b.cause == Cause::unload;
    });
}

// The loader is watched only while somebody waits for what it may bring.
void BreakpointSites::want_loader_hook() {
    if (loader_hook_ || !is_waiting_for_libraries()) return;
    LiveProcess& process = parts_.debuggee.process();
    auto sites = sites_of_symbol(process, c_library::kLibrariesChange);
    if (sites.empty()) return;  // linked statically: nothing comes later
    for (const Module& module : process.modules()) known_libraries_.insert(module.path());
    process.insert_trap(sites.front().address, ProbeClient::loader);
    loader_hook_ = sites.front().address;
}

BreakpointSites::LibraryChange BreakpointSites::look_at_libraries() {
    LiveProcess& process = parts_.debuggee.process();
    LibraryChange change;
    std::set<std::string> now;
    process.forget_modules();
    for (const Module& module : process.modules()) now.insert(module.path());
    std::set_difference(now.begin(), now.end(), known_libraries_.begin(), known_libraries_.end(),
                        std::back_inserter(change.loaded));
    std::set_difference(known_libraries_.begin(), known_libraries_.end(), now.begin(), now.end(),
                        std::back_inserter(change.unloaded));
    known_libraries_ = std::move(now);
    if (change.loaded.empty() && change.unloaded.empty()) return change;
    parts_.debuggee.forget_landing_hooks();
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) {
        if (!breakpoint.has_sites()) continue;
        bool lost = std::any_of(
            breakpoint.sites.begin(), breakpoint.sites.end(), [&](const Breakpoint::Site& site) {
                return std::find(change.unloaded.begin(), change.unloaded.end(), site.module) !=
                       change.unloaded.end();
            });
        if (lost) {
            remove(breakpoint);
            breakpoint.sites.clear();
        }
        if (!breakpoint.sites.empty()) continue;
        try {
            resolve(breakpoint);
            insert(breakpoint);
        } catch (const Error&) {  // it goes on waiting, and the list of breakpoints says so
            breakpoint.sites.clear();
        }
    }
    tell_guarded_places(process, parts_.shared.guarded_births);
    return change;
}

// ---- after a rebuild

void BreakpointSites::remember_source(Breakpoint& breakpoint) {
    if (breakpoint.place.kind != Place::Kind::line || breakpoint.cause != Cause::place) return;
    const SourceText* text = parts_.sources.find(breakpoint.place.file);
    if (text && breakpoint.place.line && breakpoint.place.line <= text->lines.size())
        breakpoint.source_text = trimmed(text->lines[breakpoint.place.line - 1]);
}

void BreakpointSites::find_all_again() {
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) find_again(breakpoint);
}

std::vector<std::string> BreakpointSites::resolve_all_again() {
    std::vector<std::string> news;
    for (Breakpoint& breakpoint : parts_.breakpoints.all()) {
        if (!breakpoint.moved.empty())
            news.push_back(fmt::format("breakpoint {}: {}", breakpoint.number, breakpoint.moved));
        if (!breakpoint.has_sites()) continue;
        try {
            resolve(breakpoint);
        } catch (const Error& error) {
            breakpoint.sites.clear();
            news.push_back(
                fmt::format("breakpoint {} is gone for now: {}", breakpoint.number, error.what()));
        }
    }
    return news;
}

void BreakpointSites::find_again(Breakpoint& breakpoint) {
    breakpoint.moved.clear();
    if (breakpoint.place.kind != Place::Kind::line || breakpoint.cause != Cause::place ||
        breakpoint.source_text.empty())
        return;
    const SourceText* text = parts_.sources.find(breakpoint.place.file);
    if (!text) return;
    auto says = [&](std::uint32_t line) {
        return line >= 1 && line <= text->lines.size() &&
               trimmed(text->lines[line - 1]) == breakpoint.source_text;
    };
    std::uint32_t old = breakpoint.place.line;
    if (says(old)) return;
    for (std::uint32_t distance = 1; distance < text->lines.size() + old; ++distance) {
        for (std::uint32_t line : {old + distance, old > distance ? old - distance : 0u}) {
            if (!says(line)) continue;
            breakpoint.moved = fmt::format("line {} is now line {}", old, line);
            std::size_t colon = breakpoint.place.text.rfind(':');
            breakpoint.place.line = line;
            if (colon != std::string::npos)
                breakpoint.place.text =
                    fmt::format("{}:{}", breakpoint.place.text.substr(0, colon), line);
            return;
        }
    }
    breakpoint.moved = fmt::format("line {} no longer says {}; it stays at that line", old,
                                   quote(breakpoint.source_text));
    remember_source(breakpoint);
}

}  // namespace lantern
