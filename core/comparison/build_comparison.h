// Two builds side by side, without running them: what each function has become in each.
#pragma once

#include <array>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/comparison/function_pairs.h"

namespace lantern {

struct FunctionInBuild {
    std::uint64_t bytes = 0;        // of code; 0: it has none of its own
    std::uint64_t copies = 0;       // inlined calls of it
    std::vector<std::string> into;  // some of the functions those are in
    std::uint64_t variables = 0;
    double cover = 0;  // mean share of its code over which a variable has a place, 0 to 1
    std::optional<std::uint64_t> frame_bytes;  // below the return address, at most
    std::uint64_t lines = 0;                   // of its source that have code

    bool is_there() const { return bytes || copies; }
};

struct FunctionComparison {
    std::string name, file;
    std::uint32_t line = 0;
    std::array<FunctionInBuild, 2> in;
    std::vector<std::uint32_t> lost_lines;  // have code in A, and none in B
    std::vector<std::uint32_t> new_lines;   // the other way round
    std::vector<std::string> lost_calls;    // functions that A's code calls, and B's does not
    std::vector<std::string> new_calls;
};

struct BuildInComparison {
    std::string program, compiler;
    std::uint64_t functions = 0, code_bytes = 0, inlined_calls = 0, variables = 0;
    double cover = 0;
};

struct BuildComparison {
    std::array<BuildInComparison, 2> builds;
    std::vector<FunctionComparison> rows;  // what has changed most first
    std::uint64_t changed = 0, alike = 0;  // of the user's functions; `rows` are some of the former
};

struct BuildComparisonRequest {
    std::array<std::string, 2> programs;
    SymbolSearch search;
    LibraryRules libraries;
    std::string functions;  // a pattern; empty: all
    std::size_t rows = 40;
    std::function<void(double)> progress;  // told 0 to 1
};

// Throws FileError; RequestError where a program has no symbols.
BuildComparison compare_builds(const BuildComparisonRequest& request);

}  // namespace lantern
