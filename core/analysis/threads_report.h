// The threads of the program, each with where it is in the user's own code.
#pragma once

#include <string>
#include <vector>

#include "core/session/moment.h"

namespace lantern {

struct ThreadRow {
    unsigned number = 0;
    ThreadId id = 0;
    std::string name;   // as the program called it (prctl(2), PR_SET_NAME)
    std::string state;  // "in pthread_mutex_lock", "in the system call futex": what it does at its
                        // innermost frame; may be empty
    std::string
        function;  // of the innermost frame with the user's source, else of the innermost frame
    unsigned level = 0;  // of that frame
    std::string file;
    std::uint32_t line = 0;
    std::uint64_t address = 0;
    std::string waits_for;  // a mutex, and whom it belongs to, where that can be told
    bool is_selected = false;
    unsigned waits_for_thread = 0;  // the number of the one it belongs to; 0: not known
};

struct ThreadsReport {
    std::vector<ThreadRow> rows;  // by number
    std::string warning;          // threads that wait for each other in a circle
};

ThreadsReport report_threads(const Moment& moment);

}  // namespace lantern
