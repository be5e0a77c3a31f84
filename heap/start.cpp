// What is done before the program's own code runs.
#include <pthread.h>

#include "heap/process.h"
#include "heap/wishes.h"

namespace lantern::heap_library {
namespace {

// It runs before any other library begins (see -z initfirst in CMakeLists.txt): what is registered
// first for a fork is done last before it, when the handlers of all others have their locks and
// what memory they want. The C library knows its environment only later; the array is the same.
__attribute__((constructor)) void begin(int, char**, char** environment) {
    begin_thread_ends();
    pthread_atfork(before_fork, after_fork_here, after_fork_in_child);
    find_kernel_calls();
    find_exec_calls();
    clean_environment(environment);
}

}  // namespace
}  // namespace lantern::heap_library
