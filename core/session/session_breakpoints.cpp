// The breakpoints of a session: kept by what they were asked for, put into memory as sites while the program runs.
#include <fmt/format.h>

#include <algorithm>

#include "core/expressions/scope_names.h"
#include "core/expressions/syntax.h"
#include "core/runtime/c_library.h"
#include "core/session/events.h"
#include "core/session/runtime_symbol.h"
#include "core/session/session.h"
#include "core/session/site_scope.h"
#include "core/session/watching.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/live_process.h"
#include "core/symbols/code_query.h"

namespace lantern {
namespace {

// A function that two units describe has its inlined copies twice; a pass through one of them is one.
bool is_one_pass(const Breakpoint::Site& a, const PlaceSite& b) {
    if (a.address != b.address || a.code.line != b.code.line || a.code.function != b.code.function) return false;
    return !a.code.position || !b.code.position || a.code.position->inlined == b.code.position->inlined;
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

// Which of the stretches of code that the compiler made of the line each site stands in.
void number_blocks(Target& target, Breakpoint& breakpoint) {
    for (const Module& module : target.modules()) {
        std::vector<LineBlock> blocks;
        for (Breakpoint::Site& site : breakpoint.sites) {
            if (site.module != module.path()) continue;
            if (blocks.empty()) blocks = blocks_of_line(module.symbols(), site.code.file, site.code.line);
            for (std::size_t i = 0; i < blocks.size(); ++i)
                if (blocks[i].range.contains(site.code.address)) {
                    site.block = static_cast<unsigned>(i + 1);
                    site.blocks = static_cast<unsigned>(blocks.size());
                }
        }
    }
}

}  // namespace

std::string_view cause_word(Cause cause) {
    static constexpr std::string_view kWords[] = {"place", "write", "access", "throw", "catch", "panic", "signal", "load",
                                                  "unload", "fork", "exec", "thread-start", "thread-end", "exit", "syscall"};
    return kWords[static_cast<std::size_t>(cause)];
}

// Before the program runs, only what lies in it from the start has an address.
void Session::require_of_program(Breakpoint& wish) {
    Value value = evaluate(wish.subject, context());
    if (!value.address || !target().module_at(*value.address))
        throw RequestError(fmt::format("{} has no address before the program runs", wish.subject), "launch first, and stop where it is in scope");
    wish.watched->is_of_program = true;
}

const Breakpoint& Session::add_breakpoint(Breakpoint wish, bool may_wait) {
    if (wish.is_watch()) {
        if (core_) process();  // refuses
        if (is_moving()) throw RequestError("a watchpoint is set while the program stands", "pause stops it");
        if (!wish.watched) wish.watched = std::make_shared<WatchedValue>();
        if (is_running()) Watching(*this).start(wish);
        else require_of_program(wish);
    }
    if (wish.has_sites()) {
        try {
            resolve_breakpoint(wish);
        } catch (const RequestError&) {
            if (!may_wait) throw;
        }
    }
    require_meaning_at_sites(target(), wish, context(), may_wait);
    remember_source(wish);
    Breakpoint& added = breakpoints_.add(std::move(wish));
    insert_sites(added);
    if (is_running()) want_loader_hook();
    return added;
}

const Breakpoint& Session::add_breakpoint(const Place& place, std::string condition) {
    Breakpoint wish;
    wish.place = place;
    wish.condition = std::move(condition);
    return add_breakpoint(std::move(wish));
}

void Session::switch_breakpoint(unsigned number, bool on) {
    Breakpoint& chosen = breakpoints_.numbered(number);
    if (chosen.is_on == on) return;
    if (chosen.is_watch() && is_running()) {
        if (on) Watching(*this).start(chosen);
        else Watching(*this).stop(chosen);
    }
    chosen.is_on = on;
    if (on) insert_sites(chosen);
    else remove_sites(chosen);
}

void Session::drop_breakpoint(unsigned number) {
    Breakpoint& chosen = breakpoints_.numbered(number);
    if (chosen.is_watch() && chosen.is_on && is_running()) Watching(*this).stop(chosen);
    remove_sites(chosen);
    breakpoints_.erase(number);
}

// A number that was an address in the file, or in the last run, is somewhere else in this one.
void Session::follow_address(Breakpoint& breakpoint) {
    for (Breakpoint::Site& site : breakpoint.sites)
        for (const Module& module : target().modules())
            if (module.path() == site.module) site.address = module.to_run(site.code.address);
}

void Session::resolve_breakpoint(Breakpoint& breakpoint) {
    if (breakpoint.cause == Cause::place) return resolve_place_sites(breakpoint);
    if (!breakpoint.has_sites()) return;
    auto symbols = symbols_of(breakpoint.cause);
    breakpoint.sites.clear();
    for (std::string_view symbol : symbols)
        for (Breakpoint::Site& site : sites_of_symbol(target(), symbol)) breakpoint.sites.push_back(std::move(site));
    if (breakpoint.sites.empty()) throw RequestError(fmt::format("no loaded module has {}", symbols.front()));
}

void Session::resolve_place_sites(Breakpoint& breakpoint) {
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
    for (PlaceSite& site : found) {
        bool is_known = std::ranges::any_of(breakpoint.sites, [&](const Breakpoint::Site& other) { return is_one_pass(other, site); });
        if (is_known) continue;
        Breakpoint::Site made;
        made.address = site.address;
        made.code = site.code;
        made.module = site.module ? site.module->path() : "";
        breakpoint.sites.push_back(std::move(made));
    }
    if (breakpoint.place.kind == Place::Kind::line) {
        number_blocks(target(), breakpoint);
    }
    // From now on the very file that was meant, not any other that ends the same.
    bool has_file = !found.empty() && !found.front().code.file.empty();
    if (breakpoint.place.kind == Place::Kind::line && has_file) breakpoint.place.file = found.front().code.file;
}

void Session::insert_sites(Breakpoint& breakpoint) {
    if (is_running()) breakpoints_.insert_sites(breakpoint, *process_);
}

void Session::remove_sites(Breakpoint& breakpoint) { breakpoints_.remove_sites(breakpoint, is_running() ? process_.get() : nullptr); }

// The program is gone, and its memory with it.
void Session::forget_sites() {
    breakpoints_.forget_sites();
    loader_hook_.reset();
    known_libraries_.clear();
    landing_hooks_.clear();
    landing_hooks_for_ = 0;
}

void Session::watch_anew(Breakpoint& breakpoint) {
    try {
        Watching(*this).start(breakpoint);
    } catch (const Error&) {  // the program has become another
        breakpoint.is_on = false;
        breakpoint.watched->has_ended = true;
    }
}

// The program has been started anew and stands before its first instruction: places are looked up again. Those in
// libraries wait until the libraries are loaded.
void Session::resolve_all_for_start() {
    for (Breakpoint& breakpoint : breakpoints_.all()) {
        breakpoint.read = {};
        if (breakpoint.is_watch() && breakpoint.is_on) watch_anew(breakpoint);
        if (!breakpoint.has_sites()) continue;
        try {
            resolve_breakpoint(breakpoint);
            insert_sites(breakpoint);
        } catch (const Error&) {
            breakpoint.sites.clear();
        }
    }
}

// ---- libraries -----------------------------------------------------------------------------------------------------

// The loader is watched only while somebody waits for what it may bring.
void Session::want_loader_hook() {
    if (loader_hook_) return;
    bool wanted = std::ranges::any_of(breakpoints_.all(), [&](const Breakpoint& b) {
        bool in_library = std::any_of(b.sites.begin(), b.sites.end(), [&](const Breakpoint::Site& site) { return site.module != launch_.program; });
        return (b.has_sites() && b.sites.empty()) || in_library || b.cause == Cause::load || b.cause == Cause::unload;
    });
    if (!wanted) return;
    auto sites = sites_of_symbol(*process_, c_library::kLibrariesChange);
    if (sites.empty()) return;  // linked statically: nothing comes later
    for (const Module& module : process_->modules()) known_libraries_.insert(module.path());
    process_->insert_trap(sites.front().address, ProbeClient::loader);
    loader_hook_ = sites.front().address;
}

void Session::look_at_libraries(std::vector<std::string>& loaded, std::vector<std::string>& unloaded) {
    std::set<std::string> now;
    process_->forget_modules();
    for (const Module& module : process_->modules()) now.insert(module.path());
    std::set_difference(now.begin(), now.end(), known_libraries_.begin(), known_libraries_.end(), std::back_inserter(loaded));
    std::set_difference(known_libraries_.begin(), known_libraries_.end(), now.begin(), now.end(), std::back_inserter(unloaded));
    known_libraries_ = std::move(now);
    if (loaded.empty() && unloaded.empty()) return;
    landing_hooks_for_ = 0;
    for (Breakpoint& breakpoint : breakpoints_.all()) {
        if (!breakpoint.has_sites()) continue;
        bool lost = std::any_of(breakpoint.sites.begin(), breakpoint.sites.end(), [&](const Breakpoint::Site& site) {
            return std::find(unloaded.begin(), unloaded.end(), site.module) != unloaded.end();
        });
        if (lost) {
            remove_sites(breakpoint);
            breakpoint.sites.clear();
        }
        if (!breakpoint.sites.empty()) continue;
        try {
            resolve_breakpoint(breakpoint);
            insert_sites(breakpoint);
        } catch (const Error&) {  // it goes on waiting, and the list of breakpoints says so
            breakpoint.sites.clear();
        }
    }
}

// ---- after a rebuild -------------------------------------------------------------------------------------------------

void Session::remember_source(Breakpoint& breakpoint) {
    if (breakpoint.place.kind != Place::Kind::line || breakpoint.cause != Cause::place) return;
    const SourceText* text = sources_.find(breakpoint.place.file);
    if (text && breakpoint.place.line && breakpoint.place.line <= text->lines.size()) breakpoint.source_text = trimmed(text->lines[breakpoint.place.line - 1]);
}

// The program was built anew: a breakpoint on a line stays with what the line said, where that has moved.
void Session::find_again(Breakpoint& breakpoint) {
    breakpoint.moved.clear();
    if (breakpoint.place.kind != Place::Kind::line || breakpoint.cause != Cause::place || breakpoint.source_text.empty()) return;
    const SourceText* text = sources_.find(breakpoint.place.file);
    if (!text) return;
    auto says = [&](std::uint32_t line) { return line >= 1 && line <= text->lines.size() && trimmed(text->lines[line - 1]) == breakpoint.source_text; };
    std::uint32_t old = breakpoint.place.line;
    if (says(old)) return;
    for (std::uint32_t distance = 1; distance < text->lines.size() + old; ++distance) {
        for (std::uint32_t line : {old + distance, old > distance ? old - distance : 0u}) {
            if (!says(line)) continue;
            breakpoint.moved = fmt::format("line {} is now line {}", old, line);
            std::size_t colon = breakpoint.place.text.rfind(':');
            breakpoint.place.line = line;
            if (colon != std::string::npos) breakpoint.place.text = fmt::format("{}:{}", breakpoint.place.text.substr(0, colon), line);
            return;
        }
    }
    breakpoint.moved = fmt::format("line {} no longer says {}; it stays at that line", old, quote(breakpoint.source_text));
    remember_source(breakpoint);
}

}  // namespace lantern
