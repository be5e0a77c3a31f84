// Starts a program so that it stops before its first instruction, traced by us (ptrace(2),
// PTRACE_SEIZE).
#pragma once

#include <sys/types.h>

#include <optional>
#include <string>
#include <vector>

namespace lantern {

struct LaunchOptions {
    std::string program;
    std::vector<std::string> arguments;               // without the program's own name
    std::string called;                               // that name; empty: its path
    std::vector<std::string> environment;             // NAME=VALUE, the whole of it
    std::string folder;                               // empty: ours
    std::string input_file, output_file, error_file;  // empty: ours
    std::string terminal;                             // of its own; empty: ours
    bool terminal_controls = true;  // it is the controlling one: when it goes, so does the program
    bool output_to_error = false;   // our own standard output is taken by a machine-readable stream
    bool randomise_addresses = false;
    bool own_process_group = true;  // so that Ctrl-C on the terminal reaches it and not us
};

// Returns the process, stopped at its exec. Throws TargetError with the reason the program could
// not be started.
pid_t launch_traced(const LaunchOptions& options);

}  // namespace lantern
