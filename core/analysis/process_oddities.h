// What is unusual about a process beside its threads: its memory map, its limits, its signals, its
// files.
#pragma once

#include <string>
#include <vector>

#include "core/session/moment.h"
#include "core/target/process_state.h"

namespace lantern {

// A sentence for each thing that may have to do with a failure, the gravest first: memory that can
// be written and executed, a file that is mapped and gone, a limit that is nearly reached.
std::vector<std::string> process_oddities(const Moment& moment);

// "pending: SIGUSR1", "blocked in this thread: SIGTERM", "ignored: SIGPIPE", "handled by the
// program: SIGSEGV". Empty for a core.
std::vector<std::string> signal_words(const Moment& moment);

}  // namespace lantern
