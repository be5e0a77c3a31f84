#include "core/code/loop_around.h"

#include <algorithm>

namespace lantern {
namespace {

std::vector<FileRange> spans_of(const Blocks& blocks, const Blocks::Loop& loop) {
    const FlowGraph& flow = blocks.flow();
    std::vector<FileRange> spans;
    for (const FileRange& part : flow.function().ranges) {
        FileRange span{part.high, part.low};
        for (std::uint32_t number : loop.blocks) {
            const Blocks::Block& block = blocks.all()[number];
            FileAddress first = flow.nodes()[block.first].address;
            if (!part.contains(first)) continue;
            span.low = std::min(span.low, first);
            span.high = std::max(span.high, flow.nodes()[block.end - 1].behind());
        }
        if (span.low < span.high) spans.push_back(span);
    }
    return spans;
}

}  // namespace

// Inner loops come behind those around them.
std::vector<FileRange> loop_around(const Blocks& blocks, FileAddress address) {
    std::vector<FileRange> found;
    for (const Blocks::Loop& loop : blocks.loops()) {
        std::vector<FileRange> spans = spans_of(blocks, loop);
        if (any_contains(spans, address)) found = std::move(spans);
    }
    return found;
}

}  // namespace lantern
