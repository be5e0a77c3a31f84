#include "core/unwind/frame.h"

#include <fmt/format.h>

namespace lantern {

std::string frame_function_name(const Frame& frame) {
    if (frame.inlined) return frame.inlined->name;
    if (frame.function) return frame.function->name;
    if (frame.module) {
        if (auto nearest = frame.module->symbols().nearest_name(frame.file_address())) return nearest->name;
    }
    return fmt::format("{:#x}", frame.program_counter.value);
}

std::optional<LineSpan> lines_of(const Frame& frame, std::span<const FileRange> ranges) {
    if (!frame.function || !frame.module) return std::nullopt;
    return frame.module->symbols().positions_of(*frame.function).lines_of(ranges, frame.inlined && !frame.scopes.empty() ? frame.scopes.back() : nullptr);
}

}  // namespace lantern
