#include "core/values/no_place.h"

#include <fmt/format.h>

#include <optional>

namespace lantern {
namespace {

// The line of the variable's own function where a location begins to hold.
std::optional<std::uint32_t> line_of(const dwarf::LocationRange& location, const Frame& frame) {
    auto lines = lines_of(frame, std::span(&*location.range, 1));
    return lines ? std::optional(lines->first) : std::nullopt;
}

}  // namespace

std::string why_no_location(const Variable& variable, const Frame& frame) {
    if (variable.locations.empty()) return "the compiler removed it: it has no place anywhere";
    const dwarf::LocationRange* next = nullptr;
    const dwarf::LocationRange* before = nullptr;
    FileAddress pc = frame.file_address();
    for (const dwarf::LocationRange& location : variable.locations) {
        if (!location.range || location.expression.empty()) continue;
        if (location.range->low > pc && (!next || location.range->low < next->range->low))
            next = &location;
        if (location.range->high <= pc && (!before || location.range->high > before->range->high))
            before = &location;
    }
    std::string nowhere = "the compiler keeps it nowhere at this point";
    auto next_line = next ? line_of(*next, frame) : std::nullopt;
    if (next_line)
        return fmt::format("{}; it has a place {}from line {}", nowhere, before ? "again " : "",
                           *next_line);
    auto before_line = before ? line_of(*before, frame) : std::nullopt;
    if (before_line) return fmt::format("{}; it had a place from line {}", nowhere, *before_line);
    return nowhere;
}

}  // namespace lantern
