// Takes hold of a process that runs already: all its threads, each stopped (ptrace(2), PTRACE_SEIZE
// and PTRACE_INTERRUPT).
#pragma once

#include <sys/types.h>

#include <vector>

namespace lantern {

// The events the kernel is to tell of, for any process we trace.
long wanted_trace_events();

// Its threads, stopped. Throws TargetError that says why it may not be traced and which setting of
// the kernel decides.
std::vector<pid_t> attach_traced(pid_t process);

}  // namespace lantern
