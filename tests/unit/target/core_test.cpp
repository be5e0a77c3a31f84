// Core files: the kernel's, ours, cut at many lengths, with damaged notes.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

#include "core/session/session.h"
#include "core/support/error.h"
#include "core/target/core_file.h"
#include "core/target/core_writer.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

std::string content_of_file(const std::string& path) {
    std::ifstream file(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(file), {}};
}

// A core that we wrote of a program stopped in a function.
struct Written {
    explicit Written(const std::string& mode = "deep",
                     const std::string& program = "machine-gcc-O0")
        : at(program) {
        at.session.set_arguments({mode, "6"});
        if (mode == "null")
            at.session.launch_again();
        else
            at.session.reach(at.session.place("innermost"));
        path = (folder.path() / "core").string();
        CoreWish wish;
        wish.thread = at.session.thread();
        wish.signal =
            at.session.last_stop().reason == StopReason::signal ? at.session.last_stop().signal : 0;
        wish.is_fault = at.session.last_stop().is_fault;
        wish.fault_address = at.session.last_stop().fault_address;
        written = write_core(at.session.process(), wish, path);
    }
    testing::TemporaryFolder folder;
    testing::Driven at;
    std::string path;
    WrittenCore written;
};

std::string value(Session& session, const std::string& expression) {
    return one_line(
        make_view(ValueReader(session.target()), "x", evaluate(expression, session.context())));
}

TEST(Cores, OursReadsBackAsTheProcessWas) {
    Written core;
    Session looked({core.path, ""}, {});
    EXPECT_EQ(looked.last_stop().reason, StopReason::kept);
    EXPECT_EQ(looked.program(), testing::fixture("machine-gcc-O0"));
    Session& live = core.at.session;
    auto frames = live.stack().frames(20);
    ASSERT_EQ(looked.stack().frames(20).size(), frames.size());
    for (const Frame* frame : frames) {
        const Frame* kept = looked.stack().frame(frame->level);
        EXPECT_EQ(kept->program_counter, frame->program_counter);
        EXPECT_EQ(frame_function_name(*kept), frame_function_name(*frame));
    }
    looked.select_frame(0);
    live.select_frame(0);
    for (const char* expression : {"x", "level", "%rsp", "%rip", "lanes", "sink", "%xmm0"})
        EXPECT_EQ(value(looked, expression), value(live, expression)) << expression;
    EXPECT_EQ(looked.target().extended_state(looked.thread()),
              live.target().extended_state(live.thread()));
    EXPECT_EQ(looked.target().system_registers(looked.thread()).fs_base,
              live.target().system_registers(live.thread()).fs_base);
    EXPECT_LT(core.written.stored, core.written.size) << "zeros are holes";
    // Breakpoint bytes of ours are not in it.
    live.add_breakpoint(live.place("deep"));
    write_core(live.process(), {}, core.path);
    Session again({core.path, ""}, {});
    EXPECT_EQ(value(again, "*(unsigned char*)deep"), value(live, "*(unsigned char*)deep"));
}

TEST(Cores, TheToolchainFindsOursInOrder) {
    Written core("null");
    testing::Ran notes = testing::run({"readelf", "-n", core.path}),
                 segments = testing::run({"readelf", "-lW", core.path});
    for (const char* note : {"NT_PRSTATUS", "NT_PRPSINFO", "NT_SIGINFO", "NT_AUXV", "NT_FILE",
                             "NT_FPREGSET", "NT_X86_XSTATE"})
        EXPECT_TRUE(notes.says(note)) << note;
    EXPECT_EQ(notes.errors.find("Error"), std::string::npos) << notes.errors;
    EXPECT_EQ(notes.errors.find("Warning"), std::string::npos) << notes.errors;
    EXPECT_TRUE(segments.says("CORE (Core file)"));
    EXPECT_TRUE(segments.says("LOAD"));
    EXPECT_EQ(segments.errors, "");
    Session looked({core.path, ""}, {});
    EXPECT_EQ(looked.last_stop().signal, SIGSEGV);
    EXPECT_EQ(frame_function_name(*looked.stack().frame(1)), "call_nothing");
}

TEST(Cores, TheKernelsOwn) {
    if (content_of_file("/proc/sys/kernel/core_pattern") != "core\n" ||
        content_of_file("/proc/sys/kernel/core_uses_pid") != "0\n")
        GTEST_SKIP() << "the kernel of this machine writes its cores elsewhere: SKIPPED";
    testing::TemporaryFolder folder;
    pid_t child = fork();
    if (child == 0) {
        rlimit limit{RLIM_INFINITY, RLIM_INFINITY};
        if (setrlimit(RLIMIT_CORE, &limit) != 0 || chdir(folder.path().c_str()) != 0) _exit(99);
        execl(testing::fixture("machine-gcc-O0").c_str(), "machine", "null", nullptr);
        _exit(99);
    }
    int status = 0;
    waitpid(child, &status, 0);
    if (!WIFSIGNALED(status) || !WCOREDUMP(status))
        GTEST_SKIP() << "no core was written here: SKIPPED";
    Session session({(folder.path() / "core").string(), ""}, {});
    EXPECT_EQ(session.last_stop().reason, StopReason::signal);
    EXPECT_EQ(session.last_stop().signal, SIGSEGV);
    EXPECT_EQ(session.core()->image().process, child);
    EXPECT_TRUE(session.core()->findings().empty()) << session.core()->findings().front().what;
    EXPECT_FALSE(session.core()->filled().empty()) << "code is read from the program's file";
    EXPECT_EQ(frame_function_name(*session.stack().frame(2)), "main");
    session.select_frame(1);
    EXPECT_EQ(value(session, "level"), "7");
    EXPECT_EQ(value(session, "keeper"), "null");
    EXPECT_THROW(session.continue_running(), RequestError);
    EXPECT_THROW(session.assign("level", "3"), Error);
}

TEST(Cores, AreReadAsFarAsTheyGo) {
    Written core;
    std::string whole = content_of_file(core.path);
    unsigned opened = 0, refused = 0;
    for (std::size_t size = 0; size < whole.size(); size += whole.size() / 97 + 1) {
        core.folder.write("cut", whole.substr(0, size));
        try {
            Session session({(core.folder.path() / "cut").string(), ""}, {});
            session.stack().frames(10);
            ++opened;
            EXPECT_FALSE(session.core()->findings().empty())
                << "cut at " << size << " and nothing is said";
        } catch (const Error& error) {
            ++refused;
            EXPECT_FALSE(std::string(error.what()).empty());
        }
    }
    EXPECT_GT(opened, 20u);
    EXPECT_GE(refused, 1u);
}

TEST(Cores, DamagedNotesAreToldAndNothingElse) {
    Written core;
    std::string whole = content_of_file(core.path);
    std::uint32_t seed = 7;
    auto any = [&] { return seed = seed * 1664525 + 1013904223; };
    for (int round = 0; round < 300; ++round) {
        std::string damaged = whole.substr(0, 64 * 1024);
        for (int i = 0; i < 12; ++i) damaged[any() / 65536 % 8192] = static_cast<char>(any() >> 24);
        try {
            CoreImage image = read_core_image(std::as_bytes(std::span(damaged)));
            for (const CoreSegment& segment : image.segments)
                ASSERT_LE(segment.stored ? segment.offset + segment.stored : 0, damaged.size());
        } catch (const FormatError&) {
        }
    }
}

TEST(Cores, OfAnotherBuildAreToldApart) {
    Written core;
    Session other({core.path, testing::fixture("machine-gcc-O2")}, {});
    ASSERT_FALSE(other.core()->findings().empty());
    EXPECT_NE(other.core()->findings()[0].what.find("is NOT the program that left this core"),
              std::string::npos);
    EXPECT_THROW(Session(CoreRequest{testing::fixture("machine-gcc-O0"), ""}, {}), FileError)
        << "a program is no core";
    EXPECT_THROW(Session(CoreRequest{"/nowhere/core", ""}, {}), FileError);
}

}  // namespace
}  // namespace lantern
