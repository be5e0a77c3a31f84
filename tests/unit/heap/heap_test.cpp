// The heap as we read it, held against the list that a program keeps of its own blocks, against
// what the library tells of itself (mallinfo2, malloc_usable_size), and against damage that is
// known.
#include "core/heap/heap.h"

#include <gtest/gtest.h>

#include <sstream>

#include "core/heap/reachability.h"
#include "core/support/error.h"
#include "core/target/core_file.h"
#include "core/target/core_writer.h"
#include "tests/testing/driven.h"
#include "tests/testing/launching.h"

namespace lantern {
namespace {

// A session that stands in look_here, with what the program has printed of its heap.
struct Standing {
    explicit Standing(std::vector<std::string> arguments, const std::string& program = "heap")
        : session(options(program, std::move(arguments), (folder.path() / "out").string()), {}) {
        session.reach(session.place("look_here"));
        printed = folder.read("out");
    }
    static LaunchOptions options(const std::string& program, std::vector<std::string> arguments,
                                 std::string output) {
        LaunchOptions made = testing::Driven::options(testing::fixture(program), std::move(output));
        made.arguments = std::move(arguments);
        return made;
    }
    std::vector<std::uint64_t> numbers(const std::string& line) const {
        std::vector<std::uint64_t> found;
        std::istringstream words(line.substr(line.find(' ')));
        for (std::string word; words >> word;) found.push_back(std::stoull(word, nullptr, 0));
        return found;
    }
    std::vector<std::vector<std::uint64_t>> lines(const std::string& kind) const {
        std::vector<std::vector<std::uint64_t>> found;
        for (const std::string& line : testing::lines_of(printed))
            if (line.starts_with(kind + " ")) found.push_back(numbers(line));
        return found;
    }
    testing::TemporaryFolder folder;
    Session session;
    std::string printed;
};

void expect_as_printed(const Standing& standing, const Heap& heap) {
    EXPECT_TRUE(heap.damage.empty()) << heap.damage.front().what;
    std::size_t compared = 0;
    std::set<std::uint64_t> own;
    for (const auto& printed : standing.lines("block")) {
        const HeapBlock* block = heap.block_at(RunAddress(printed[0]));
        ASSERT_TRUE(block) << std::hex << printed[0];
        EXPECT_EQ(block->address, printed[0]);
        EXPECT_EQ(block->size(), printed[1]);
        EXPECT_TRUE(block->is_in_use()) << std::hex << printed[0];
        own.insert(block->address);
        ++compared;
    }
    EXPECT_GT(compared, 800u);
    // What else is in use is the library's own: its threads, its files.
    std::size_t others = 0;
    for (const HeapBlock& block : heap.blocks)
        others += block.is_in_use() && !own.count(block.address);
    EXPECT_LT(others, 300u);
    // The library counts headers as in use, what threads keep for the next request too, and what
    // arenas keep so not.
    std::uint64_t in_use = 0, cached = 0, mapped = 0;
    for (const HeapBlock& block : heap.blocks) {
        if (block.arena() == 0)
            mapped += (block.size() + 16 + 4095) & ~std::uint64_t{4095};
        else if (block.state() == HeapBlock::State::cached)
            cached += block.size() + 8;
        else if (block.state() != HeapBlock::State::free)
            in_use += block.size() + 8;
    }
    auto info = standing.lines("info").front();
    EXPECT_EQ(mapped, info[2]) << "bytes of mappings of their own";
    constexpr std::uint64_t kForArenas = 64 * 2400;  // their structures
    EXPECT_LE(in_use, info[0]);
    EXPECT_GE(in_use + cached + kForArenas, info[0]);
}

class HeapOf : public ::testing::TestWithParam<int> {};

TEST_P(HeapOf, ThreadsIsAsTheProgramSays) {
    Standing standing({"many", std::to_string(GetParam())});
    Heap heap = read_heap(standing.session.target());
    EXPECT_TRUE(heap.library.starts_with("the C library 2."));
    expect_as_printed(standing, heap);
}

class HeapOfACore : public ::testing::TestWithParam<int> {};

TEST_P(HeapOfACore, IsTheSameAsOfTheProcess) {
    Standing standing({"many", std::to_string(GetParam())});
    Heap live = read_heap(standing.session.target());
    std::string core = (standing.folder.path() / "core").string();
    write_core(standing.session.process(), {}, core);
    Session kept(CoreRequest{core, ""}, {}, {});
    Heap heap = read_heap(kept.target());
    ASSERT_EQ(heap.blocks.size(), live.blocks.size());
    for (std::size_t i = 0; i < live.blocks.size(); ++i) {
        EXPECT_EQ(heap.blocks[i].address, live.blocks[i].address);
        EXPECT_EQ(heap.blocks[i].state(), live.blocks[i].state());
    }
}

INSTANTIATE_TEST_SUITE_P(Counts, HeapOf, ::testing::Values(1, 8, 64));
INSTANTIATE_TEST_SUITE_P(Counts, HeapOfACore, ::testing::Values(1, 8));  // each a large file

TEST(HeapLeaks, AreWhatTheProgramLostAndNothingElse) {
    Standing standing({"leak"});
    Target& target = standing.session.target();
    Heap heap = read_heap(target);
    Reachability reach(target, heap, {});
    std::set<std::uint64_t> lost;
    for (const auto& line : standing.lines("lost")) lost.insert(line[0] ^ 0x5555555555555555);
    ASSERT_EQ(lost.size(), 5u);
    std::size_t blocks = 0, inside = 0;
    for (std::size_t i = 0; i < heap.blocks.size(); ++i) {
        if (!heap.blocks[i].is_in_use()) continue;
        blocks += reach.of(i) == Reachability::Kind::lost;
        inside += reach.of(i) == Reachability::Kind::from_inside;
    }
    for (std::uint64_t each : lost) {
        const HeapBlock* block = heap.block_at(RunAddress(each));
        std::size_t number = static_cast<std::size_t>(block - heap.blocks.data());
        if (reach.of(number) == Reachability::Kind::lost) continue;
        auto pointer = reach.pointer_to(number);
        ADD_FAILURE() << std::hex << each << " is reached from " << (pointer ? pointer->value : 0);
    }
    EXPECT_EQ(blocks, 15u) << "five chains of three";
    EXPECT_EQ(inside, 1u);
    auto groups = lost_groups(heap, reach);
    ASSERT_EQ(groups.size(), 5u);
    for (const LostGroup& group : groups) {
        EXPECT_EQ(group.blocks, 3u);
        EXPECT_TRUE(lost.count(heap.blocks[group.first].address)) << "its first is the lost one";
    }
}

// Its thread-local variables and what its start needs lie in front of the first block.
TEST(HeapLeaks, OfAProgramWithTheLibraryInIt) {
    Standing standing({"leak"}, "heap-static");
    Target& target = standing.session.target();
    Heap heap = read_heap(target);
    EXPECT_TRUE(heap.damage.empty()) << heap.damage.front().what;
    Reachability reach(target, heap, {});
    auto groups = lost_groups(heap, reach);
    std::set<std::uint64_t> lost;
    for (const auto& line : standing.lines("lost")) lost.insert(line[0] ^ 0x5555555555555555);
    EXPECT_EQ(groups.size(), 5u);
    for (const LostGroup& group : groups)
        EXPECT_TRUE(lost.count(heap.blocks[group.first].address))
            << heap.blocks[group.first].size();
}

struct Damage {
    const char* how;
    HeapDamage::Kind kind;
};
class HeapDamaged : public ::testing::TestWithParam<Damage> {};

TEST_P(HeapDamaged, IsToldAndTheFirstDamagedBlockNamed) {
    Standing standing({"damage", GetParam().how});
    Heap heap = read_heap(standing.session.target());
    ASSERT_FALSE(heap.damage.empty());
    const HeapDamage& first = heap.damage.front();
    EXPECT_EQ(first.kind, GetParam().kind) << first.what;
    std::uint64_t victim = standing.lines("victim").front()[0];
    bool is_of_chunks = first.kind == HeapDamage::Kind::header ||
                        first.kind == HeapDamage::Kind::footer ||
                        first.kind == HeapDamage::Kind::overlap;
    if (is_of_chunks) {
        ASSERT_TRUE(first.before);
        EXPECT_EQ(first.before->address, victim) << first.what;
    }
    std::uint64_t last = standing.lines("last").front()[0];
    ASSERT_TRUE(heap.block_at(RunAddress(last)));
    EXPECT_EQ(heap.block_at(RunAddress(last))->address, last)
        << "the blocks behind it are found again";
}

INSTANTIATE_TEST_SUITE_P(Ways, HeapDamaged,
                         ::testing::Values(Damage{"text", HeapDamage::Kind::header},
                                           Damage{"zero", HeapDamage::Kind::header},
                                           Damage{"flag", HeapDamage::Kind::footer},
                                           Damage{"size", HeapDamage::Kind::header},
                                           Damage{"cached", HeapDamage::Kind::short_list},
                                           Damage{"twice", HeapDamage::Kind::circle},
                                           Damage{"overlap", HeapDamage::Kind::overlap},
                                           Damage{"list", HeapDamage::Kind::list}),
                         [](const auto& each) { return std::string(each.param.how); });

TEST(Heap, IsFoundWithoutSymbolsOfTheLibraryToo) {
    Standing standing({"many", "2"});
    SymbolSearch without;
    without.system_folders.clear();
    std::string core = (standing.folder.path() / "core").string();
    write_core(standing.session.process(), {}, core);
    Session kept(CoreRequest{core, ""}, {}, without);
    Heap heap = read_heap(kept.target());
    expect_as_printed(standing, heap);
}

// At a random moment a thread mostly stands in a request, and then that is said. Where none is, all
// is in order, and what the program has is in use.
class HeapOfBusyThreads : public ::testing::TestWithParam<int> {};

TEST_P(HeapOfBusyThreads, IsInOrderWheneverNobodyChangesIt) {
    constexpr unsigned kMost = 4000;
    const unsigned times = GetParam() == 1 ? 80 : 12;
    struct Held {
        std::uint64_t block, usable;
    };
    testing::RunningProgram child("heap", {"busy", std::to_string(GetParam())});
    EventLoop events;
    Tracer tracer{real_kernel()};
    unsigned in_order = 0;
    for (unsigned i = 0; i < times; ++i) {
        LiveProcess process(child.id(), events, tracer, testing::open_symbols);
        Heap heap = read_heap(process);
        std::vector<Held> held(kMost * static_cast<unsigned>(GetParam()));
        process.read_memory(testing::address_of(process, "held"),
                            std::as_writable_bytes(std::span(held)));
        std::size_t all = 0, found = 0;
        for (const Held& each : held) {
            if (!each.block) continue;
            const HeapBlock* block = heap.block_at(RunAddress(each.block));
            ++all;
            found += block && block->address == each.block && block->size() == each.usable &&
                     block->is_in_use();
        }
        if (heap.is_being_changed()) {
            EXPECT_GT(found * 10, all * 9) << "most of it can be read all the same";
        } else {
            EXPECT_EQ(found, all);
            EXPECT_TRUE(heap.damage.empty()) << heap.damage.front().what;
            ++in_order;
        }
        process.release();
    }
    if (GetParam() == 1) {
        EXPECT_GT(in_order, 0u);
    }
}
INSTANTIATE_TEST_SUITE_P(Counts, HeapOfBusyThreads, ::testing::Values(1, 8));

TEST(Heap, OfAThreadIsItsArenas) {
    Standing standing({"many", "4"});
    Heap heap = read_heap(standing.session.target());
    ASSERT_EQ(heap.arenas.size(), 4u);
    ThreadId first = standing.session.target().threads().front();
    EXPECT_EQ(heap.arenas[0].threads, std::vector<ThreadId>{first});
    EXPECT_TRUE(heap.arenas[1].threads.empty()) << "that one has ended";
}

TEST(Heap, OfARustProgramIsAsItSays) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here: SKIPPED";
    Standing standing({}, "heap-rust");
    Target& target = standing.session.target();
    Heap heap = read_heap(target);
    EXPECT_TRUE(heap.damage.empty()) << heap.damage.front().what;
    auto blocks = standing.lines("block");
    EXPECT_GT(blocks.size(), 400u);
    for (const auto& printed : blocks) {
        const HeapBlock* block = heap.block_at(RunAddress(printed[0]));
        ASSERT_TRUE(block);
        EXPECT_EQ(block->address, printed[0]);
        EXPECT_GE(block->size(), printed[1]);
        EXPECT_LT(block->size(), printed[1] + 24);
        EXPECT_TRUE(block->is_in_use());
    }
    Reachability reach(target, heap, {});
    std::set<std::uint64_t> lost;
    for (const auto& line : standing.lines("lost")) lost.insert(line[0] ^ 0x5555555555555555);
    auto groups = lost_groups(heap, reach);
    EXPECT_EQ(groups.size(), 4u);
    for (const LostGroup& group : groups) {
        EXPECT_EQ(group.blocks, 2u) << "a barge and its name";
        EXPECT_TRUE(lost.count(heap.blocks[group.first].address));
    }
}

}  // namespace
}  // namespace lantern
