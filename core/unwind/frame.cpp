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

}  // namespace lantern
