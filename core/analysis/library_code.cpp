#include "core/analysis/library_code.h"

#include <algorithm>
#include <span>

namespace lantern {
namespace {

constexpr std::string_view kRust[] = {"std::",
                                      "core::",
                                      "alloc::",
                                      "<std::",
                                      "<core::",
                                      "<alloc::",
                                      "<&",
                                      "<T as ",
                                      "<F as ",
                                      "__rust_",
                                      "__rustc",
                                      "rust_",
                                      "hashbrown::",
                                      "gimli::",
                                      "addr2line::",
                                      "object::",
                                      "miniz_oxide::",
                                      "memchr::",
                                      "rustc_demangle::",
                                      "compiler_builtins::",
                                      "panic_unwind::",
                                      "proc_macro::",
                                      "unwind::",
                                      "{impl#"};
constexpr std::string_view kCpp[] = {
    "std::", "__gnu_cxx::", "__cxxabiv1::", "operator new", "operator delete", "__gnu_debug::"};

}  // namespace

std::string_view language_library(std::string_view name, bool is_rust) {
    auto starts = [&](std::span<const std::string_view> all) {
        return std::ranges::any_of(all,
                                   [&](std::string_view start) { return name.starts_with(start); });
    };
    if (is_rust) return starts(kRust) ? "Rust's library" : "";
    return starts(kCpp) ? "the C++ library" : "";
}

}  // namespace lantern
