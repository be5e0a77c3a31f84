// What a session consists of. Each process of it has parts of its own, and shares the rest.
// Movements, steps and watchpoints work with the parts of one process and with nothing else.
//
//     shared        the wait, the files; how things are shown, what passes, what is noted
//     debuggee      the files of one process, and that process or core
//     selection     the thread and frame that are looked at
//     breakpoints   what was wished, and its counts
//     sites         where that stands in the process
#pragma once

#include <functional>
#include <memory>

#include "core/session/breakpoint_set.h"
#include "core/session/breakpoint_sites.h"
#include "core/session/debuggee.h"
#include "core/session/jumping.h"
#include "core/session/library_rules.h"
#include "core/session/moment.h"
#include "core/session/notes.h"
#include "core/session/presentation.h"
#include "core/session/selection.h"
#include "core/session/session_event.h"
#include "core/session/signal_rules.h"
#include "core/session/stop.h"
#include "core/session/value_context.h"
#include "core/symbols/source_files.h"

namespace lantern {

struct SessionParts;

struct SharedParts {
    SharedParts(std::vector<SourceMapping> mappings, SymbolSearch search)
        : host(std::move(search)), sources(std::move(mappings)) {}
    SharedParts(const SharedParts&) = delete;
    SharedParts& operator=(const SharedParts&) = delete;

    Host host;
    SourceFiles sources;
    SignalRules signals;
    LibraryRules libraries;
    NoteTable notes;
    Presentation presentation;
    // Blocks that are born there get a page of their own (see heap_guards.h).
    std::vector<Place> guarded_births;
    std::uint64_t movements = 0, lives = 0;
    unsigned processes_met = 1;
    // Each process has a program of its own: they move one at a time, and none ends another.
    bool are_apart = false;
    std::function<bool(const std::string& name)>
        may_call;  // expressions may call that function of the program; empty: none
    // What a movement asks of the session. The child that a thread has forked is kept, as the
    // process of that number; a breakpoint is switched off in all processes.
    std::function<unsigned(const SessionParts& parent, ThreadId thread,
                           std::unique_ptr<LiveProcess> child)>
        keep;
    std::function<void(unsigned breakpoint)> switch_off;
    // What is to be said of the values that an expression reads there; empty: nobody is asked.
    std::function<std::string(const Moment& at, const std::string& expression)> doubts;
    std::vector<std::weak_ptr<SessionListener>> listeners;
    void tell(const SessionEvent& event) const {
        for (const auto& each : listeners)
            if (auto listener = each.lock()) (*listener)(event);
    }
};

struct SessionParts {
    // Both are borrowed by it.
    template <class Opened>
    SessionParts(SharedParts& shared, const Opened& opened)
        : shared(shared), debuggee(shared.host, opened) {}
    // The child that `thread` of a process has forked: it begins with the parent's breakpoints.
    SessionParts(const SessionParts& parent, unsigned number, ThreadId thread,
                 std::unique_ptr<LiveProcess> child);
    SessionParts(const SessionParts&) = delete;
    SessionParts& operator=(const SessionParts&) = delete;

    SharedParts& shared;
    SourceFiles& sources{shared.sources};
    SignalRules& signals{shared.signals};
    LibraryRules& libraries{shared.libraries};
    NoteTable& notes{shared.notes};
    Presentation& presentation{shared.presentation};

    Debuggee debuggee;
    Selection selection{debuggee};
    BreakpointSet breakpoints;
    BreakpointSites sites{*this};
    Jumping jumping;
    MomentValueContext surroundings{[this] { return moment(); },
                                    [this] { return selection.heap(); }, presentation.views};
    unsigned number = 1;  // of the process, from 1
    Stop last_stop;
    bool is_seen = true;             // the user has been told where it stands
    bool is_paused_already = false;  // by the same Ctrl-C whose signal it has not got yet
    std::uint64_t life = 0;

    // What is looked at now: holds until something moves or another frame is selected.
    Moment moment();
    // What runs has become another program: its symbols are read, and what was set is looked for in
    // it.
    void look_at_program_anew();
    // A movement has ended: what was known of the stack before it is forgotten. `stops_before`: of
    // the process.
    Stop finished(Stop stop, std::uint64_t stops_before);
    // The user sees that stop: what is to be known at the next one is kept.
    void is_told(const Stop& stop);
};

}  // namespace lantern
