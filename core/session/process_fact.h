// What is told of a process of ours: the first, or a child that was kept.
#pragma once

#include <sys/types.h>

#include <string>

namespace lantern {

struct ProcessFact {
    unsigned number = 0;  // from 1, in the order they were met
    pid_t id = 0;
    std::string program;
    bool is_selected = false;
};

}  // namespace lantern
