// What the C library lays down in a process, as far as it is not in any debug information: glibc on x86-64.
#pragma once

#include <optional>
#include <string_view>

#include "core/target/target.h"

namespace lantern::c_library {

constexpr std::string_view kLibrariesChange = "_dl_debug_state";  // called when libraries come and go

// Where the true canary is kept, from the thread's base (psABI, TLS).
constexpr std::uint64_t kCanaryAt = 0x28;

// The block of thread-local variables of a module, by the loader's number of it. Nothing: the thread has none of it yet.
// Throws MemoryError.
std::optional<RunAddress> thread_local_block(Target& target, RunAddress thread_base, std::uint64_t module_number);

// Where a longjmp that begins here, with the buffer as its first parameter, is going to.
struct JumpTarget {
    RunAddress program_counter, stack_pointer;
};
std::optional<JumpTarget> jump_target(Target& target, ThreadId thread);

// The thread that holds a pthread_mutex_t; 0: nobody. Throws MemoryError.
ThreadId mutex_owner(Target& target, RunAddress mutex);

}  // namespace lantern::c_library
