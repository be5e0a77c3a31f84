#include "core/session/library_rules.h"

#include <algorithm>

namespace lantern {

bool LibraryRules::is_library(const Module& module) const {
    return module.is_system_library() ||
           std::ranges::any_of(folders, [&](const std::string& folder) {
               return module.path().starts_with(folder);
           });
}

bool LibraryRules::is_library_source(const std::string& file) const {
    for (const char* folder : {"/usr/include/", "/usr/lib/", "/rustc/", "/rust/deps/", "/lib/"})
        if (file.starts_with(folder)) return true;
    if (file.find("/lib/rustlib/src/rust/") != std::string::npos)
        return true;  // the same, where the toolchain has its sources
    return std::ranges::any_of(folders,
                               [&](const std::string& folder) { return file.starts_with(folder); });
}

}  // namespace lantern
