#include "core/symbols/demangle.h"

#define HAVE_DECL_BASENAME 1  // <string.h> has it; libiberty.h would declare its own
#include <libiberty/demangle.h>

#include <cstdlib>
#include <memory>

namespace lantern {

std::string demangled(std::string_view linkage_name) {
    std::string name(linkage_name.substr(0, linkage_name.find('@')));
    bool may_be_mangled =
        name.starts_with("_Z") || name.starts_with("_R") || name.starts_with("__Z");
    constexpr std::size_t kLongest =
        16'384;  // beyond this no compiler goes; a made-up one would take its time
    if (!may_be_mangled || name.size() > kLongest) return name;
    struct Free {
        void operator()(char* text) const { std::free(text); }
    };
    // Rust first: its older names look like C++ names with a hash at the end.
    std::unique_ptr<char, Free> text(rust_demangle(name.c_str(), DMGL_NO_OPTS));
    if (!text) text.reset(cplus_demangle_v3(name.c_str(), DMGL_PARAMS | DMGL_ANSI));
    return text ? std::string(text.get()) : name;
}

}  // namespace lantern
