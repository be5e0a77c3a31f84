// What a client has said of itself (the request "initialize").
#pragma once

#include <cstdint>
#include <string>

namespace lantern::cli {

struct Client {
    bool has_initialized = false;
    bool lines_start_at_1 = true, columns_start_at_1 = true;
    bool paths_are_uris = false;
    bool runs_in_terminal = false, reports_progress = false, takes_invalidated = false,
         takes_memory_events = false, starts_debugging = false;

    std::int64_t line_out(std::int64_t line) const { return lines_start_at_1 ? line : line - 1; }
    std::int64_t line_in(std::int64_t line) const { return lines_start_at_1 ? line : line + 1; }
    std::int64_t column_out(std::int64_t column) const {
        return columns_start_at_1 ? column : column - 1;
    }
};

}  // namespace lantern::cli
