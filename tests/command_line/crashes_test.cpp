// Why a program failed, for each way to fail that `crashes` knows: alive, and from the core that
// the kernel wrote.
#include <gtest/gtest.h>

#include <fmt/format.h>
#include <filesystem>
#include <fstream>
#include <regex>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

struct Crash {
    int number;
    const char* cause;
    bool leaves_core = true;
};

const Crash kCrashes[] = {
    {1, "SIGSEGV: it read address 0x8, where nothing is mapped: a null pointer was followed"},
    {2, "SIGSEGV: it wrote to address 0x0, where nothing is mapped: a null pointer was followed"},
    {3,
     "SIGSEGV: it read address 0x1394, where nothing is mapped: a null pointer was followed, 5 012 "
     "bytes in"},
    {4, "SIGSEGV: it called a function through a null pointer"},
    {5, "SIGSEGV: it read address 0x123456789000, where nothing is mapped"},
    {6, "SIGSEGV: it wrote to address 0x123456789000, where nothing is mapped"},
    {7, "SIGSEGV: it read memory through a wild pointer: 0xdeadbeefdeadbeef can be no address"},
    {8, "SIGSEGV: it wrote to memory through a wild pointer: 0xdeadbeefdeadbeef can be no address"},
    {9,
     "SIGSEGV: it called a function through a wild pointer: 0x123456789000, where nothing is "
     "mapped"},
    {10,
     "SIGSEGV: it called a function through a wild pointer: 0xdeadbeefdeadbeef can be no address"},
    {11, "through a wild pointer: 0x6b636f6c20656874 can be no address"},
    {12, "it read 16 bytes at address"},
    {13, "it wrote 16 bytes at address"},
    {14, "SIGSEGV: it came to hlt, which only the kernel may run"},
    {15, "which is not aligned as the program asked the processor to check"},
    {16, "which may only be read"},
    {17, "which may only be read"},
    {18,
     "just past the end of its stack: the stack is full: endless calls itself and does not come "
     "back"},
    {19, "just past the end of its stack: the frame of huge_frame takes 67 1"},
    {20,
     "SIGSEGV: it wrote to address 0xffffff8: the stack pointer is wrong, 0x10000000 is no stack"},
    {21, "SIGBUS: its stack pointer is wrong: 0x6b636f6c20656874 can be no address"},
    {22, "SIGSEGV: it could not return: its return address has been overwritten with the text"},
    {23, "SIGFPE: it divided a whole number by zero"},
    {24,
     "SIGFPE: it divided a whole number and the result did not fit: the smallest number there is "
     "by -1"},
    {25, "SIGILL: it came to bytes that are no instruction of this processor"},
    {26,
     "SIGILL: it came to ud2, the instruction that compilers put where a program must never come"},
    {27, "SIGTRAP: it came to a breakpoint instruction of its own"},
    {28, "SIGSEGV: it read address 0x18 (relative to gs, which is 0x0), where nothing is mapped"},
    {29, "SIGSEGV: it asked for the interrupt 0x99, which the kernel does not offer"},
    {30, "in memory that is kept free, which nobody may use"},
    {31, "which may not be executed"},
    {32, "which is mapped there"},
    {33, "SIGFPE: it divided a floating number by zero, and the program asks to be told"},
    {34, "just past the end of the stack of thread "},
    {35, "SIGUSR1: User defined signal 1; the program itself sent it", false},
    {36, "SIGSEGV: Segmentation fault; the program itself sent it"},
    {37, "SIGUSR2: User defined signal 2; the program itself sent it", false},
    {38, "SIGUSR1: User defined signal 1; process ", false},
    {39, "where nothing is mapped, 16 bytes behind the end of anonymous memory"},
    {40, "SIGABRT: the program gave up by itself"},
    {41, "the stack pointer is wrong"},
    {42, "SIGFPE: it divided a whole number by zero"},
    {43, "SIGSEGV: it read address 0x0, where nothing is mapped: a null pointer was followed"},
    {44, "SIGSEGV: it wrote to address 0x0, where nothing is mapped: a null pointer was followed"},
    {45, "SIGUSR1: User defined signal 1; the program itself sent it", false},
};

class Crashes : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (std::string(GetParam()).find("clang") != std::string::npos && !HAVE_CLANG)
            GTEST_SKIP() << "clang is not here";
    }
};

TEST_P(Crashes, EachIsToldWithItsCauseWhereItHappens) {
    for (const Crash& crash : kCrashes) {
        Ran ran = debug(fixture(GetParam()), {fmt::format("launch {}", crash.number), "continue"},
                        {"--stdout", "/dev/null"});
        EXPECT_TRUE(ran.says(crash.cause)) << crash.number << ": " << crash.cause << "\n"
                                           << ran.output;
    }
}

TEST_P(Crashes, EachIsToldWithItsCauseFromTheCore) {
    std::string pattern;
    std::getline(std::ifstream("/proc/sys/kernel/core_pattern"), pattern);
    if (pattern != "core")
        GTEST_SKIP() << "the kernel of this machine writes its cores elsewhere: SKIPPED";
    for (const Crash& crash : kCrashes) {
        if (!crash.leaves_core) continue;
        TemporaryFolder folder;
        run({"/bin/sh", "-c",
             fmt::format("ulimit -c unlimited; exec {} {} > /dev/null", fixture(GetParam()),
                         crash.number)},
            {}, folder.path());
        auto core = folder.path() / "core";
        ASSERT_TRUE(std::filesystem::exists(core)) << crash.number;
        Ran ran = run(
            {LANTERN_PROGRAM, "postmortem", core.string(), fixture(GetParam()), "--do", "stack"});
        EXPECT_TRUE(ran.says(crash.cause)) << crash.number << ": " << crash.cause << "\n"
                                           << ran.output;
    }
}

INSTANTIATE_TEST_SUITE_P(Builds, Crashes,
                         ::testing::Values("crashes-gcc-O0", "crashes-gcc-O2", "crashes-clang-O0",
                                           "crashes-clang-O2"));

// Optimised, what a call was given is known only from its caller, and so on to the outermost of
// tens of thousands.
TEST(DeepRecursion, TellsWhatEachCallWasGiven) {
    for (const char* program : {"crashes-gcc-O0", "crashes-gcc-O2"}) {
        Ran ran = debug(fixture(program), {"launch 18", "stack"}, {"--stdout", "/dev/null"});
        std::smatch found;
        ASSERT_TRUE(std::regex_search(
            ran.output, found,
            std::regex("the same call ([0-9 ]+) times, depth [0-9 ]+ – [0-9 ]+, n = 0 … ([0-9]+)")))
            << program << ran.output;
        std::string times = found[1];
        std::erase(times, ' ');
        EXPECT_GT(std::stoul(times), 10'000u);
        EXPECT_EQ(std::stoul(found[2]) + 1, std::stoul(times))
            << "endless(0) is the outermost, and each call gives one more";
    }
}

// A core of our own keeps what the kernel said.
TEST(CrashesInOwnCores, HaveTheCauseThatTheyHadAlive) {
    for (auto [number, cause] : {std::pair{12, "it read 16 bytes at address"},
                                 {14, "it came to hlt"},
                                 {7, "0xdeadbeefdeadbeef can be no address"},
                                 {30, "which nobody may use"},
                                 {24, "the smallest number there is by -1"}}) {
        TemporaryFolder folder;
        std::string core = (folder.path() / "own.core").string();
        debug(fixture("crashes-gcc-O0"), {fmt::format("launch {}", number), "save core as " + core},
              {"--stdout", "/dev/null"});
        Ran ran =
            run({LANTERN_PROGRAM, "postmortem", core, fixture("crashes-gcc-O0"), "--do", "stack"});
        EXPECT_TRUE(ran.says(cause)) << number << ran.output;
    }
}

// A library that the program also mapped to read it is where it was loaded, not where it is read.
TEST(Crashes, InALibraryThatIsReadTooHaveItsNames) {
    TemporaryFolder folder;
    std::string core = (folder.path() / "own.core").string();
    Ran alive = debug(fixture("reads-library"), {"launch", "stack all", "save core as " + core});
    ASSERT_TRUE(alive.says("copy 1")) << alive.output;
    Ran ran =
        run({LANTERN_PROGRAM, "postmortem", core, fixture("reads-library"), "--do", "stack all"});
    for (const Ran& each : {alive, ran}) {
        EXPECT_TRUE(each.says(" abort ")) << each.output;
        EXPECT_TRUE(each.says("main ")) << each.output;
    }
}

// A core that holds less than it should, or that another build left, has no cause made up for it.
TEST(CrashesInBadCores, AreSaidNotToBeKnown) {
    std::string pattern;
    std::getline(std::ifstream("/proc/sys/kernel/core_pattern"), pattern);
    if (pattern != "core")
        GTEST_SKIP() << "the kernel of this machine writes its cores elsewhere: SKIPPED";
    TemporaryFolder folder;
    run({"/bin/sh", "-c",
         fmt::format("ulimit -c unlimited; exec {} 1 > /dev/null", fixture("crashes-gcc-O0"))},
        {}, folder.path());
    auto core = folder.path() / "core";
    ASSERT_TRUE(std::filesystem::exists(core));
    Ran other = run(
        {LANTERN_PROGRAM, "postmortem", core.string(), fixture("crashes-gcc-O2"), "--do", "stack"});
    EXPECT_TRUE(other.says("what the instruction did cannot be told")) << other.output;
    EXPECT_FALSE(other.says("null pointer")) << other.output;
    std::filesystem::resize_file(core, 4096);
    Ran cut = run(
        {LANTERN_PROGRAM, "postmortem", core.string(), fixture("crashes-gcc-O0"), "--do", "stack"});
    EXPECT_TRUE(cut.says("what the instruction did cannot be told")) << cut.output << cut.errors;
    EXPECT_FALSE(cut.says("null pointer")) << cut.output;
}

}  // namespace
}  // namespace lantern::testing
