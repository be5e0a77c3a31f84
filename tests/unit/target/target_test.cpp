#include <gtest/gtest.h>
#include <signal.h>
#include <unistd.h>

#include <fstream>

#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/target/live_process.h"
#include "core/target/program_file.h"
#include "tests/testing/launching.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

using testing::fixture;

using testing::address_of, testing::open_symbols;
TEST(MemoryCache, ReadsEachPageOnceAndStopsAtAGap) {
    unsigned reads = 0;
    MemoryCache cache([&](RunAddress page, std::span<std::byte> out) {
        ++reads;
        if (page.value >= 0x3000) return false;
        std::fill(out.begin(), out.end(), static_cast<std::byte>(page.value >> 12));
        return true;
    });
    std::byte bytes[32];
    EXPECT_EQ(cache.read(RunAddress(0x1ff0), bytes), 32u);
    EXPECT_EQ(bytes[15], std::byte{1});
    EXPECT_EQ(bytes[16], std::byte{2});
    EXPECT_EQ(cache.read(RunAddress(0x1000), bytes), 32u);
    EXPECT_EQ(reads, 2u);
    EXPECT_EQ(cache.read(RunAddress(0x2ff0), bytes), 16u);
    EXPECT_EQ(cache.read(RunAddress(~std::uint64_t{0} - 3), bytes), 0u);
}

TEST(LiveProcess, StopsAtATrapAndHidesItsByte) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(testing::quiet_launch(fixture("locks-gcc-O0-dwarf5-pie")), events, tracer,
                        open_symbols);
    RunAddress main = address_of(process, "main");
    std::byte before = process.read<std::byte>(main);
    process.insert_trap(main);
    process.insert_trap(main);
    EXPECT_EQ(process.read<std::byte>(main), before) << "the program's own byte, not ours";
    TargetEvent event = process.run();
    EXPECT_EQ(event.kind, TargetEvent::Kind::trap);
    EXPECT_EQ(process.read<std::byte>(main), before);
    // What is really there: the system's own account.
    std::ifstream memory("/proc/" + std::to_string(process.id()) + "/mem", std::ios::binary);
    memory.seekg(static_cast<std::streamoff>(main.value));
    EXPECT_EQ(static_cast<std::byte>(memory.get()), kTrapByte);
    EXPECT_EQ(process.registers(event.thread).program_counter(), main);
    process.remove_trap(main);
    EXPECT_TRUE(process.has_trap(main)) << "it was asked for twice";
    event = process.step(event.thread);
    EXPECT_EQ(event.kind, TargetEvent::Kind::stepped);
    EXPECT_GT(process.registers(event.thread).program_counter(), main);
    process.remove_trap(main);
    event = process.run();
    EXPECT_EQ(event.kind, TargetEvent::Kind::exited);
    EXPECT_EQ(event.exit_code, 3);
    EXPECT_FALSE(process.is_alive());
}

TEST(LiveProcess, AWriteUnderATrapIsKeptForWhenItGoes) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(testing::quiet_launch(fixture("locks-gcc-O0-dwarf5-nopie")), events, tracer,
                        open_symbols);
    RunAddress main = address_of(process, "main");
    process.insert_trap(main);
    std::byte nop{0x90};
    process.write_memory(main, ByteSpan(&nop, 1));
    EXPECT_EQ(process.read<std::byte>(main), nop);
    EXPECT_EQ(process.run().kind, TargetEvent::Kind::trap);
    process.remove_trap(main);
    EXPECT_EQ(process.read<std::byte>(main), nop);
}

TEST(LiveProcess, ReadsAcrossUnmappedMemoryAsFarAsItGoes) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(testing::quiet_launch(fixture("locks-gcc-O0-dwarf5-pie")), events, tracer,
                        open_symbols);
    std::byte buffer[16];
    EXPECT_EQ(process.read_available(RunAddress(0), buffer), 0u);
    EXPECT_THROW(process.read_memory(RunAddress(0x10), buffer), MemoryError);
    EXPECT_THROW(process.write_memory(RunAddress(0x10), buffer), MemoryError);
    EXPECT_THROW(process.insert_trap(RunAddress(0x10)), MemoryError);
    EXPECT_FALSE(process.has_trap(RunAddress(0x10)));
}

TEST(LiveProcess, IsNeverLeftBehind) {
    pid_t id = 0;
    {
        EventLoop events;
        Tracer tracer{real_kernel()};
        LiveProcess process(testing::quiet_launch(fixture("trouble-gcc"), {"spin"}), events, tracer,
                            open_symbols);
        id = process.id();
        EXPECT_EQ(kill(id, 0), 0);
    }
    EXPECT_EQ(kill(id, 0), -1);
}

TEST(LiveProcess, SaysWhyAProgramCannotStart) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    auto refusal = [&](LaunchOptions options) -> std::string {
        try {
            LiveProcess process(options, events, tracer, open_symbols);
        } catch (const TargetError& error) {
            return error.what();
        }
        return "started";
    };
    testing::TemporaryFolder folder;
    EXPECT_NE(refusal(testing::quiet_launch("/no/such/program")).find("cannot be started"),
              std::string::npos);
    auto text = folder.write("plain", "text");
    EXPECT_NE(refusal(testing::quiet_launch(text)).find("may not be run"), std::string::npos);
    LaunchOptions wrong = testing::quiet_launch(fixture("locks-static"));
    wrong.folder = "/no/such/folder";
    EXPECT_NE(refusal(wrong).find("folder /no/such/folder cannot be entered"), std::string::npos);
    wrong = testing::quiet_launch(fixture("locks-static"));
    wrong.input_file = "/no/such/input";
    EXPECT_NE(refusal(wrong).find("input file /no/such/input cannot be opened"), std::string::npos);
}

TEST(LiveProcess, AForkedChildRunsOnWithoutOurBytes) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(testing::quiet_launch(fixture("trouble-gcc"), {"fork"}), events, tracer,
                        open_symbols);
    // The child calls turn first. With our byte in its code it would die of it and the parent would
    // not get its 7.
    RunAddress turn = address_of(process, "turn");
    process.insert_trap(turn);
    TargetEvent event = process.run();
    while (event.kind == TargetEvent::Kind::signal) event = process.run();  // the child's end
    ASSERT_EQ(event.kind, TargetEvent::Kind::trap) << "the parent, after the child has ended";
    process.remove_trap(turn);
    do event = process.run();
    while (event.kind == TargetEvent::Kind::signal);  // the child's end
    EXPECT_EQ(event.kind, TargetEvent::Kind::exited);
    EXPECT_EQ(event.exit_code, 7);
}

TEST(LiveProcess, EveryThreadMeetsATrap) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(testing::quiet_launch(fixture("trouble-gcc"), {"threads"}), events, tracer,
                        open_symbols);
    RunAddress keeper = address_of(process, "keeper");
    process.insert_trap(keeper);
    std::set<ThreadId> met;
    TargetEvent event = process.run();
    while (event.kind == TargetEvent::Kind::trap) {
        met.insert(event.thread);
        for (ThreadId thread : process.threads())
            while (process.has_trap(process.registers(thread).program_counter())) {
                met.insert(thread);
                process.step(thread);
            }
        event = process.run();
    }
    EXPECT_EQ(met.size(), 4u);
    EXPECT_EQ(event.kind, TargetEvent::Kind::exited);
    EXPECT_EQ(event.exit_code, 12) << "0 + 2 + 4 + 6, undisturbed";
}

TEST(ProgramFile, ShowsCodeAndInitialDataWithoutAProcess) {
    std::string program = fixture("locks-gcc-O0-dwarf5-pie");
    ProgramFile file(program, open_symbols(program));
    auto symbols = testing::witness_symbols(program);
    EXPECT_EQ(file.read<int>(RunAddress(symbols["global_count"])), 7);
    EXPECT_THROW(file.registers(1), RequestError);
    EXPECT_THROW(file.read<int>(RunAddress(0x7fff00000000)), MemoryError);
    EXPECT_TRUE(file.threads().empty());
}

}  // namespace
}  // namespace lantern
