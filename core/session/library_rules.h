// What is not the user's own code: the system's libraries, and folders that the user has named.
// Steps do not stop there.
#pragma once

#include <string>
#include <vector>

#include "core/target/module.h"

namespace lantern {

struct LibraryRules {
    std::vector<std::string> folders;  // besides the system's

    bool is_library(const Module& module) const;
    // Headers of the system's libraries are compiled into the user's own code; rustc's are recorded
    // under a folder of its own.
    bool is_library_source(const std::string& file) const;
};

}  // namespace lantern
