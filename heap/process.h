// What the library does with the process it is in, besides births and deaths. (See library.h.)
#pragma once

namespace lantern::heap_library {

// From here on the end of a thread is told; before the C library is ready it cannot be.
void begin_thread_ends();
// The C library's functions that hand memory on to the kernel.
void find_kernel_calls();
// And those by which the process becomes another program.
void find_exec_calls();
// Around fork(2): no lock is held by a thread that the child does not have.
void before_fork();
void after_fork_here();
void after_fork_in_child();

}  // namespace lantern::heap_library
