// What the library in front of the allocator has written down, when the program has written over
// it: the first words of the input are its head's, the rest is the memory that they lead into,
// repeated. The reading ends, and no block is told that lies outside of the area.
#include <cstdlib>

#include "core/heap/history.h"
#include "fuzz/any_stack.h"

using namespace lantern;

namespace {

constexpr std::size_t kWords = 16;

// Mostly a number that the reader lets pass, or hardly anything behind the head would be read.
std::uint64_t bent(std::uint64_t word, std::uint64_t most) {
    return word >> 62 ? word % most : word;
}

heap_tables::Head head_of(const std::uint64_t* words) {
    using fuzzing::kStack, fuzzing::kStackSize;
    heap_tables::Head head{};
    head.mark = heap_tables::kMark;
    head.size_of_head = sizeof head;
    head.size_of_block = sizeof(heap_tables::Block);
    head.area = kStack + bent(words[0], kStackSize);
    head.area_end = head.area + bent(words[1], 2 * kStackSize);
    head.blocks = kStack + bent(words[2], kStackSize);
    head.blocks_used = bent(words[3], 2000);
    head.stacks = kStack + bent(words[4], kStackSize);
    head.stacks_used = bent(words[5], kStackSize);
    head.pictures = kStack + bent(words[6], kStackSize);
    head.pictures_used = bent(words[7], heap_tables::kMostPictures);
    head.counts = kStack + bent(words[8], kStackSize);
    head.counts_apart = bent(words[9], 4096);
    head.counts_used = bent(words[10], 1000);
    head.start_ticks = words[11];
    head.seen_ticks = words[12];
    head.start_ns = words[13];
    head.seen_ns = words[14];
    head.own[0] = {words[15], words[15] + 64};
    return head;
}

}  // namespace

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    std::uint64_t words[kWords] = {};
    if (size < sizeof words) return 0;
    std::memcpy(words, data, sizeof words);
    // The stack of the other target is memory like any other; what it takes as registers is not
    // looked at.
    fuzzing::AnyStack memory(fuzzing::program(), fuzzing::as_bytes(data, size));
    heap_tables::Head head = head_of(words);
    try {
        auto history = HeapHistory::of(memory, fuzzing::program().modules().front(), head);
        HeapHistory::Blocks blocks = history.blocks();
        for (const auto& block : blocks.all) {
            if (block.address < head.area || block.address + block.size > head.area_end)
                std::abort();
            if (history.calls(block.born_stack).size() > heap_tables::kMostFrames) std::abort();
            history.seconds(block.born);
            near_block(blocks.all, RunAddress(block.address + block.size), 4096);
        }
        history.record(static_cast<std::uint32_t>(words[3]));
        history.births();
        history.pictures();
        history.heap();
    } catch (const Error&) {
    }
    return 0;
}
