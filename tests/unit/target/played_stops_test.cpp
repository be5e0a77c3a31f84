// Any order of stops, played: what one thread does in the very moment in which another one stops
// the program. Whatever it is, each breakpoint byte that was met is told once, each signal is told
// and given once, and nothing of ours is left behind.
#include <gtest/gtest.h>

#include "core/target/live_process.h"
#include "tests/testing/launching.h"
#include "tests/testing/played_kernel.h"

namespace lantern {
namespace {

using testing::PlayedKernel, testing::fixture;
using Act = PlayedKernel::Act;
using EventKind = TargetEvent::Kind;

constexpr pid_t kProcess = 100;
constexpr ThreadId kOther = 101, kThird = 102, kNewThread = 103, kChild = 200;

const std::string kProgram = fixture("locks-gcc-O0-dwarf5-nopie");

std::uint64_t function_at(const char* name) {
    static const ModuleSymbols symbols(kProgram);
    return symbols.symbol_table().named(name)->address.value;
}

// A process of three threads with breakpoints on three functions, and the count of what was told of
// it.
struct Scene {
    Scene() {
        kernel.add_process(kProcess, kProgram, function_at("main"));
        for (ThreadId id : {kOther, kThird})
            kernel.add_thread(kProcess, id, function_at("ring_bell"));
    }
    LiveProcess& begin() {
        process = std::make_unique<LiveProcess>(kProcess, events, tracer, testing::open_symbols);
        for (const char* name : {"fill", "mean", "factorial"})
            process->insert_trap(RunAddress(function_at(name)));
        return *process;
    }
    bool tell(const TargetEvent& event) {
        if (event.kind == EventKind::trap) ++hits[event.thread];
        if (event.kind == EventKind::signal) {
            ++signals[{event.thread, event.signal}];
            process->deliver(event.thread, event.signal);
        }
        if (event.kind == EventKind::thread_started) ++begun[event.thread];
        if (event.kind == EventKind::forked) forked.push_back(event.other);
        if (event.kind == EventKind::replaced) ++replaced;
        return true;
    }
    TargetEvent run_to_the_end() {
        return process->run([this](const TargetEvent& event) { return tell(event); });
    }
    void expect_hits_told_once() {
        for (const auto& [thread, times] : kernel.met)
            EXPECT_EQ(hits[thread], times) << "thread " << thread;
        for (const auto& [thread, times] : hits)
            EXPECT_EQ(kernel.met[thread], times) << "thread " << thread;
    }
    void expect_signals_given_once() {
        for (const auto& [told, times] : signals) {
            const auto& given = kernel.tasks[told.first].given;
            EXPECT_EQ(std::count(given.begin(), given.end(), told.second), times)
                << "signal " << told.second << " of thread " << told.first;
        }
    }

    PlayedKernel kernel;
    Tracer tracer{kernel};
    EventLoop events;
    std::unique_ptr<LiveProcess> process;
    std::map<ThreadId, unsigned> hits, begun;
    std::map<std::pair<ThreadId, int>, int> signals;
    std::vector<pid_t> forked;
    unsigned replaced = 0;
};

// Why the first thread stops the program.
struct Reason {
    const char* name;
    Act (*act)(PlayedKernel& kernel);
    EventKind kind;
};
const Reason kReasons[] = {
    {"Breakpoint", [](PlayedKernel& k) { return k.comes_to(function_at("fill")); },
     EventKind::trap},
    {"Signal", [](PlayedKernel& k) { return k.gets(SIGUSR1); }, EventKind::signal},
    {"Fault", [](PlayedKernel& k) { return k.gets(SIGSEGV, SEGV_MAPERR); }, EventKind::signal},
    {"Fork", [](PlayedKernel& k) { return k.makes_process(kChild + 50); }, EventKind::forked},
    {"NewThread", [](PlayedKernel& k) { return k.makes_thread(kNewThread + 50); },
     EventKind::thread_started},
};

// What the other does meanwhile.
struct Race {
    const char* name;
    Act (*act)(PlayedKernel& kernel);
};
const Race kRaces[] = {
    {"RunsOn", [](PlayedKernel&) -> Act { return nullptr; }},
    {"MeetsTheSameByte", [](PlayedKernel& k) { return k.comes_to(function_at("fill")); }},
    {"MeetsAnotherByte", [](PlayedKernel& k) { return k.comes_to(function_at("mean")); }},
    {"GetsASignal", [](PlayedKernel& k) { return k.gets(SIGUSR2); }},
    {"Fails", [](PlayedKernel& k) { return k.gets(SIGSEGV, SEGV_MAPERR); }},
    {"TellsOfItsEnd", [](PlayedKernel& k) { return k.tells_of_its_end(0); }},
    {"EndsWithoutAWord", [](PlayedKernel& k) { return k.ends(0); }},
    {"IsKilledWithAll", [](PlayedKernel& k) { return k.whole_process_is_killed(); }},
    {"EndsTheProcess", [](PlayedKernel& k) { return k.process_ends(9); }},
    {"MakesAThread", [](PlayedKernel& k) { return k.makes_thread(kNewThread); }},
    {"MakesAThreadThatIsTheFirstToTell",
     [](PlayedKernel& k) { return k.makes_thread(kNewThread, true); }},
    {"MakesAProcess", [](PlayedKernel& k) { return k.makes_process(kChild); }},
    {"MakesAProcessThatIsTheFirstToTell",
     [](PlayedKernel& k) { return k.makes_process(kChild, true); }},
    {"BecomesAnotherProgram", [](PlayedKernel& k) { return k.becomes(function_at("main")); }},
    {"StopsWithItsGroup", [](PlayedKernel& k) { return k.stops_with_its_group(SIGSTOP); }},
};

void PrintTo(const Reason& reason, std::ostream* out) {
    *out << reason.name;
}
void PrintTo(const Race& race, std::ostream* out) {
    *out << race.name;
}

class Orders : public ::testing::TestWithParam<std::tuple<Reason, Race>> {
  protected:
    // The first thread stops; the other does its part before it can be made to stand; then all goes
    // on, with some delay, to the end.
    void lay_down(Scene& scene) {
        const auto& [reason, race] = GetParam();
        PlayedKernel& k = scene.kernel;
        k.then(kProcess, reason.act(k));
        for (int i = 0; i < 6; ++i) k.then(kProcess, k.gets(SIGWINCH));
        k.then(kProcess, k.comes_to(function_at("mean")));
        k.then(kProcess, k.process_ends(7));
        k.tasks[kOther].when_interrupted = race.act(k);
        k.then(kOther, k.runs_on());
        k.then(kOther, k.comes_to(function_at("factorial")));
        if (std::string(race.name) == "BecomesAnotherProgram") k.then(kOther, k.process_ends(7));
        k.then(kThird, k.runs_on());
        k.then(kThird, k.comes_to(function_at("fill")));
    }
};

TEST_P(Orders, AreToldExactlyAndLeaveNothingBehind) {
    Scene scene;
    lay_down(scene);
    LiveProcess& process = scene.begin();
    EventKind wanted = std::get<0>(GetParam()).kind;
    TargetEvent stop = process.run(
        [&](const TargetEvent& event) { return scene.tell(event) && event.kind != wanted; });
    if (!stop.is_end()) {
        bool is_replaced = stop.kind == EventKind::replaced;  // in the very moment
        scene.replaced += is_replaced;
        EXPECT_TRUE(is_replaced || stop.kind == wanted);
        stop = scene.run_to_the_end();
    }
    EXPECT_TRUE(stop.is_end());
    std::string race = std::get<1>(GetParam()).name;
    if (race == "IsKilledWithAll") {
        EXPECT_EQ(stop.kind, EventKind::killed);
    } else {
        EXPECT_EQ(stop.exit_code, race == "EndsTheProcess" ? 9 : 7);
    }
    bool goes_with_its_news =
        race == "IsKilledWithAll" || race == "EndsTheProcess" || race == "BecomesAnotherProgram";
    if (!goes_with_its_news) {
        scene.expect_hits_told_once();
        scene.expect_signals_given_once();
    }
    EXPECT_EQ(scene.replaced, race == "BecomesAnotherProgram" ? 1u : 0u);
    if (race.find("AThread") != std::string::npos) {
        EXPECT_EQ(scene.begun[kNewThread], 1u);
    }
    for (pid_t child : scene.forked) {
        EXPECT_TRUE(scene.kernel.code_is_as_in_file(child)) << child;
        EXPECT_TRUE(scene.kernel.detached.count(child)) << child;
    }
}

TEST_P(Orders, LeaveACleanProcessWhenItIsReleased) {
    Scene scene;
    lay_down(scene);
    LiveProcess& process = scene.begin();
    EventKind wanted = std::get<0>(GetParam()).kind;
    TargetEvent stop = process.run(
        [&](const TargetEvent& event) { return scene.tell(event) && event.kind != wanted; });
    if (!process.is_alive()) return;  // what it did meanwhile has ended it
    process.release();
    EXPECT_TRUE(scene.kernel.code_is_as_in_file(kProcess));
    for (const auto& [id, task] : scene.kernel.tasks)
        EXPECT_TRUE(task.is_gone || scene.kernel.detached.count(id))
            << "thread " << id << " is still held";
    for (ThreadId id : {kProcess, kOther, kThird}) {
        const auto& given = scene.kernel.tasks[id].given;
        EXPECT_EQ(std::count(given.begin(), given.end(), SIGTRAP), 0)
            << "our own traps are not the program's";
    }
    const auto& given = scene.kernel.tasks[kOther].given;
    std::string race = std::get<1>(GetParam()).name;
    EXPECT_EQ(std::count(given.begin(), given.end(), SIGUSR2), race == "GetsASignal" ? 1 : 0);
}

INSTANTIATE_TEST_SUITE_P(Played, Orders,
                         ::testing::Combine(::testing::ValuesIn(kReasons),
                                            ::testing::ValuesIn(kRaces)),
                         [](const auto& each) {
                             return std::string(std::get<0>(each.param).name) + "AndAnother" +
                                    std::get<1>(each.param).name;
                         });

// It has told of its end and goes there while another thread stops the program. Were its end never
// fetched, its process could not be reaped by whoever started it.
TEST(PlayedRelease, SeesAThreadOffThatIsOnItsWayOut) {
    Scene scene;
    PlayedKernel& k = scene.kernel;
    k.then(kProcess, k.gets(SIGUSR1));
    k.then(kProcess, k.comes_to(function_at("fill")));
    k.then(kOther, k.tells_of_its_end(0));
    k.then(kOther, k.ends(0));
    LiveProcess& process = scene.begin();
    TargetEvent stop = process.run([&](const TargetEvent& event) {
        return scene.tell(event) && event.kind != EventKind::trap;
    });
    ASSERT_EQ(stop.kind, EventKind::trap);
    ASSERT_TRUE(k.has_news_of(kOther)) << "the end has come, and nobody has asked for it";
    process.release();
    EXPECT_FALSE(k.has_news_of(kOther));
    EXPECT_TRUE(k.detached.count(kProcess) && k.detached.count(kThird));
}

// Three threads meet the same byte at once, and tell of it in any order.
TEST(PlayedStops, OfAllThreadsAtOnceAreToldInAnyOrder) {
    std::vector<ThreadId> order{kProcess, kOther, kThird};
    do {
        Scene scene;
        for (ThreadId id : order) scene.kernel.then(id, scene.kernel.comes_to(function_at("fill")));
        scene.kernel.first_told = order;
        LiveProcess& process = scene.begin();
        for (std::size_t told = 0; told < order.size(); ++told) {
            TargetEvent event =
                process.run([](const TargetEvent& each) { return each.kind != EventKind::trap; });
            ASSERT_EQ(event.kind, EventKind::trap);
            EXPECT_TRUE(told > 0 || event.thread == order[0]);
            ++scene.hits[event.thread];
        }
        scene.expect_hits_told_once();
        process.release();
        EXPECT_TRUE(scene.kernel.code_is_as_in_file(kProcess));
    } while (std::next_permutation(order.begin(), order.end()));
}

// Each of these happens while one thread makes a single step and the others stand.
TEST(PlayedSteps, HoldASignalUntilTheProgramGoesOn) {
    Scene scene;
    LiveProcess& process = scene.begin();
    std::uint64_t begin = process.registers(kProcess).program_counter().value;
    TargetEvent event = process.step(kProcess);
    EXPECT_EQ(event.kind, EventKind::stepped);
    EXPECT_GT(process.registers(kProcess).program_counter().value, begin);
    EXPECT_TRUE(scene.kernel.tasks[kOther].stands) << "the others are held";
}

TEST(PlayedSteps, OverAByteRunTheInstructionItself) {
    Scene scene;
    scene.kernel.tasks[kProcess].registers.rip = function_at("fill");
    LiveProcess& process = scene.begin();
    EXPECT_EQ(process.step(kProcess).kind, EventKind::stepped);
    EXPECT_EQ(scene.kernel.met[kProcess], 0u);
    scene.kernel.then(kOther, scene.kernel.comes_to(function_at("fill")));
    TargetEvent event =
        process.run([](const TargetEvent& each) { return each.kind != EventKind::trap; });
    EXPECT_EQ(event.thread, kOther) << "the byte is back for the others";
}

TEST(PlayedSteps, OfAThreadThatIsKilledMeanwhileTellTheEnd) {
    Scene scene;
    LiveProcess& process = scene.begin();
    scene.kernel.whole_process_is_killed()(kProcess);
    TargetEvent event = process.step(kProcess);
    EXPECT_EQ(event.kind, EventKind::killed);
    EXPECT_EQ(event.signal, SIGKILL);
    EXPECT_FALSE(process.is_alive());
}

// ---- several processes

TEST(PlayedProcesses, DoNotTakeEachOthersNews) {
    PlayedKernel kernel;
    kernel.add_process(kProcess, kProgram, function_at("main"));
    kernel.add_process(kChild, kProgram, function_at("main"));
    Tracer tracer{kernel};
    EventLoop events;
    LiveProcess first(kProcess, events, tracer, testing::open_symbols),
        second(kChild, events, tracer, testing::open_symbols);
    // The second is killed from outside while the first one runs.
    kernel.then(kProcess, [&](ThreadId) {
        kernel.whole_process_is_killed()(kChild);
        return false;
    });
    kernel.then(kProcess, kernel.process_ends(5));
    TargetEvent end = first.run();
    EXPECT_EQ(end.kind, EventKind::exited);
    EXPECT_EQ(end.exit_code, 5);
    EXPECT_TRUE(second.is_over());
    EXPECT_EQ(tracer.look(kChild).status, SIGKILL) << "its end waits for whoever asks";
}

TEST(PlayedProcesses, ThatAreGoneAreEndedWithoutAWait) {
    PlayedKernel kernel;
    kernel.add_process(kProcess, kProgram, function_at("main"));
    Tracer tracer{kernel};
    EventLoop events;
    auto process = std::make_unique<LiveProcess>(kProcess, events, tracer, testing::open_symbols);
    kernel.whole_process_is_killed()(kProcess);
    process->kill();
    EXPECT_FALSE(process->is_alive());
}

// Another thread stops the program before the fork is told: the child goes free with its parent.
TEST(PlayedRelease, LetsAChildGoThatNobodyHasTakenYet) {
    Scene scene;
    PlayedKernel& k = scene.kernel;
    k.then(kProcess, k.comes_to(function_at("fill")));
    k.then(kOther, k.makes_process(kChild));
    LiveProcess& process = scene.begin();
    process.follow(Follow::both);
    k.first_told = {kProcess};
    process.run([&](const TargetEvent& event) { return event.kind != EventKind::trap; });
    process.release();
    EXPECT_FALSE(k.tasks[kChild].is_gone) << "it was killed";
    EXPECT_TRUE(k.detached.count(kChild));
    EXPECT_TRUE(k.code_is_as_in_file(kChild));
}

TEST(PlayedForks, KeepBothWithTheChildsCodeClean) {
    for (bool child_is_first : {false, true}) {
        Scene scene;
        scene.kernel.then(kOther, scene.kernel.makes_process(kChild, child_is_first));
        LiveProcess& process = scene.begin();
        process.follow(Follow::both);
        TargetEvent event =
            process.run([](const TargetEvent& each) { return each.kind != EventKind::forked; });
        EXPECT_EQ(event.other, kChild);
        auto child = process.take_child(kChild);
        ASSERT_TRUE(child);
        EXPECT_TRUE(scene.kernel.code_is_as_in_file(kChild));
        // Both go on, each with its own news.
        scene.kernel.then(kChild, scene.kernel.process_ends(3));
        scene.kernel.then(kProcess, scene.kernel.comes_to(function_at("fill")));
        EXPECT_EQ(child->run().exit_code, 3);
        EXPECT_EQ(process.run([](const TargetEvent& each) { return each.kind != EventKind::trap; })
                      .thread,
                  kProcess);
    }
}

TEST(PlayedForks, FollowTheChildAndLeaveTheParentClean) {
    Scene scene;
    scene.kernel.then(kProcess, scene.kernel.makes_process(kChild));
    scene.kernel.then(kChild, scene.kernel.comes_to(function_at("mean")));
    LiveProcess& process = scene.begin();
    process.follow(Follow::child);
    TargetEvent event =
        process.run([](const TargetEvent& each) { return each.kind != EventKind::trap; });
    EXPECT_EQ(event.thread, kChild);
    EXPECT_EQ(process.id(), kChild);
    EXPECT_TRUE(scene.kernel.code_is_as_in_file(kProcess));
    for (ThreadId id : {kProcess, kOther, kThird})
        EXPECT_TRUE(scene.kernel.detached.count(id)) << id;
}

// The child of a vfork runs in its parent's memory: it passes our bytes and nobody is told; the
// other threads meet them meanwhile.
TEST(PlayedForks, OfSharedMemoryAreNotSeenAndHideNothing) {
    Scene scene;
    PlayedKernel& k = scene.kernel;
    k.then(kProcess, k.makes_process(kChild, false, true));
    k.then(kProcess, k.runs_on());  // it is held by the kernel until the child has gone its own way
    k.then(kChild, k.comes_to(function_at("mean")));
    k.then(kChild, k.gets(SIGUSR1));
    for (int i = 0; i < 4; ++i) k.then(kOther, k.gets(SIGUSR2));  // a moment later
    k.then(kOther, k.comes_to(function_at("fill")));
    LiveProcess& process = scene.begin();
    TargetEvent event = process.run(
        [&](const TargetEvent& each) { return scene.tell(each) && each.kind != EventKind::trap; });
    EXPECT_EQ(event.thread, kOther);
    EXPECT_EQ(k.met[kChild], 1u) << "it ran into one";
    EXPECT_EQ(scene.hits.count(kChild), 0u);
    EXPECT_EQ(k.tasks[kChild].given, std::vector<int>{SIGUSR1}) << "its own signals it gets";
    process.release();
    EXPECT_TRUE(k.code_is_as_in_file(kProcess));
    EXPECT_TRUE(k.detached.count(kChild));
}

TEST(PlayedForks, OfSharedMemoryGoTheirOwnWay) {
    Scene scene;
    PlayedKernel& k = scene.kernel;
    k.then(kProcess, k.makes_process(kChild, false, true));
    k.then(kProcess, k.goes_on_after_vfork());
    k.then(kProcess, k.comes_to(function_at("mean")));
    k.then(kChild, k.becomes(function_at("main")));
    LiveProcess& process = scene.begin();
    TargetEvent event = process.run(
        [&](const TargetEvent& each) { return scene.tell(each) && each.kind != EventKind::trap; });
    EXPECT_EQ(event.thread, kProcess);
    EXPECT_EQ(scene.replaced, 0u) << "the child became another program, and not the process";
    EXPECT_TRUE(k.detached.count(kChild));
    EXPECT_TRUE(k.code_is_as_in_file(kChild));
}

// The kernel wakes the parent in the middle of the child's exec, so either may be the first to
// tell.
class SharedMemoryWithBoth : public ::testing::TestWithParam<unsigned> {};

TEST_P(SharedMemoryWithBoth, IsTakenWhereItHasBecomeAnotherProgram) {
    Scene scene;
    PlayedKernel& k = scene.kernel;
    k.then(kProcess, k.makes_process(kChild, false, true));
    k.then(kProcess, k.goes_on_after_vfork());
    k.then(kProcess, k.comes_to(function_at("mean")));
    k.then(kChild, k.comes_to(function_at("factorial")));  // as a guest
    for (unsigned i = 0; i < GetParam(); ++i) k.then(kChild, k.gets(SIGWINCH));
    k.then(kChild, k.becomes(function_at("main")));
    LiveProcess& process = scene.begin();
    process.follow(Follow::both);
    TargetEvent event = process.run([&](const TargetEvent& each) {
        return scene.tell(each) && each.kind != EventKind::forked;
    });
    ASSERT_EQ(event.kind, EventKind::forked);
    EXPECT_EQ(event.thread, kProcess) << "its parent tells, once it may go on";
    EXPECT_EQ(scene.forked, std::vector<pid_t>{kChild});
    EXPECT_EQ(scene.hits.count(kChild), 0u);
    EXPECT_FALSE(k.detached.count(kChild));
    auto child = process.take_child(kChild);
    ASSERT_TRUE(child);
    EXPECT_TRUE(child->began_as_another_program());
    EXPECT_TRUE(k.tasks[kChild].stands);
    EXPECT_TRUE(k.code_is_as_in_file(kChild));
    event = process.run(
        [&](const TargetEvent& each) { return scene.tell(each) && each.kind != EventKind::trap; });
    EXPECT_EQ(event.thread, kProcess);
    EXPECT_EQ(scene.forked.size(), 1u) << "it is told once";
}

TEST_P(SharedMemoryWithBoth, IsToldOnceWhereItOnlyEnds) {
    Scene scene;
    PlayedKernel& k = scene.kernel;
    k.then(kProcess, k.makes_process(kChild, false, true));
    k.then(kProcess, k.goes_on_after_vfork());
    k.then(kProcess, k.comes_to(function_at("mean")));
    for (unsigned i = 0; i < GetParam(); ++i) k.then(kChild, k.gets(SIGWINCH));
    k.then(kChild, k.ends(0));
    LiveProcess& process = scene.begin();
    process.follow(Follow::both);
    TargetEvent event = process.run(
        [&](const TargetEvent& each) { return scene.tell(each) && each.kind != EventKind::trap; });
    EXPECT_EQ(event.thread, kProcess);
    EXPECT_EQ(scene.forked, std::vector<pid_t>{kChild});
    EXPECT_FALSE(process.take_child(kChild));
}

INSTANTIATE_TEST_SUITE_P(Orders, SharedMemoryWithBoth, ::testing::Values(0u, 4u));

// While a guest becomes another program a thread ends, and a new one gets its number: it is another
// thread, which can be stopped.
TEST(PlayedForks, OfSharedMemoryHideNoEnd) {
    Scene scene;
    PlayedKernel& k = scene.kernel;
    k.then(kOther, k.tells_of_its_end(0));
    k.then(kProcess, k.makes_process(kChild, false, true));
    k.then(kProcess, k.goes_on_after_vfork());
    for (int i = 0; i < 4; ++i) k.then(kProcess, k.gets(SIGWINCH));  // a moment later
    k.then(kProcess, [&k](ThreadId id) {
        k.tasks.erase(kOther);
        return k.makes_thread(kOther)(id);
    });
    k.then(kProcess, k.comes_to(function_at("mean")));
    k.then(kChild, k.becomes(function_at("main")));
    k.then(kOther, k.ends(0));
    LiveProcess& process = scene.begin();
    TargetEvent event = process.run(
        [&](const TargetEvent& each) { return scene.tell(each) && each.kind != EventKind::trap; });
    EXPECT_EQ(event.thread, kProcess);
    EXPECT_EQ(scene.begun[kOther], 1u);
    EXPECT_TRUE(k.tasks[kOther].stands);
}

// What the child of a fork got a copy of may have been taken out of its parent before the fork was
// told.
TEST(PlayedForks, CleanBytesThatStandNoMore) {
    Scene scene;
    PlayedKernel& k = scene.kernel;
    k.then(kProcess, k.gets(SIGUSR1));
    k.then(kOther, k.makes_process(kChild));
    LiveProcess& process = scene.begin();
    process.run([&](const TargetEvent& each) {
        if (each.kind == EventKind::signal)
            process.remove_trap(RunAddress(function_at("fill")));  // told before the fork
        return each.kind != EventKind::forked;
    });
    EXPECT_TRUE(k.code_is_as_in_file(kChild));
}

TEST(PlayedExecs, OfAThreadThatIsNotTheFirstLeaveTheFirst) {
    Scene scene;
    scene.kernel.then(kOther, scene.kernel.becomes(function_at("main")));
    scene.kernel.then(kOther, scene.kernel.comes_to(function_at("fill")));
    scene.kernel.then(kOther, scene.kernel.process_ends(2));
    LiveProcess& process = scene.begin();
    TargetEvent event = process.run();
    EXPECT_EQ(event.kind, EventKind::replaced);
    EXPECT_EQ(process.threads(), std::vector<ThreadId>{kProcess});
    EXPECT_FALSE(process.has_trap(RunAddress(function_at("fill"))))
        << "they went with the old memory";
    EXPECT_EQ(process.run().exit_code, 2);
}

// ---- the table of bytes

TEST(Probes, WriteNothingWhereNothingChanges) {
    Scene scene;
    LiveProcess& process = scene.begin();
    RunAddress bell(function_at("ring_bell"));
    EXPECT_EQ(scene.kernel.byte_at(kProcess, function_at("fill")), std::byte{0x55})
        << "nothing stands before the program goes on";
    scene.kernel.then(kProcess, scene.kernel.gets(SIGUSR1));
    process.run([](const TargetEvent& each) { return each.kind != EventKind::signal; });
    EXPECT_EQ(scene.kernel.byte_at(kProcess, function_at("fill")), kTrapByte);
    process.insert_trap(bell, ProbeClient::movement);
    process.remove_trap(bell, ProbeClient::movement);
    EXPECT_NE(scene.kernel.byte_at(kProcess, bell.value), kTrapByte);
    process.remove_trap(RunAddress(function_at("fill")));
    EXPECT_EQ(scene.kernel.byte_at(kProcess, function_at("fill")), kTrapByte)
        << "it is taken out when it matters";
    std::byte shown;
    process.read_memory(RunAddress(function_at("fill")), std::span(&shown, 1));
    EXPECT_EQ(shown, std::byte{0x55}) << "and never shown";
    scene.kernel.then(kProcess, scene.kernel.gets(SIGUSR1));
    process.run([](const TargetEvent& each) { return each.kind != EventKind::signal; });
    EXPECT_EQ(scene.kernel.byte_at(kProcess, function_at("fill")), std::byte{0x55});
}

TEST(Probes, AreWrittenAtOnceWhileTheProgramRuns) {
    Scene scene;
    RunAddress bell(function_at("ring_bell"));
    LiveProcess& process = scene.begin();
    scene.kernel.then(kProcess, [&](ThreadId) {
        process.insert_trap(bell);  // by the user, while it runs meanwhile
        EXPECT_EQ(scene.kernel.byte_at(kProcess, bell.value), kTrapByte);
        return false;
    });
    scene.kernel.then(kProcess, scene.kernel.comes_to(bell.value));
    EXPECT_EQ(
        process.run([](const TargetEvent& each) { return each.kind != EventKind::trap; }).thread,
        kProcess);
}

TEST(Probes, AreCountedForEachClient) {
    Scene scene;
    LiveProcess& process = scene.begin();
    RunAddress fill(function_at("fill"));
    process.insert_trap(fill, ProbeClient::movement);
    process.remove_trap(fill, ProbeClient::breakpoint);
    EXPECT_TRUE(process.has_trap_for(fill, ProbeClient::movement));
    EXPECT_FALSE(process.has_trap_for(fill, ProbeClient::breakpoint));
    process.remove_trap(fill, ProbeClient::movement);
    EXPECT_FALSE(process.has_trap(fill));
}

}  // namespace
}  // namespace lantern
