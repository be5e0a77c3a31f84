// What a session consists of. Each part keeps its own; movements, steps and watchpoints work with these and with nothing else.
//
//     debuggee       the files, the process or core
//     selection      the thread and frame that are looked at
//     breakpoints    what was wished, and its counts
//     sites          where that stands in the program that runs
//     presentation   how the user wants things shown
#pragma once

#include "core/session/breakpoint_set.h"
#include "core/session/breakpoint_sites.h"
#include "core/session/debuggee.h"
#include "core/session/library_rules.h"
#include "core/session/moment.h"
#include "core/session/notes.h"
#include "core/session/presentation.h"
#include "core/session/selection.h"
#include "core/session/signal_rules.h"
#include "core/session/stop.h"
#include "core/session/surroundings.h"
#include "core/symbols/source_files.h"

namespace lantern {

struct SessionParts {
    template <class Opened>
    SessionParts(Opened opened, std::vector<SourceMapping> mappings, SymbolSearch search)
        : debuggee(std::move(opened), std::move(search)), sources(std::move(mappings)) {}
    SessionParts(const SessionParts&) = delete;
    SessionParts& operator=(const SessionParts&) = delete;

    Debuggee debuggee;
    Selection selection{debuggee};
    SourceFiles sources;
    BreakpointSet breakpoints;
    BreakpointSites sites{*this};
    SignalRules signals;
    LibraryRules libraries;
    NoteTable notes;
    Presentation presentation;
    MomentSurroundings surroundings{[this] { return moment(); }, presentation.views};
    Stop last_stop;
    std::uint64_t movements = 0, life = 0;
    std::function<Value(const FunctionCall&)> call;  // runs a function of the program; empty: none is run

    // What is looked at now: holds until something moves or another frame is selected.
    Moment moment();
    // What runs has become another program: its symbols are read, and what was set is looked for in it.
    void look_at_program_anew();
};

}  // namespace lantern
