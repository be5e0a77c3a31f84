// What a program does that does not end: looked at several times, a moment apart.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/session/moment.h"

namespace lantern {

// A thread that stood in one call of one function each time: the loop is in that.
struct HangLoop {
    unsigned thread = 0;  // its number
    std::string function, file;
    std::uint32_t first_line = 0, last_line = 0;  // where it stood
    std::vector<std::string> changing, steady;    // numbers and pointers among its variables
};

class HangSamples {
  public:
    // Of all threads, as they stand now.
    void take(const Moment& moment);
    // Of the threads that ran in the user's own code at least once.
    std::vector<HangLoop> loops() const;

  private:
    struct Sample {
        std::string function, file;
        std::uint32_t line = 0;
        RunAddress frame;  // its call frame address
        std::map<std::string, std::uint64_t> variables;
        bool waits = false;  // the thread is in a system call
    };
    // Of each thread by number, of each time: the user's own frames, from the innermost out.
    std::map<unsigned, std::vector<std::vector<Sample>>> by_thread_;
};

}  // namespace lantern
