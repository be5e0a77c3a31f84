// What `elm-lantern compare` is asked for beside the two programs.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

namespace lantern::cli {

struct CompareWish {
    bool runs = false;  // both are run and walked in step
    bool once = false;  // neither is run again to see what differs by itself
    std::string within, functions;
    std::string thread;  // its number or name; empty: each for itself
    struct Side {
        std::vector<std::string> environment;
        std::optional<std::string> input_file;
        std::optional<std::vector<std::string>> arguments;
    };
    std::array<Side, 2> sides;
};

// "A:LIMIT=5", "B:stdin=night.txt", "A:arguments=5 day": what one side alone gets. False: it is
// none of these.
bool take_with(const std::string& text, CompareWish& wish);

}  // namespace lantern::cli
