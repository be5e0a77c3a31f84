#include "core/heap/block_index.h"

#include <algorithm>

namespace lantern {

constexpr std::uint64_t kFar = 1 << 20;  // bytes without a block between two spans

BlockIndex::BlockIndex(const Heap& heap) : heap_(heap) {
    const auto& blocks = heap.blocks;
    for (std::size_t i = 0; i < blocks.size();) {
        std::size_t first = i++;
        Span span{
            blocks[first].address, std::max(blocks[first].end(), blocks[first].address + 1), {}};
        for (; i < blocks.size() && blocks[i].address < span.high + kFar; ++i)
            span.high = std::max({span.high, blocks[i].end(), blocks[i].address + 1});
        close(std::move(span), first, i);
    }
}

// Two blocks within one step are only in a damaged heap; the second is passed over then.
void BlockIndex::close(Span span, std::size_t first, std::size_t end) {
    low_ = std::min(low_, span.low);
    high_ = std::max(high_, span.high);
    span.steps.resize((span.high - span.low - 1) / kStep / kBits + 1);
    std::size_t block = first;
    for (std::size_t i = 0; i < span.steps.size(); ++i) {
        Steps& steps = span.steps[i];
        steps.first = static_cast<std::uint32_t>(block);
        std::uint64_t behind = span.low + (i + 1) * kBits * kStep;
        for (; block < end && heap_.blocks[block].address < behind; ++block)
            steps.begins |= std::uint64_t{1}
                            << (heap_.blocks[block].address - span.low) / kStep % kBits;
    }
    spans_.push_back(std::move(span));
}

const BlockIndex::Span* BlockIndex::one_of_spans(std::uint64_t address) const {
    auto behind =
        std::upper_bound(spans_.begin(), spans_.end(), address,
                         [](std::uint64_t at, const Span& span) { return at < span.low; });
    if (behind == spans_.begin()) return nullptr;
    const Span& span = *std::prev(behind);
    return address < span.high ? &span : nullptr;
}

}  // namespace lantern
