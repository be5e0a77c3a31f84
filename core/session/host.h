// What the processes of a session share: who waits for them, the files they are made of, the
// terminal that they are given.
#pragma once

#include <memory>

#include "core/session/open_files.h"
#include "core/target/event_loop.h"
#include "core/target/own_terminal.h"
#include "core/target/target_event.h"
#include "core/target/tracer.h"

namespace lantern {

struct Host {
    explicit Host(SymbolSearch search) : files(std::move(search)) {}

    EventLoop events;
    Tracer tracer{real_kernel()};
    OpenFiles files;
    Follow follow = Follow::parent;
    bool goes_meanwhile = false;  // a movement is under way in a fibre, even where the processes
                                  // stand between two steps of it
    // The program gets a terminal of its own from its next start on; what it writes there goes to
    // `terminal_output`.
    int keyboard = -1;
    OwnTerminal::Output terminal_output;
    std::unique_ptr<OwnTerminal> own_terminal;
};

}  // namespace lantern
