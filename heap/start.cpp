// What is done before the program's own code runs.
#include <pthread.h>

#include "heap/process.h"
#include "heap/wishes.h"

namespace lantern::heap_library {
namespace {

__attribute__((constructor)) void begin() {
    begin_thread_ends();
    pthread_atfork(before_fork, after_fork_here, after_fork_in_child);
    find_kernel_calls();
    find_exec_calls();
    clean_environment();
}

}  // namespace
}  // namespace lantern::heap_library
