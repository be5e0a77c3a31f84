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
        lost_groups(heap, reach);
        find_block_types(process, heap);
        for (std::size_t i = 1; i < heap.blocks.size(); ++i)
            ASSERT_LE(heap.blocks[i - 1].end(), heap.blocks[i].address) << "blocks overlap";
    }
    EXPECT_GT(damaged, 60u);
}

// Blocks that are run over by up to three words of text or of numbers: whose end it was is told.
TEST(DamagedHeap, NamesTheBlockThatWasRunOver) {
    testing::Driven driven("heapkinds");
    driven.session.reach(driven.session.place("look_here"));
    LiveProcess& process = driven.session.process();
    Heap sound = read_heap(process);
    std::mt19937_64 random(9);
    unsigned named = 0, rounds = 0;
    while (rounds < 200) {
        std::size_t number = random() % (sound.blocks.size() - 8);
        const HeapBlock &block = sound.blocks[number], &behind = sound.blocks[number + 1];
        bool is_usual = block.is_in_use() && block.arena() == 1 && behind.arena() == 1 &&
                        behind.address == block.end() + 8 && behind.is_in_use();
        if (!is_usual) continue;
        std::vector<std::byte> bytes(1 + random() % 24), before(bytes.size());
        process.read_memory(RunAddress(block.end()), before);
        bool is_text = random() % 2;
        for (std::byte& each : bytes)
            each = std::byte(is_text ? 'a' + random() % 26 : random() % 256);
        if (bytes.size() == 1 && bytes[0] == before[0]) continue;
        process.write_memory(RunAddress(block.end()), bytes);
        Heap heap = read_heap(process);
        process.write_memory(RunAddress(block.end()), before);
        ++rounds;
        named += !heap.damage.empty() && heap.damage.front().before &&
                 heap.damage.front().before->address == block.address;
    }
    EXPECT_GE(named, 190u) << "of 200";
    RecordProperty("named", static_cast<int>(named));
}

}  // namespace
}  // namespace lantern
