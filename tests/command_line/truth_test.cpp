// What was once told falsely, each with its neighbours: old values, parameters, canaries, where a
// stop opens, what a step meets, names in libraries, forms of values.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fmt/format.h>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <sstream>

#include "tests/testing/command.h"
#include "tests/testing/piped_debugger.h"

namespace lantern::testing {
namespace {

const std::vector<std::string> kQuiet = {"--stdout", "/dev/null", "--stdin", "/dev/null"};

class Truth : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (std::string(GetParam()).find("clang") != std::string::npos && !HAVE_CLANG)
            GTEST_SKIP() << "clang is not here";
    }
    std::string program() const { return fixture(GetParam()); }
    bool is_optimised() const { return std::string(GetParam()).find("O2") != std::string::npos; }
};

TEST_P(Truth, ParametersOnTheStackAreSetAndHaveTheirNames) {
    Ran ran = debug(program(), {"pause at seven", "launch", "locals", "caller", "words"}, kQuiet);
    for (const char* line : {"g    77", "s    {a = 1, b = 20, c = 3}"})
        EXPECT_TRUE(ran.says(line)) << line << ran.output;
    for (const std::string& line : lines_of(ran.output)) {
        bool is_parameter = line.find("  g    77") != std::string::npos ||
                            line.find("  s    {a") != std::string::npos;
        EXPECT_FALSE(is_parameter && line.find("not set") != std::string::npos) << line;
    }
    EXPECT_TRUE(ran.says("seven: g")) << ran.output;
    EXPECT_TRUE(ran.says("seven: s.b")) << ran.output;
}

TEST_P(Truth, ACanaryIsOverwrittenOnlyOnceItHasBeenStored) {
    std::vector<std::string> commands = {"pause at copy", "launch", "words"};
    for (int i = 0; i < 12; ++i) commands.insert(commands.end(), {"into insn", "words"});
    Ran ran = debug(program(), commands, kQuiet);
    EXPECT_TRUE(ran.says("canary")) << ran.output;
    EXPECT_TRUE(ran.says("intact")) << ran.output;
    EXPECT_FALSE(ran.says("has been overwritten")) << ran.output;
}

TEST_P(Truth, AStepOutOfATailCallGoesToItsCaller) {
    if (!is_optimised()) GTEST_SKIP() << "no tail calls without optimisation";
    Ran ran = debug(program(), {"pause at last", "launch", "caller", "out"}, kQuiet);
    EXPECT_TRUE(ran.says("returned  6 from")) << ran.output;
    EXPECT_FALSE(ran.says("outermost")) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Builds, Truth,
                         ::testing::Values("truth-gcc-O0", "truth-gcc-O2", "truth-clang-O0",
                                           "truth-clang-O2"));

// What lies right before the function that was called has nothing to do with it.
TEST(Watched, AReturnAddressIsWrittenByTheCall) {
    Ran ran = debug(fixture("failures-gcc-O0"),
                    {"reach main", "over", "pause on write *(long *)(%rsp - 8)", "continue",
                     "continue", "continue"},
                    {"--stdout", "/dev/null"});
    std::vector<std::string> writers;
    for (const std::string& line : lines_of(ran.output))
        if (line.starts_with(" by ")) writers.push_back(line);
    ASSERT_EQ(writers.size(), 3u) << ran.output;
    EXPECT_NE(writers[0].find("failures.c:168 in main: struct barge *queue"), std::string::npos)
        << writers[0];
    EXPECT_EQ(writers[1], writers[0]) << "a call in a call";
    EXPECT_NE(writers[2].find("failures.c:170 in main: if (!strcmp(what, \"member\"))"),
              std::string::npos)
        << "by way of the linkage table: " << writers[2];
}

TEST(Watched, TheOldValueIsTheOneBeforeThisWrite) {
    std::string program = fixture("truth-gcc-O0");
    for (auto [condition, told] : {std::pair{"when level == 12", "level  11 → 12"},
                                   {"after 3", "level  11 → 12"},
                                   {"every 4", "level  11 → 12"},
                                   {"", "level  (not set) → 9"}}) {
        Ran ran = debug(program,
                        {"pause at rising", "launch",
                         fmt::format("pause on write level {}", condition), "continue"},
                        kQuiet);
        EXPECT_TRUE(ran.says(told)) << condition << ran.output;
    }
}

TEST(Forms, SayWhatTheBytesAre) {
    Ran ran = debug(fixture("truth-gcc-O0"),
                    {"pause at puts later", "launch", "caller", "locals", "value x.drift as hex",
                     "value unset", "type mark", "explain mark", "over", "value unset"},
                    kQuiet);
    for (const char* line : {"{222, 173, 190, 239}", "\"lock\\0\"", "\"barge\\0\"", "\"gate\\0\"",
                             "x.drift = 0x19", "unset = 0  int  not set yet"})
        EXPECT_TRUE(ran.says(std::string(line).substr(0, 20))) << line << ran.output;
    EXPECT_TRUE(ran.says("{drift = -7, level = 33}")) << ran.output;
    EXPECT_FALSE(ran.says("const const")) << ran.output;
    EXPECT_FALSE(ran.says("\\xde")) << "bytes are no text\n" << ran.output;
}

TEST(Names, AreThoseThatTheProgramWrote) {
    Ran ran =
        debug(fixture("truth-gcc-O0"),
              {"pause at main", "launch", "pause at puts", "continue", "stack", "out"}, kQuiet);
    EXPECT_TRUE(ran.says("breakpoint 2 ─ puts")) << ran.output;
    EXPECT_FALSE(ran.says("_IO_puts")) << ran.output;
    EXPECT_TRUE(ran.says("from puts")) << ran.output;
}

TEST(Names, OfTheCLibraryAreMetInTheCLibrary) {
    Ran ran = debug(fixture("truth-gcc-O0"),
                    {"pause at free later", "pause at malloc later", "pause at memset later",
                     "pause at _Exit later", "launch"},
                    kQuiet);
    for (const char* name : {"malloc", "memset", "free", "_Exit"}) {
        Ran met = debug(
            fixture("truth-gcc-O0"),
            {"pause at jumps_on", "launch", fmt::format("pause at {}", name), "continue", "stack"},
            kQuiet);
        EXPECT_TRUE(met.says("breakpoint 2 ─ ")) << name << met.output;
        EXPECT_TRUE(met.says("  main ")) << name << met.output;
    }
    EXPECT_TRUE(ran.says("breakpoint ")) << ran.output;
    for (const std::string& line : lines_of(ran.output))
        EXPECT_EQ(line.find("rtld-malloc"), std::string::npos) << line;
}

TEST(Expressions, RunNothingThatIsOnlyAskedItsType) {
    std::vector<std::string> options = kQuiet;
    options.push_back("--allow-calls");
    Ran ran = debug(fixture("truth-gcc-O0"),
                    {"pause at counted", "launch", "drop 1", "value sizeof(counted())",
                     "value 1 ? 5 : counted()", "value 0 ? counted() : 6", "value calls",
                     "value counted()", "value calls"},
                    options);
    EXPECT_TRUE(ran.says("sizeof(counted()) = 4")) << ran.output;
    EXPECT_TRUE(ran.says("1 ? 5 : counted() = 5")) << ran.output;
    EXPECT_TRUE(ran.says("@4 calls = 0")) << ran.output;
    EXPECT_TRUE(ran.says("@6 calls = 1")) << ran.output;
}

TEST(Expressions, ThatAreFarTooLongAreRefused) {
    std::string sum = "1";
    for (int i = 0; i < 10'000; ++i) sum += "+1";
    Ran ran = debug(fixture("truth-gcc-O0"), {"-value " + sum, "value 2 + 2"}, kQuiet);
    EXPECT_TRUE(ran.says("too long") || ran.errors.find("too long") != std::string::npos)
        << ran.output.substr(0, 300);
    EXPECT_TRUE(ran.says("2 + 2 = 4"));
}

TEST(Mutexes, SayWhichThreadHoldsThem) {
    Ran lock =
        debug(fixture("givesup-gcc"), {"pause at sleeps", "launch lock", "value gate"}, kQuiet);
    EXPECT_TRUE(lock.says("gate = held by thread 2")) << lock.output;
}

TEST(LinkersNames, OfDataAreNoCode) {
    Ran ran =
        debug(fixture("truth-gcc-O0"), {"pause at counted", "launch", "value environ"}, kQuiet);
    EXPECT_TRUE(ran.says("data of an unknown type")) << ran.output;
    EXPECT_FALSE(ran.says("code at")) << ran.output;
}

struct GaveUp {
    const char* how;
    std::vector<const char*> told;
};

TEST(GivingUp, OpensAtTheUsersOwnCodeAndSaysWhatWasThrown) {
    const GaveUp kWays[] = {
        {"abort", {"─ main", "abort, or a failed assertion"}},
        {"assert", {"─ main", "Assertion `how == \"open\"' failed"}},
        {"throw",
         {"─ throws", "nobody catches what was thrown", "TollError: no berth for the Wren",
          "berth = 7"}},
        {"number", {"─ throws", "threw     int", "object    17"}},
        {"noexcept", {"─ throws", "TollError: no berth for the Heron", "barred"}},
        {"thread", {"─ throws", "TollError: no berth for the Teal"}},
        {"rethrow", {"─ main", "TollError: no berth for the Coot"}},
        {"nothing", {"─ main", "std::terminate, with no exception on its way"}},
        {"handler", {"─ main", "it called std::terminate", "abort, or a failed assertion"}},
        {"pure", {"─ Lock::use", "a virtual function that has no code (pure virtual)"}},
        {"copy", {"─ bad_copy", "wrote to address 0x0", "a null pointer was followed"}},
        {"free", {"─ main", "double free"}},
        {"at", {"─ main", "std::out_of_range: vector::_M_range_check"}},
    };
    for (const GaveUp& way : kWays) {
        Ran ran = debug(fixture("givesup-gcc"), {fmt::format("launch {}", way.how)},
                        {"--stdout", "/dev/null"});
        for (const char* told : way.told)
            EXPECT_TRUE(ran.says(told)) << way.how << ": " << told << "\n" << ran.output;
        EXPECT_FALSE(ran.says("is not here")) << way.how << ran.output;
    }
}

TEST(Movements, BeginAtTheFrameThatIsShown) {
    Ran ran = debug(fixture("givesup-gcc"),
                    {"pause at main", "launch sleep", "continue meanwhile", "wait 0.1", "pause",
                     "over", "over"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("paused ─ sleeps")) << ran.output;
    EXPECT_TRUE(ran.says("step done ─ sleeps")) << ran.output;
    EXPECT_TRUE(ran.says("◆ 44      std::puts(\"woken\");")) << ran.output;
    Ran two = debug(fixture("givesup-gcc"),
                    {"pause at givesup.cpp:44", "launch two", "thread 2", "thread 1"},
                    {"--stdout", "/dev/null"});
    EXPECT_FALSE(two.says("is not here")) << two.output;
}

// ---- a process that we are attached to

class Ticking {
  public:
    Ticking() : program_(fixture("ticks")), process_(fork()) {
        if (process_ == 0) {
            execl(program_.c_str(), "ticks", nullptr);
            _exit(127);
        }
        wait_until_it_runs(process_, program_);
    }
    ~Ticking() {
        kill(process_, SIGKILL);
        waitpid(process_, nullptr, 0);
    }
    int id() const { return process_; }
    // Whether it goes on counting; false too if it has ended.
    bool counts_on() const {
        std::string before = bytes_at(" B ticks", 4);
        return eventually([&] { return has_ended() || bytes_at(" B ticks", 4) != before; }) &&
               !has_ended();
    }
    // It counts on, so it lives, and the trap is not in its code.
    bool is_alive_and_clean() const {
        if (!counts_on()) return false;
        std::ifstream file(program_, std::ios::binary);
        std::string true_ones(16, 0);
        file.seekg(static_cast<std::streamoff>(offset_of(" T tick")));
        file.read(true_ones.data(), 16);
        return bytes_at(" T tick", 16) == true_ones;
    }

  private:
    bool has_ended() const {
        int status = 0;
        return waitpid(process_, &status, WNOHANG) != 0;
    }
    std::uint64_t offset_of(const std::string& symbol) const {
        std::string symbols = run({"nm", program_}).output;
        std::size_t line = symbols.rfind('\n', symbols.find(symbol + "\n"));
        return std::stoull(symbols.substr(line + 1, 16), nullptr, 16);
    }
    std::string bytes_at(const std::string& symbol, std::size_t size) const {
        std::string maps;
        std::getline(std::ifstream(fmt::format("/proc/{}/maps", process_)), maps);
        std::ifstream memory(fmt::format("/proc/{}/mem", process_), std::ios::binary);
        std::string held(size, 0);
        memory.seekg(
            static_cast<std::streamoff>(std::stoull(maps, nullptr, 16) + offset_of(symbol)));
        memory.read(held.data(), static_cast<std::streamsize>(size));
        return held;
    }
    std::string program_;
    pid_t process_;
};

// A debugger with its commands coming through a pipe that stays open.
class EndedBy : public ::testing::TestWithParam<int> {};

TEST_P(EndedBy, TheProcessGoesOnCleanWhereItStood) {
    Ticking ticking;
    PipedDebugger attached(ticking.id(), "pause at tick\ncontinue\n");
    attached.read_until("breakpoint 1 ─ tick");
    attached.type("value 6 * 7\n");
    attached.read_until("= 42");  // the stop is told, and it waits
    EXPECT_EQ(attached.end_by(GetParam()), GetParam());
    EXPECT_TRUE(ticking.is_alive_and_clean());
}

TEST_P(EndedBy, TheProcessGoesOnCleanWhileItRan) {
    if (GetParam() == SIGKILL) GTEST_SKIP() << "nothing can be done then";
    for (const char* movement : {"continue", "continue meanwhile"}) {
        Ticking ticking;
        PipedDebugger attached(ticking.id(),
                               fmt::format("pause at tick when ticks < 0\n{}\n", movement));
        attached.read_until(fmt::format("› {}", movement));
        ASSERT_TRUE(ticking.counts_on()) << movement;
        EXPECT_EQ(attached.end_by(GetParam()), GetParam()) << movement;
        EXPECT_TRUE(ticking.is_alive_and_clean()) << movement;
    }
}

INSTANTIATE_TEST_SUITE_P(Signals, EndedBy,
                         ::testing::Values(SIGTERM, SIGHUP, SIGQUIT, SIGABRT, SIGKILL));

TEST(ClosedOutput, EndsUsAndLeavesTheProcessClean) {
    Ticking ticking;
    PipedDebugger attached(ticking.id(), "pause at tick\ncontinue\n");
    attached.read_until("breakpoint 1 ─ tick");
    attached.close_output();
    attached.type("stack\nlocals\n");
    EXPECT_EQ(attached.end_by(0), SIGPIPE);
    EXPECT_TRUE(ticking.is_alive_and_clean());
}

TEST(Forks, TheChildOfAVforkMeetsBreakpointsAndItsParentGoesOn) {
    for (const char* how : {"exec", "exit"}) {
        TemporaryFolder folder;
        Ran ran = debug(fixture("vforks"),
                        {"follow child", "pause at helper", fmt::format("launch {}", how),
                         "value n", "continue", "-continue"},
                        {"--stdout", (folder.path() / "said").string()});
        EXPECT_TRUE(ran.says("breakpoint 1 ─ helper")) << how << ran.output;
        EXPECT_TRUE(ran.says("n = 3")) << how << ran.output;
        EXPECT_TRUE(ran.says("the program has ended, exit status 7")) << how << ran.output;
        EXPECT_EQ(folder.read_with("said", "\n"), "parent 10 7\n")
            << how << "the parent went on alone, with clean code\n"
            << ran.output;
    }
}

// Until then it is its parent's memory that it runs in.
TEST(Forks, AChildBySpawningJoinsWhereItHasBecomeAnotherProgram) {
    TemporaryFolder folder;
    Ran ran = debug(fixture("spawns"),
                    {"follow both", "pause at carry", "launch", "value barges", "processes",
                     "stack", "continue", "continue", "value barges", "continue"},
                    {"--stdout", (folder.path() / "said").string()});
    std::size_t child = ran.output.find("barges = 4"), parent = ran.output.find("barges = 2");
    ASSERT_NE(child, std::string::npos) << ran.output;
    ASSERT_NE(parent, std::string::npos) << ran.output;
    EXPECT_LT(child, parent);
    EXPECT_TRUE(ran.says("has become")) << ran.output;
    EXPECT_TRUE(ran.says("has ended, exit status 12")) << ran.output;
    EXPECT_TRUE(ran.says("has ended, exit status 5")) << ran.output;
    EXPECT_EQ(folder.read_with("said", "\n"), "spawned 12, by the shell 5, here 6\n");
}

// It is met in the child as well, though nobody moved it there.
TEST(Forks, APauseOnExecStopsTheSpawnedChild) {
    Ran ran = debug(fixture("spawns"), {"follow both", "pause on exec", "launch", "processes",
                                        "pause at carry", "continue", "value barges"});
    EXPECT_TRUE(ran.says("runs")) << ran.output;
    EXPECT_TRUE(ran.says("barges = 4")) << ran.output;
}

TEST(Forks, AVforkThatOnlyEndsIsToldOnceWithBoth) {
    Ran ran = debug(fixture("vforks"), {"follow both", "pause on fork", "launch exit", "continue"});
    EXPECT_TRUE(ran.says("which has ended and never became another program")) << ran.output;
    EXPECT_TRUE(ran.says("the program has ended, exit status 0")) << ran.output;
}

// ---- sources

// A library is built after the program that uses it, and so may its source be newer than the
// program.
TEST(Sources, OfALibraryAreComparedWithTheLibrary) {
    using std::filesystem::last_write_time;
    TemporaryFolder folder;
    auto library_source =
        folder.write("weir.c", "int weir(int n) {\n    int level = n * 2;\n    return level;\n}\n");
    auto program_source = folder.write(
        "canal.c", "int weir(int);\nint main(void) { return weir(3) == 6 ? 0 : 1; }\n");
    auto library = folder.path() / "libweir.so", program = folder.path() / "canal";
    ASSERT_EQ(
        run({"gcc", "-g", "-shared", "-fPIC", "-o", library.string(), library_source.string()})
            .status,
        0);
    ASSERT_EQ(run({"gcc", "-g", "-o", program.string(), program_source.string(), library.string(),
                   "-Wl,-rpath," + folder.path().string()})
                  .status,
              0);
    auto now = last_write_time(library);
    last_write_time(program_source, now - std::chrono::hours(4));
    last_write_time(program, now - std::chrono::hours(3));
    last_write_time(library_source, now - std::chrono::hours(2));
    Ran ran = debug(program.string(), {"pause at main", "launch", "pause at weir", "continue"});
    EXPECT_TRUE(ran.says("breakpoint 2 ─ weir")) << ran.output;
    EXPECT_FALSE(ran.says("is newer than")) << ran.output;
    last_write_time(library_source, now + std::chrono::hours(1));
    Ran stale = debug(program.string(), {"pause at main", "launch", "pause at weir", "continue"});
    EXPECT_TRUE(stale.says("weir.c is newer than")) << stale.output;
}

// ---- files that are cut while they are read

TEST(CutFile, IsSaidAndTheSessionGoesOn) {
    TemporaryFolder folder;
    auto copy = folder.path() / "cut";
    std::filesystem::copy_file(fixture("truth-gcc-O0"), copy);
    // The file is cut between two commands, while the debugger waits for its input.
    PipedDebugger debugger("debug", copy.string(), "-find functions nothing\nvalue 6 * 7\n");
    debugger.read_until("= 42");
    std::filesystem::resize_file(copy, 4096);
    debugger.type(
        "-source main\n-type struct large\n-disassembly seven\n-find globals *\n"
        "value 2 + 2\n");
    std::string got = debugger.read_until("2 + 2 = 4");
    EXPECT_NE(got.find("was cut while it was read"), std::string::npos) << got;
}

// What we do between a fork and its end must not take the place of what the fork gives.
TEST(Truth, AForkGivesTheProgramWhatItWouldGiveWithoutUs) {
    for (const char* how : {"fork", "vfork"})
        for (const char* whom : {"child", "parent"})
            for (const char* between :
                 {"pause on write berths", "pause on fork", "value twice(4)"}) {
                TemporaryFolder folder;
                std::string said = (folder.path() / "said").string();
                bool calls = std::string(between).starts_with("value");
                Ran ran = debug(fixture("watched-fork"),
                                {"pause at watched_fork.c:14", fmt::format("launch {}", how),
                                 fmt::format("follow {}", whom), calls ? "pause on fork" : between,
                                 "-continue", calls ? "-" + std::string(between) : "-stack",
                                 "-continue", "-continue", "-continue", "-release"},
                                {"--stdout", said, "--allow-calls"});
                EXPECT_EQ(folder.read_with("said", "\n"), "fork gave a child, it ended with 2\n")
                    << how << ", " << whom << ", " << between << "\n"
                    << ran.output;
            }
}

// More places than the end of the code has room for: the program maps room for us, children do not
// get it, and it goes when we do.
TEST(Truth, ManyPlacesAreMetExactlyAndLeaveNoCodeBehind) {
    TemporaryFolder folder;
    std::string said = (folder.path() / "said").string();
    Ran ran = debug(fixture("many-places"),
                    {"pause at gate_* when barge == -1", "pause at release_here", "launch 20",
                     "breakpoints", "release"},
                    {"--stdout", said});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("passed 25 600 times")) << ran.output;
    EXPECT_EQ(folder.read_with("said", "afterwards"),
              "passed 25600\nthe child has 0\nafterwards 0\n");
}

TEST(Truth, SystemCallsIntoSeveralWatchedArraysGiveWhatTheyWouldGiveWithoutUs) {
    TemporaryFolder folder;
    std::string said = (folder.path() / "said").string();
    Ran ran = debug(fixture("watched-reads"),
                    {"pause at watched_reads.c:13", "launch", "pause on write first",
                     "pause on write second", "continue", "continue", "continue", "-continue"},
                    {"--stdout", said});
    for (const char* by : {"second[100..132]", "first[100..132]", "first[9000..9032]",
                           "the system call read, called by main"})
        EXPECT_TRUE(ran.says(by)) << by << "\n" << ran.output;
    EXPECT_EQ(folder.read("said"), "6000 6000 3000, the same bytes\n");
}

// A program that goes on meanwhile is looked after while its driver is silent: each fork and each
// watched system call waits for us.
TEST(Truth, WhatRunsMeanwhileRunsWhileNoCommandComesThroughAPipe) {
    TemporaryFolder folder;
    std::string said = (folder.path() / "said").string();
    std::string script =
        "(echo pause at watched_fork.c:14; echo launch; echo pause on write gates; echo continue "
        "meanwhile; sleep 2; echo value 1; echo pause on fork) | " +
        std::string(LANTERN_PROGRAM) + " debug " + fixture("watched-fork") + " --stdout " + said;
    Ran ran = run({"bash", "-c", script});
    EXPECT_EQ(folder.read("said"), "fork gave a child, it ended with 2\n");
    EXPECT_TRUE(ran.says("the program has ended, exit status 0"))
        << "told before the next command's answer\n"
        << ran.output;
}

TEST(Truth, ThreadsThatWriteIntoAWatchedArrayLoseNothing) {
    TemporaryFolder folder;
    std::string said = (folder.path() / "said").string();
    Ran ran = debug(fixture("watched-threads"),
                    {"pause at main", "launch", "drop 1",
                     "pause on write berths when berths[0] == 99", "continue", "breakpoints"},
                    {"--stdout", said});
    EXPECT_EQ(folder.read("said"), "0 threads failed, 800 berths changed\n");
    EXPECT_TRUE(ran.says("passed 800 times")) << ran.output;
}

TEST(Truth, AProgramThatIsReleasedInTheMiddleOfWatchedCallsLosesNothing) {
    for (const char* moment : {"wait 0.1", "wait 0.16", "wait 0.23"}) {
        TemporaryFolder folder;
        std::string said = (folder.path() / "said").string();
        Ran ran = debug(
            fixture("watched-release"),
            {"pause at main", "launch", "drop 1", "pause on write berths when berths[0] == 250",
             "continue meanwhile", moment, "pause", "release"},
            {"--stdout", said});
        EXPECT_EQ(ran.status, 0) << ran.output;
        EXPECT_EQ(folder.read_with("said", "\n"), "0 threads failed, 2400 berths changed\n")
            << moment << "\n"
            << ran.output;
    }
}

// A step over a fork arrives in the child, where that is followed.
TEST(Truth, AStepGoesOnInAFollowedChild) {
    for (const char* how : {"fork", "vfork"}) {
        Ran ran = debug(fixture("watched-fork"),
                        {"pause at watched_fork.c:14", fmt::format("launch {}", how),
                         "follow child", "over", "value child", "over", "-continue"},
                        {"--stdout", "/dev/null"});
        EXPECT_TRUE(ran.says("◆ 15")) << ran.output;
        EXPECT_TRUE(ran.says("child = 0")) << ran.output;
        EXPECT_TRUE(ran.says("◆ 16")) << ran.output;
        EXPECT_TRUE(ran.says("exit status 2")) << ran.output;
    }
}

// The debug registers do not tell what the kernel writes; whoever asks who writes a value must hear
// of it, and the old value is the one before.
TEST(Truth, AWatchpointSeesWhatTheKernelWrites) {
    Ran ran =
        debug(fixture("kernel-writes"),
              {"pause at main", "launch", "drop 1", "pause on write level", "continue", "continue",
               "continue", "continue", "change level = 5", "continue", "continue", "continue"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    const char* told[] = {"level  0 → 1",
                          "level  1 → 1684234849",
                          "level  1684234849 → 1751606885",
                          "level  1751606885 → 2054781047",
                          "level  5 → 1818978921",
                          "level  1818978921 → 1818978922"};
    std::size_t at = 0;
    for (const char* each : told) {
        std::size_t found = ran.output.find(each, at);
        EXPECT_NE(found, std::string::npos) << each << "\n" << ran.output;
        at = found == std::string::npos ? at : found;
    }
    for (const char* by : {"the system call read, called by main at kernel_writes.c:13",
                           "the system call readv, called by main at kernel_writes.c:15"})
        EXPECT_TRUE(ran.says(by)) << by << "\n" << ran.output;
}

// A single step over the instruction of a system call traps in a way of its own (ptrace(2)), which
// is no signal of the program's.
TEST(Truth, AStepOverTheInstructionOfASystemCallIsAStep) {
    std::map<std::string, std::uint64_t> symbols;
    std::istringstream lines(run({"nm", "--defined-only", fixture("kernel-writes")}).output);
    for (std::string line; std::getline(lines, line);)
        if (line.size() > 19)
            symbols[line.substr(19)] = std::stoull(line.substr(0, 16), nullptr, 16);
    std::string there =
        fmt::format("pause at address (long)&main + {}", symbols.at("here") - symbols.at("main"));
    Ran ran =
        debug(fixture("kernel-writes"), {"pause at main", "launch", there, "continue", "over insn"},
              {"--stdout", "/dev/null"});
    EXPECT_FALSE(ran.says("SIGTRAP")) << ran.output;
    EXPECT_TRUE(ran.says("step done")) << ran.output;
    Ran watched =
        debug(fixture("kernel-writes"),
              {"pause at main", "launch", there, "continue", "pause on write level", "over insn"},
              {"--stdout", "/dev/null"});
    EXPECT_TRUE(watched.says("level  2054781047 → 1818978921")) << watched.output;
}

TEST(Truth, EachWriteOfSeveralThreadsIsCountedOnce) {
    Ran ran = debug(fixture("watched-words"),
                    {"pause at main", "launch", "drop 1", "pause on write lock0 when lock0 < 0",
                     "pause on write lock1 when lock0 < 0", "pause on write lock2 when lock0 < 0",
                     "pause on write lock3 when lock0 < 0", "continue", "breakpoints"});
    std::size_t exact = 0;
    for (std::size_t at = 0; (at = ran.output.find("passed 200 times", at)) != std::string::npos;
         ++at)
        ++exact;
    EXPECT_EQ(exact, 4u) << ran.output;
    EXPECT_TRUE(ran.says("200 200 200 200")) << ran.output;
}

// gcc's split units give the place of a thread's own variable in another way than all others. The
// program says what it has.
TEST(OwnStorage, IsReadAsTheProgramHasIt) {
    std::vector<std::string> programs{"own-storage-plain", "own-storage-split4",
                                      "own-storage-split5"};
    if (HAVE_CLANG) {
        programs.push_back("own-storage-clangsplit4");
        programs.push_back("own-storage-clangsplit5");
    }
    for (const std::string& program : programs) {
        auto told = printed_facts(run({fixture(program)}).output);
        ASSERT_EQ(told.size(), 3u) << program;
        Ran ran =
            debug(fixture(program),
                  {"pause at show", "launch", "value depth", "value name", "value passed"}, kQuiet);
        EXPECT_TRUE(ran.says("@1 depth = " + told["depth"] + " ")) << program << ran.output;
        EXPECT_TRUE(ran.says("@2 name = \"" + told["name"])) << program << ran.output;
        EXPECT_TRUE(ran.says("@3 passed = " + told["passed"] + " ")) << program << ran.output;
    }
}

// The linker still knows the function that debug information has lost the name of: its code is
// there, and was not computed away.
TEST(OwnStorage, AFunctionWithoutANameHasTheLinkers) {
    Ran ran = debug(fixture("own-storage-lost"), {"pause at work", "launch", "stack"}, kQuiet);
    EXPECT_TRUE(ran.says("breakpoint 1 ─ work ─")) << ran.output << ran.errors;
    EXPECT_TRUE(ran.says(" ◆ 0  work ")) << ran.output;
}

}  // namespace
}  // namespace lantern::testing
