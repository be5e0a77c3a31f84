// A heap whose words are overwritten at random: it is read to its end, whatever it says.
#include <gtest/gtest.h>

#include <random>

#include "core/heap/block_types.h"
#include "core/heap/reachability.h"
#include "core/target/live_process.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

TEST(DamagedHeap, IsReadToItsEndWhateverItSays) {
    testing::Driven driven("heapkinds");
    driven.session.reach(driven.session.place("look_here"));
    LiveProcess& process = driven.session.process();
    Heap sound = read_heap(process);
    RunRange piece = sound.arenas.front().pieces.front();
    piece.high = sound.arenas.front().top;
    std::vector<std::byte> original(piece.size());
    process.read_memory(piece.low, original);
    std::mt19937_64 random(4);
    unsigned damaged = 0;
    for (int round = 0; round < 150; ++round) {
        process.write_memory(piece.low, original);
        for (int i = 0; i < 1 + round % 6; ++i) {
            const HeapBlock& block = sound.blocks[random() % sound.blocks.size()];
            std::uint64_t of_heap = piece.low.value + random() % piece.size();
            std::uint64_t words[] = {random(),
                                     random() % 4096,
                                     of_heap,
                                     block.address,
                                     of_heap >> 12 ^ block.address,
                                     ~std::uint64_t{0}};
            std::uint64_t word = words[random() % std::size(words)];
            RunAddress at(random() % 2 ? block.address - 8 : (of_heap & ~std::uint64_t{7}));
            if (at + 8 > piece.high || at < piece.low) continue;
            process.write_memory(at, std::as_bytes(std::span(&word, 1)));
        }
        Heap heap = read_heap(process);
        damaged += !heap.damage.empty();
        Reachability reach(process, heap, {});
        lost_groups(process, heap, reach);
        find_block_types(process, heap);
        for (std::size_t i = 1; i < heap.blocks.size(); ++i)
            ASSERT_LE(heap.blocks[i - 1].end(), heap.blocks[i].address) << "blocks overlap";
    }
    EXPECT_GT(damaged, 60u);
}

}  // namespace
}  // namespace lantern
