// Core files: any bytes. What is read must lie in the file, and nothing hangs.
#include <cstdlib>

#include "core/machine/extended_state.h"
#include "core/target/core_image.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    ByteSpan file = fuzzing::as_bytes(data, size);
    try {
        CoreImage image = read_core_image(file);
        for (const CoreSegment& segment : image.segments) {
            bool fits = segment.stored <= segment.range.size() &&
                        (segment.stored == 0 || segment.offset + segment.stored <= file.size());
            if (!fits) std::abort();
            if (image.segment_at(segment.range.low) &&
                !image.segment_at(segment.range.low)->range.contains(segment.range.low))
                std::abort();
        }
        for (const CoreThread& thread : image.threads)
            if (auto state = read_extended_state(thread.extended_state);
                state && state->vectors.size() < 16)
                std::abort();
    } catch (const Error&) {
    }
    read_extended_state(file);
    return 0;
}
