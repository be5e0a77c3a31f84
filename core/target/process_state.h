// What the kernel tells of a process beside its threads and its memory (proc(5)).
#pragma once

#include <sys/types.h>

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace lantern {

// Of a process that was let go: whether a signal such as SIGSTOP holds it, which it does again a
// moment later. Takes 50 ms where it runs on.
bool stays_stopped_by_signal(pid_t process);

struct OpenFile {
    int number = 0;
    std::string what;  // a path, "a pipe", "a socket", "the terminal …", …
};
// By number; empty where there is no such process.
std::vector<OpenFile> open_files_of(pid_t process);

// "4711 (wren)", of each child that has not been waited for.
std::vector<std::string> children_of(pid_t process);

// Bit n: signal n + 1.
struct SignalSets {
    std::uint64_t pending = 0;  // sent to the process or to this thread, and not taken yet
    std::uint64_t blocked = 0;  // by this thread
    std::uint64_t ignored = 0, handled = 0;
};
std::optional<SignalSets> signal_sets_of(pid_t process, pid_t thread);

// The soft limits of getrlimit(2); nothing where there is none, or it is not known.
struct ProcessLimits {
    std::optional<std::uint64_t> files;          // open at a time
    std::optional<std::uint64_t> stack;          // bytes, of the first thread
    std::optional<std::uint64_t> address_space;  // bytes
    std::optional<std::uint64_t> mappings;       // of the system, for each process
};
ProcessLimits limits_of(pid_t process);

}  // namespace lantern
