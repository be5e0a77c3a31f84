#include "core/heap/block_index.h"

#include <algorithm>

#include "core/machine/page.h"

namespace lantern {

constexpr std::uint64_t kFar = 1 << 20;  // bytes without a block between two spans

BlockIndex::BlockIndex(const Heap& heap) : heap_(heap) {
    const auto& blocks = heap.blocks;
    for (std::uint32_t i = 0; i < blocks.size();) {
        Span span{blocks[i].address, blocks[i].end(), i, i, {}};
        for (++i; i < blocks.size() && blocks[i].address - span.high < kFar; ++i) {
            span.high = std::max(span.high, blocks[i].end());
            span.last = i;
        }
        close(std::move(span));
    }
}

void BlockIndex::close(Span span) {
    low_ = std::min(low_, span.low);
    high_ = std::max(high_, span.high);
    std::uint32_t block = span.first;
    for (std::uint64_t page = span.low & ~(kPageSize - 1); page < span.high; page += kPageSize) {
        while (block < span.last && heap_.blocks[block + 1].address <= page) ++block;
        span.by_page.push_back(block);
    }
    span.by_page.push_back(span.last);
    spans_.push_back(std::move(span));
}

const BlockIndex::Span* BlockIndex::span_of(std::uint64_t address) const {
    if (address < low_ || address >= high_) return nullptr;
    auto behind =
        std::upper_bound(spans_.begin(), spans_.end(), address,
                         [](std::uint64_t at, const Span& span) { return at < span.low; });
    if (behind == spans_.begin()) return nullptr;
    const Span& span = *std::prev(behind);
    return address < span.high ? &span : nullptr;
}

std::uint32_t BlockIndex::holding(std::uint64_t address) const {
    const Span* span = span_of(address);
    if (!span) return kNone;
    std::uint64_t page = address / kPageSize - span->low / kPageSize;
    auto begin = heap_.blocks.begin() + span->by_page[page];
    auto end = heap_.blocks.begin() + span->by_page[page + 1] + 1;
    auto behind = std::upper_bound(
        begin, end, address,
        [](std::uint64_t at, const HeapBlock& block) { return at < block.address; });
    if (behind == begin) return kNone;
    const HeapBlock& block = *std::prev(behind);
    if (address >= block.end() && !(block.size() == 0 && address == block.address)) return kNone;
    return static_cast<std::uint32_t>(&block - heap_.blocks.data());
}

}  // namespace lantern
