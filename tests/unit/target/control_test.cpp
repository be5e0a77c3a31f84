// Threads, processes and watched memory at the level of the target, on a program that behaves in
// every odd way.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/target/live_process.h"
#include "tests/testing/launching.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

using testing::fixture;

using testing::address_of, testing::open_symbols;

LaunchOptions control(std::vector<std::string> arguments, const char* program = "control-gcc-O0") {
    return testing::quiet_launch(fixture(program), std::move(arguments));
}

// The bytes of every executable mapping of a file, as the process has them and as its files do.
void expect_code_as_in_files(pid_t process) {
    std::ifstream maps("/proc/" + std::to_string(process) + "/maps");
    unsigned compared = 0;
    for (std::string line; std::getline(maps, line);) {
        unsigned long low = 0, high = 0, offset = 0;
        char rights[8] = {};
        int path = 0;
        if (std::sscanf(line.c_str(), "%lx-%lx %7s %lx %*s %*s %n", &low, &high, rights, &offset,
                        &path) < 4 ||
            rights[2] != 'x' || line[static_cast<std::size_t>(path)] != '/')
            continue;
        std::vector<char> memory(high - low), file(high - low);
        std::ifstream in("/proc/" + std::to_string(process) + "/mem", std::ios::binary);
        in.seekg(static_cast<std::streamoff>(low))
            .read(memory.data(), static_cast<std::streamsize>(memory.size()));
        std::ifstream source(line.substr(static_cast<std::size_t>(path)), std::ios::binary);
        source.seekg(static_cast<std::streamoff>(offset))
            .read(file.data(), static_cast<std::streamsize>(file.size()));
        EXPECT_EQ(memory, file) << line;
        ++compared;
    }
    EXPECT_GE(compared, 2u);
}

TEST(Threads, SixtyFourOfThemAreCountedExactly) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"count", "64", "500"}), events, tracer, open_symbols);
    process.insert_trap(address_of(process, "pass"));
    std::uint64_t hits = 0;
    std::map<ThreadId, unsigned> by_thread;
    TargetEvent end = process.run([&](const TargetEvent& event) {
        if (event.kind == TargetEvent::Kind::trap) ++hits, ++by_thread[event.thread];
        return true;
    });
    EXPECT_EQ(end.kind, TargetEvent::Kind::exited);
    EXPECT_EQ(hits, 32'000u) << "none lost, none twice";
    EXPECT_EQ(by_thread.size(), 64u);
    for (const auto& [thread, count] : by_thread) EXPECT_EQ(count, 500u) << thread;
}

// The instruction under the byte may be of any kind: a jump, a call, one with an operand by the
// program counter, a return.
TEST(Threads, EveryInstructionOfAFunctionCanCarryATrap) {
    for (const char* program :
         {"control-gcc-O0", "control-gcc-O2", "control-clang-O0", "control-clang-O2"}) {
        if (!HAVE_CLANG && std::string(program).find("clang") != std::string::npos) continue;
        EventLoop events;
        Tracer tracer{real_kernel()};
        LiveProcess process(control({"loops"}, program), events, tracer, open_symbols);
        const Module& main = process.main_module();
        const ElfSymbol* function = main.symbols().symbol_table().named("main");
        unsigned traps = 0;
        for (RunAddress at = main.to_run(function->address);
             at < main.to_run(function->address + function->size);) {
            std::byte bytes[kLongestInstruction];
            auto instruction =
                decode_instruction(ByteSpan(bytes, process.read_available(at, bytes)), at);
            ASSERT_TRUE(instruction);
            process.insert_trap(at);
            ++traps;
            at = instruction->next();
        }
        std::set<RunAddress> met;
        TargetEvent end = process.run([&](const TargetEvent& event) {
            if (event.kind == TargetEvent::Kind::trap)
                met.insert(process.registers(event.thread).program_counter());
            return event.kind != TargetEvent::Kind::signal;
        });
        EXPECT_EQ(end.kind, TargetEvent::Kind::exited) << program;
        EXPECT_EQ(end.exit_code, 0) << program << ": it did what it does without us";
        EXPECT_GT(traps, 30u);
        EXPECT_GT(met.size(), 10u) << program;
    }
}

TEST(Threads, ThousandsOfShortOnesComeAndGo) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"short", "2000"}), events, tracer, open_symbols);
    process.insert_trap(address_of(process, "pass"));
    unsigned hits = 0, started = 0, ended = 0;
    TargetEvent end = process.run([&](const TargetEvent& event) {
        hits += event.kind == TargetEvent::Kind::trap;
        started += event.kind == TargetEvent::Kind::thread_started;
        ended += event.kind == TargetEvent::Kind::thread_ending;
        return true;
    });
    EXPECT_EQ(end.kind, TargetEvent::Kind::exited);
    EXPECT_EQ(hits, 2000u);
    EXPECT_EQ(started, 2000u);
    EXPECT_EQ(ended, 2001u) << "the first one too";
    EXPECT_EQ(end.exit_code, 0);
}

TEST(Threads, OneMovesWhileTheOthersAreHeld) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"count", "4", "1000"}), events, tracer, open_symbols);
    RunAddress pass = address_of(process, "pass");
    process.insert_trap(pass);
    unsigned seen = 0;
    TargetEvent event = process.run(
        [&](const TargetEvent& e) { return e.kind != TargetEvent::Kind::trap || ++seen < 40; });
    ASSERT_EQ(event.kind, TargetEvent::Kind::trap);
    ThreadId chosen = event.thread;
    for (int i = 0; i < 20; ++i) {
        event = process.run([](const TargetEvent&) { return false; }, chosen);
        ASSERT_EQ(event.kind, TargetEvent::Kind::trap);
        EXPECT_EQ(event.thread, chosen);
    }
}

TEST(Process, TheFirstThreadMayLeaveFirst) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"leader"}), events, tracer, open_symbols);
    process.insert_trap(address_of(process, "pass"));
    TargetEvent event =
        process.run([](const TargetEvent& e) { return e.kind != TargetEvent::Kind::trap; });
    ASSERT_EQ(event.kind, TargetEvent::Kind::trap);
    EXPECT_NE(event.thread, process.id());
    EXPECT_EQ(process.threads(), std::vector<ThreadId>{event.thread});
    EXPECT_FALSE(process.regions().empty()) << "told by a thread that still lives";
    event = process.run([](const TargetEvent&) { return true; });
    EXPECT_EQ(event.kind, TargetEvent::Kind::exited);
}

TEST(Process, KilledInTheMiddleOfManySteps) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"killed"}), events, tracer, open_symbols);
    process.insert_trap(address_of(process, "pass"));
    TargetEvent event = process.run([](const TargetEvent&) { return true; });
    EXPECT_EQ(event.kind, TargetEvent::Kind::killed);
    EXPECT_EQ(event.signal, SIGKILL);

    LiveProcess stepped(control({"killed"}), events, tracer, open_symbols);
    stepped.insert_trap(address_of(stepped, "pass"));
    event = stepped.run([](const TargetEvent& e) { return e.kind != TargetEvent::Kind::trap; });
    ASSERT_EQ(event.kind, TargetEvent::Kind::trap);
    kill(stepped.id(), SIGKILL);
    for (int i = 0; i < 1000 && !event.is_end(); ++i) event = stepped.step(event.thread);
    EXPECT_TRUE(event.is_end());
}

TEST(Process, AnExecFromAnyThreadIsFollowed) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"exec"}), events, tracer, open_symbols);
    RunAddress loops = address_of(process, "pass");
    process.insert_trap(loops);
    TargetEvent event =
        process.run([](const TargetEvent& e) { return e.kind != TargetEvent::Kind::replaced; });
    ASSERT_EQ(event.kind, TargetEvent::Kind::replaced);
    EXPECT_EQ(event.thread, process.id());
    EXPECT_EQ(process.threads().size(), 1u);
    EXPECT_FALSE(process.has_trap(loops)) << "it went with the old memory";
    EXPECT_EQ(process.program(), fixture("control-gcc-O0"));
    event = process.run([](const TargetEvent&) { return true; });
    EXPECT_EQ(event.exit_code, 0);
}

TEST(Process, TheChildOfAForkIsFollowedWhenAsked) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"fork"}), events, tracer, open_symbols);
    process.follow(Follow::child);
    process.insert_trap(address_of(process, "pass"));
    pid_t parent = process.id();
    unsigned hits = 0;
    TargetEvent event = process.run([&](const TargetEvent& e) {
        hits += e.kind == TargetEvent::Kind::trap;
        return true;
    });
    EXPECT_NE(event.thread, parent);
    EXPECT_EQ(event.kind, TargetEvent::Kind::exited);
    EXPECT_EQ(event.exit_code, 17) << "what the child returns";
    EXPECT_EQ(hits, 1u) << "the byte is in the child's copy of the memory too";
    int status = 0;
    waitpid(parent, &status, 0);
}

TEST(Process, ManyChildrenGoTheirOwnWays) {
    testing::TemporaryFolder folder;
    LaunchOptions options = control({"brood", "60"});
    options.output_file = (folder.path() / "out").string();
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(options, events, tracer, open_symbols);
    process.insert_trap(address_of(process, "pass"));
    unsigned forks = 0, hits = 0;
    TargetEvent end = process.run([&](const TargetEvent& event) {
        forks += event.kind == TargetEvent::Kind::forked;
        hits += event.kind == TargetEvent::Kind::trap;
        return true;
    });
    EXPECT_EQ(end.kind, TargetEvent::Kind::exited);
    EXPECT_EQ(forks, 60u) << "grandchildren are nobody's business";
    EXPECT_EQ(hits, 0u) << "only the children pass there, and they have clean code";
    EXPECT_EQ(folder.read("out"), testing::run({fixture("control-gcc-O0"), "brood", "60"}).output);
}

TEST(Attach, ReleaseLeavesEveryByteOfTheCode) {
    testing::RunningProgram child("control-gcc-O0", {"spin"});
    EventLoop events;
    Tracer tracer{real_kernel()};
    {
        LiveProcess process(child.id(), events, tracer, open_symbols);
        EXPECT_GE(process.threads().size(), 1u);
        RunAddress pass = address_of(process, "pass");
        process.insert_trap(pass);
        process.insert_trap(pass + 1);
        unsigned hits = 0;
        process.run([&](const TargetEvent& event) {
            return event.kind != TargetEvent::Kind::trap || ++hits < 5000;
        });
        EXPECT_EQ(hits, 5000u);
        process.set_watch(0, address_of(process, "level"), 8, true);
        process.release();
    }
    expect_code_as_in_files(child.id());
    long before = testing::state_of(child.id()).ticks;
    EXPECT_TRUE(testing::eventually(
        [&] { return !child.is_running() || testing::state_of(child.id()).ticks > before + 2; }));
    EXPECT_TRUE(child.is_running());
}

// A thread that has just ended cannot be traced any more, and is no reason to refuse its process.
TEST(Attach, ThreadsThatEndMeanwhileAreNoHindrance) {
    testing::RunningProgram child("control-gcc-O0", {"short", "100000000"});
    EventLoop events;
    Tracer tracer{real_kernel()};
    for (int i = 0; i < 2000; ++i) {
        LiveProcess process(child.id(), events, tracer, open_symbols);
        EXPECT_GE(process.threads().size(), 1u);
        process.release();
    }
    EXPECT_TRUE(child.is_running());
}

TEST(Attach, RefusalsSayWhy) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    auto refusal = [&](pid_t process) -> std::string {
        try {
            LiveProcess never(process, events, tracer, open_symbols);
        } catch (const TargetError& error) {
            return error.what();
        }
        return "";
    };
    EXPECT_EQ(refusal(getpid()), "this process is elm-lantern itself");
    EXPECT_EQ(refusal(0x3ffffff), "there is no process 67108863");
    EXPECT_EQ(refusal(-4), "-4 is no number of a process");
    LiveProcess traced(control({"loops"}), events, tracer, open_symbols);
    EXPECT_NE(refusal(traced.id()).find("already being traced"), std::string::npos);
}

TEST(Watch, ADebugRegisterTellsOfEachWrite) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"watch"}), events, tracer, open_symbols);
    RunAddress level = address_of(process, "level");
    process.set_watch(1, level, 8, false);
    std::vector<long> values;
    TargetEvent end = process.run([&](const TargetEvent& event) {
        if (event.kind == TargetEvent::Kind::watched) {
            EXPECT_EQ(event.watches, 2u) << "the second of the four";
            values.push_back(process.read<long>(level));
        }
        return true;
    });
    EXPECT_EQ(values, (std::vector<long>{1, 5, 5, 3}))
        << "as the source has it, the same value again too";
    EXPECT_EQ(end.exit_code, 0);
}

TEST(Watch, NewThreadsAreWatchedToo) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"count", "8", "10"}), events, tracer, open_symbols);
    process.set_watch(0, address_of(process, "passages"), 8, false);
    unsigned writes = 0;
    std::set<ThreadId> threads;
    process.run([&](const TargetEvent& event) {
        if (event.kind == TargetEvent::Kind::watched) ++writes, threads.insert(event.thread);
        return true;
    });
    EXPECT_EQ(writes, 8u);
    EXPECT_EQ(threads.size(), 8u);
}

TEST(Watch, ProtectedPagesTellOfStoresAndSystemCallsAndLetThemThrough) {
    testing::TemporaryFolder folder;
    LaunchOptions options = control({"watch"});
    options.output_file = (folder.path() / "out").string();
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(options, events, tracer, open_symbols);
    const ElfSymbol* day = process.main_module().symbols().symbol_table().named("day");
    RunAddress sheet = process.main_module().to_run(day->address);
    constexpr std::uint64_t kSheet = 64 + 500 * 8 + 32;
    process.protect({sheet, sheet + kSheet}, false);
    unsigned touched = 0, by_system_call = 0;
    TargetEvent end = process.run([&](const TargetEvent& event) {
        EXPECT_NE(event.kind, TargetEvent::Kind::signal);
        if (event.kind == TargetEvent::Kind::touched)
            ++touched, by_system_call += event.system_call >= 0;
        return event.kind != TargetEvent::Kind::signal;
    });
    EXPECT_EQ(end.exit_code, 0);
    EXPECT_GE(touched, 4u);
    EXPECT_GE(by_system_call, 1u) << "read() into the head";
    EXPECT_EQ(folder.read("out"), testing::run({fixture("control-gcc-O0"), "watch"}).output)
        << "the program does as without us";
}

TEST(RemoteCall, LeavesRegistersAsTheyWere) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(control({"loops"}), events, tracer, open_symbols);
    RunAddress main = address_of(process, "main");
    process.insert_trap(main);
    TargetEvent event =
        process.run([](const TargetEvent& e) { return e.kind != TargetEvent::Kind::trap; });
    Registers before = process.registers(event.thread);
    EXPECT_EQ(process.system_call(event.thread, 39 /* getpid */, {}), process.id());
    EXPECT_EQ(process.system_call(event.thread, 3 /* close */, {12345}), -EBADF);
    for (unsigned number = 0; number < kGeneralRegisters; ++number)
        EXPECT_EQ(process.registers(event.thread).get(number), before.get(number)) << number;
    EXPECT_EQ(process.run([](const TargetEvent&) { return true; }).exit_code, 0);
}

}  // namespace
}  // namespace lantern
