// What the C library lays down in a process, as far as it is not in any debug information: glibc on
// x86-64.
#pragma once

#include <functional>
#include <optional>
#include <string_view>

#include "core/machine/registers.h"

namespace lantern::c_library {

constexpr std::string_view kLibrariesChange =
    "_dl_debug_state";  // called when libraries come and go

// Where the true canary is kept, from the thread's base (psABI, TLS).
constexpr std::uint64_t kCanaryAt = 0x28;

// Reads a word of the process. Throws MemoryError.
using ReadWord = std::function<std::uint64_t(RunAddress)>;

// The block of thread-local variables of a module, by the loader's number of it. Nothing: the
// thread has none of it yet. Throws MemoryError.
std::optional<RunAddress> thread_local_block(const ReadWord& read, RunAddress thread_base,
                                             std::uint64_t module_number);

// Where a longjmp that begins here, with the buffer as its first parameter, is going to.
struct JumpTarget {
    RunAddress program_counter, stack_pointer;
};
std::optional<JumpTarget> jump_target(const ReadWord& read, const Registers& registers);

// Where a pthread_mutex_t has the number of the thread that holds it, four bytes; 0: nobody (struct
// __pthread_mutex_s).
constexpr std::uint64_t kOwnerInMutex = 8;

}  // namespace lantern::c_library
