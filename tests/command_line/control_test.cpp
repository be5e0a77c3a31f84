// Control as a user types it: limits, notes and plots, watchpoints, events, threads, attaching, a
// terminal of the program's own.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <regex>

#include "tests/testing/terminal.h"

namespace lantern::testing {
namespace {

const std::string kControl = fixture("control-gcc-O0");

Ran control(const std::vector<std::string>& commands,
            const std::vector<std::string>& options = {"--stdout", "/dev/null"}) {
    return debug(kControl, commands, options);
}

TEST(Limits, AreReadInAnyOrder) {
    Ran ran = control({"pause at pass after 3 every 5 when turn % 2 == 0 thread 2", "breakpoints",
                       "launch count 1 40", "value turn", "breakpoints"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("when turn % 2 == 0  after 3  every 5  thread 2"));
    EXPECT_TRUE(ran.says("turn = 14"))
        << "even turns: three passed, then the fifth of 6, 8, 10, 12, 14\n"
        << ran.output;
    EXPECT_TRUE(ran.says("1 hit, passed"));
    EXPECT_TRUE(control({"pause at pass every 0"}).says("every needs a number from 1 on"));
    EXPECT_TRUE(control({"pause at pass when"}).says("the condition after 'when' is missing"));
}

TEST(Later, APlaceThatALibraryWillBring) {
    Ran ran = control({"-pause at plugin_toll", "pause at plugin_toll later", "breakpoints",
                       "launch plugin " + fixture("libplugin.so"), "value barge", "breakpoints",
                       "continue", "value barge"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("with the word later it waits for a library that brings it"));
    EXPECT_TRUE(ran.says("waits: no loaded module has this place"));
    EXPECT_TRUE(ran.says("barge = 20"));
    EXPECT_TRUE(ran.says("plugin.c:3  in plugin_toll"));
    EXPECT_TRUE(ran.says("barge = 21")) << "unloaded, loaded again, met again";
}

TEST(Notes, AreShownSavedAndDrawn) {
    TemporaryFolder folder;
    std::string csv = (folder.path() / "tolls.csv").string(),
                json = (folder.path() / "tolls.json").string();
    std::string svg = (folder.path() / "tolls.svg").string(),
                png = (folder.path() / "tolls.png").string();
    std::vector<std::string> commands{"note at control.c:19 toll, turn / 2.0 when barge == 1",
                                      "notes",
                                      "launch count 2 30",
                                      "notes",
                                      "save notes as " + csv,
                                      "save notes as " + json,
                                      "plot as " + svg,
                                      "plot toll as " + png,
                                      "plot toll",
                                      "-plot nothing as " + svg};
    Ran ran = control(commands);
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("no hit yet"));
    EXPECT_TRUE(ran.says("30 rows"));
    EXPECT_TRUE(ran.says("10 before these"));
    auto rows = lines_of(folder.read("tolls.csv"));
    ASSERT_EQ(rows.size(), 31u);
    EXPECT_EQ(rows[0], "seconds,thread,note,hit,toll,turn / 2.0");
    EXPECT_TRUE(rows[30].ends_with(",30,19,14.5")) << rows[30];
    EXPECT_NE(folder.read("tolls.json").find("\"total\":30"), std::string::npos);
    EXPECT_NE(folder.read("tolls.svg").find("<svg"), std::string::npos);
    EXPECT_NE(folder.read("tolls.svg").find("turn / 2.0"), std::string::npos) << "named in the key";
    EXPECT_EQ(folder.read("tolls.png").substr(1, 3), "PNG");
    EXPECT_TRUE(ran.says("nothing noted is called nothing"));
    EXPECT_TRUE(control({"plot as x.svg"}).says("nothing has been noted yet"));
}

TEST(Watching, TellsOldAndNewAndWho) {
    Ran ran = control({"pause at watch", "launch watch", "pause on write level + 1"});
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(ran.says("level + 1 has no address that could be watched: it is a computed value"))
        << ran.output;
    EXPECT_TRUE(control({"-pause on write &level", "launch loops"})
                    .says("has no address before the program runs"));
    Ran early = debug(kControl, {"pause on write level", "launch watch", "restart"},
                      {"--stdout", "/dev/null"});
    EXPECT_EQ(early.status, 0) << early.output;
    EXPECT_TRUE(early.says("from the program's start on"));
    EXPECT_NE(early.output.find("wrote     level"), early.output.rfind("wrote     level"))
        << "in each run: " << early.output;
    Ran watched = debug(
        kControl,
        {"pause at watch", "launch watch", "pause on write level", "continue", "continue",
         "pause on write day.sheet", "drop 2", "continue", "continue", "continue", "breakpoints"},
        {"--stdout", "/dev/null"});
    EXPECT_EQ(watched.status, 0) << watched.output;
    EXPECT_TRUE(watched.says("by 1 debug register"));
    EXPECT_TRUE(watched.says("wrote     level  0 → 1"));
    EXPECT_TRUE(watched.says("control.c:79 in watch: level = 1;"));
    EXPECT_TRUE(watched.says("wrote     day.sheet.entries[7]  0 → 70"));
    EXPECT_TRUE(watched.says("by        the system call read, called by watch at control.c:"));
    EXPECT_TRUE(watched.says("by page protection"));
}

TEST(Watching, ALocalWasNotSetBefore) {
    Ran ran = debug(kControl,
                    {"pause at local_watched", "launch watch", "pause on write gauge", "continue",
                     "continue 1"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("until local_watched returns"));
    EXPECT_TRUE(ran.says("wrote     gauge  (not set) → 10")) << ran.output;
}

TEST(Events, RefusalsTeach) {
    EXPECT_TRUE(control({"pause on trow"}).says("did you mean pause on throw?"));
    EXPECT_TRUE(control({"pause on syscall wrte"}).says("did you mean"));
    EXPECT_TRUE(control({"pause on signal SIGBARGE"}).says("is no signal"));
    EXPECT_TRUE(control({"pause on thread"}).says("a thread can start or end"));
    EXPECT_TRUE(control({"pause on write"}).says("what to watch is missing"));
    EXPECT_TRUE(control({"signals SIGTERM maybe"}).says("natural, pass, swallow or pause"));
    EXPECT_TRUE(control({"follow all"}).says("parent, child or both"));
    EXPECT_TRUE(control({"process 2"}).says("there is no process 2"));
    EXPECT_TRUE(control({"reach loops", "over pace 1 meanwhile"}).says("leave one of them out"));
    EXPECT_TRUE(control({"reach loops meanwhile"}).says("launch starts it"));
    EXPECT_TRUE(control({"wait"}).says("the program is not running by itself"));
    EXPECT_TRUE(control({"release"}).says("the program is not running"));
    EXPECT_TRUE(control({"thread 4"}).says("the program is not running"));
    EXPECT_TRUE(control({"reach loops", "thread 4"}).says("there is no thread 4"));
    EXPECT_TRUE(control({"reach loops", "out loop"}).says("no loop of loops is around line"));
}

TEST(Steps, AtAPaceTellEachLine) {
    Ran ran = control({"reach loops", "over 6 pace 0.001"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("139  for (int lock = 0; lock < 3; ++lock) {"));
    EXPECT_TRUE(ran.says("sum (not set) → 0"));
    EXPECT_TRUE(ran.says("step done ─ loops"));
}

TEST(Threads, AreListedAndSelected) {
    Ran ran = control({"pause at pass when barge == 2", "launch count 4 10", "threads", "thread 1",
                       "stack", "threads"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("thread 4 ──") || ran.says("─ thread 4"));
    EXPECT_TRUE(ran.says("call stack of thread 1, innermost first"));
    EXPECT_TRUE(ran.says("◆  1  "));
}

TEST(Threads, ThatWaitForEachOtherAreTold) {
    Ran ran = run(
        {LANTERN_PROGRAM, "debug",
         std::string(DEMO_PROGRAM).substr(0, std::string(DEMO_PROGRAM).rfind('/')) + "/lockgates",
         "--stdout", "/dev/null", "--script", SOURCE_FOLDER "/demo/nobody-passes.lantern"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("threads 2 and 3 wait for each other: none of them can go on"));
    EXPECT_TRUE(ran.says("held by thread 3"));
    EXPECT_TRUE(ran.says("going up"));
}

TEST(Meanwhile, AScriptGoesOn) {
    EXPECT_TRUE(control({"reach loops", "wait 0.05"}).says("the program is not running by itself"));
    Ran spin =
        control({"pause at count once", "launch spin", "continue meanwhile", "-continue", "-locals",
                 "wait 0.05", "pause at pass when turn == 500", "wait", "value turn"});
    EXPECT_EQ(spin.status, 0) << spin.output;
    EXPECT_TRUE(spin.says("the program runs; pause stops it"));
    EXPECT_TRUE(spin.says("still runs after 0.05 s"));
    EXPECT_TRUE(spin.says("turn = 500"));
}

TEST(Meanwhile, EveryMovementCanGoOn) {
    Ran ran = control({"reach loops", "over 3 meanwhile", "-wait", "value lock", "pause at pass",
                       "reach control.c:145 meanwhile", "-wait"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("lock = 0"));
    EXPECT_TRUE(ran.says("reached ─ loops"));
    Ran into = control({"pause at count once", "launch count 1 10", "reach pass meanwhile", "-wait",
                        "out meanwhile", "-wait", "into insn meanwhile"});
    EXPECT_EQ(into.status, 0) << into.output;
    EXPECT_TRUE(into.says("returned  0 from pass"));
    Ran quits = control({"pause at count once", "launch spin", "over 100000 meanwhile", "quit"});
    EXPECT_EQ(quits.status, 0) << quits.output;
}

TEST(Processes, BothSidesOfAForkAreKept) {
    Ran ran = control({"follow both", "pause on fork", "pause at pass", "launch fork", "processes",
                       "continue", "stack", "processes", "continue", "processes", "off all",
                       "-continue", "processes"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("which is process 2 here")) << ran.output;
    EXPECT_TRUE(ran.says("processes ──"));
    EXPECT_TRUE(ran.says("breakpoint 2 ─ pass"))
        << "the child meets the breakpoint: " << ran.output;
    EXPECT_TRUE(ran.says("─ process 2 ──")) << ran.output;
    // The parent learns of its child's end when we do, and may be quicker to its own than we are to
    // hold it.
    bool is_quick = ran.says("process 1 (") && ran.says(") has ended, exit status 0");
    EXPECT_TRUE(ran.says(is_quick ? "the program has ended, exit status 17"
                                  : "process 2 has ended, exit status 17"))
        << ran.output;
    EXPECT_TRUE(is_quick || (ran.says("process 1 is looked at now") &&
                             ran.says("the program has ended, exit status 0")))
        << "and the parent ends in order: " << ran.output;
    EXPECT_TRUE(ran.says("no process runs"));
    Ran released = control({"follow both", "pause on fork", "launch fork", "release"});
    EXPECT_EQ(released.status, 0) << released.output;
}

struct Spinning {
    Spinning() {
        child = fork();
        if (child == 0) {
            (void)!freopen("/dev/null", "w", stdout);
            execl(kControl.c_str(), "control", "spin", nullptr);
            _exit(127);
        }
        wait_until_it_runs(child, kControl);
    }
    ~Spinning() {
        kill(child, SIGKILL);
        waitpid(child, nullptr, 0);
    }
    bool lives() const { return waitpid(child, nullptr, WNOHANG) == 0; }
    pid_t child;
};

TEST(Attach, FromTheCommandLine) {
    Spinning program;
    std::string id = std::to_string(program.child);
    Ran ran = run({LANTERN_PROGRAM, "attach", id, "--do", "threads", "--do", "pause at pass",
                   "--do", "continue", "--do", "value barge", "--do", "release"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("process " + id + " has been stopped"));
    EXPECT_TRUE(ran.says("breakpoint 1 ─ pass"));
    EXPECT_TRUE(ran.says("runs on without us"));
    EXPECT_TRUE(program.lives());
    EXPECT_EQ(run({LANTERN_PROGRAM, "attach", id, "--do", "quit"}).status, 0);
    EXPECT_TRUE(program.lives()) << "what we did not start, we do not end";
    EXPECT_TRUE(run({LANTERN_PROGRAM, "attach", "99999999"}).says("there is no process 99999999"));
    EXPECT_EQ(run({LANTERN_PROGRAM, "attach", "barge"}).status, 2);
    EXPECT_EQ(run({LANTERN_PROGRAM, "attach"}).status, 2);
}

// A program that has written its first bytes and goes on; ended with its test.
class Begun {
  public:
    explicit Begun(const std::vector<std::string>& words) {
        int ends[2];
        if (pipe2(ends, O_CLOEXEC) != 0) return;
        id_ = fork();
        if (id_ == 0) {
            dup2(ends[1], 1);
            std::vector<char*> list;
            for (const std::string& word : words) list.push_back(const_cast<char*>(word.c_str()));
            list.push_back(nullptr);
            execvp(list[0], list.data());
            _exit(127);
        }
        close(ends[1]);
        output_ = ends[0];
        char bytes[16];
        has_written_ = read(output_, bytes, sizeof bytes) > 0;
    }
    ~Begun() {
        kill(id_, SIGKILL);
        waitpid(id_, nullptr, 0);
        close(output_);
    }
    Begun(const Begun&) = delete;
    Begun& operator=(const Begun&) = delete;
    bool has_written() const { return has_written_; }
    bool lives() const { return waitpid(id_, nullptr, WNOHANG) == 0; }
    std::string id() const { return std::to_string(id_); }

  private:
    pid_t id_ = 0;
    int output_ = -1;
    bool has_written_ = false;
};

// A library that is built anew while the program runs: the one that is loaded has its names.
struct GateProgram {
    GateProgram() {
        folder.write("gate.c",
                     "int opened;\nint turn(int times) {\n    opened += times;\n"
                     "    return opened;\n}\n");
        auto source = folder.write("main.c", R"(#include <stdio.h>
#include <unistd.h>
int turn(int times);
int main(int count, char** words) {
    if (count > 1) rename(words[1], words[2]);
    if (count > 2) return turn(3) + turn(4) == 0;
    puts("turning");
    fflush(stdout);
    for (;;) turn(1);
}
)");
        library = (folder.path() / "libgate.so").string();
        program = (folder.path() / "main").string();
        build_library();
        run({"gcc", "-g", "-O0", "-o", program, source, library});
    }
    void build_library() const {
        std::string made = (folder.path() / "made.so").string();
        run({"gcc", "-g", "-O0", "-shared", "-fPIC", "-o", made,
             (folder.path() / "gate.c").string()});
        std::filesystem::rename(made, library);
    }
    TemporaryFolder folder;
    std::string library, program;
};

TEST(ReplacedLibrary, KeepsItsNamesWhileTheProgramRuns) {
    GateProgram gate;
    std::string other = (gate.folder.path() / "other.so").string();
    std::filesystem::copy_file(gate.library, other);
    Ran ran = debug(gate.program, {"pause at turn later", "launch " + other + " " + gate.library,
                                   "stack", "continue", "value times", "locals", "stack"});
    EXPECT_TRUE(ran.says("times  4  int")) << ran.output;
    EXPECT_EQ(ran.output.find("code of no file"), std::string::npos) << ran.output;
    EXPECT_TRUE(ran.says("0  turn  times = 3")) << ran.output;
    EXPECT_TRUE(ran.says("0  turn  times = 4")) << ran.output;
}

// Closed, built anew, and opened again at the same address, with no stop between.
TEST(ReplacedLibrary, ThatIsOpenedAgainHasTheNamesOfTheNewOne) {
    TemporaryFolder folder;
    auto in = [&](const char* name) { return (folder.path() / name).string(); };
    folder.write("first.c",
                 "#include <signal.h>\nint turn(int times) {\n    raise(SIGWINCH);\n"
                 "    return times;\n}\n");
    folder.write("second.c",
                 "#include <signal.h>\nstatic int twice(int n) {\n    raise(SIGWINCH);\n"
                 "    return 2 * n;\n}\nint turn(int gates) {\n    return twice(gates);\n}\n");
    folder.write("main.c", R"(#include <dlfcn.h>
#include <stdio.h>
int main(int count, char** words) {
    for (int round = 1; round < 3; ++round) {
        void* library = dlopen(words[1], RTLD_NOW);
        int (*turn)(int) = dlsym(library, "turn");
        turn(round);
        dlclose(library);
        rename(words[2], words[1]);
    }
}
)");
    for (auto [source, made] : {std::pair{"first.c", "turn.so"}, {"second.c", "next.so"}})
        ASSERT_EQ(run({"gcc", "-g", "-O0", "-shared", "-fPIC", "-o", in(made), in(source)}).status,
                  0);
    ASSERT_EQ(run({"gcc", "-g", "-O0", "-w", "-o", in("main"), in("main.c")}).status, 0);
    Ran ran = debug(in("main"),
                    {"signals SIGWINCH pause", "launch " + in("turn.so") + " " + in("next.so"),
                     "stack", "continue", "stack"});
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("turn +times = 1 .*first.c:3")))
        << ran.output;
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("twice +n = 2 .*second.c:3")))
        << ran.output;
    EXPECT_TRUE(std::regex_search(ran.output, std::regex("turn +gates = 2 .*second.c:7")))
        << ran.output;
}

// The stack where the program comes to `turn` next.
Ran at_turn(const Begun& program) {
    return run({LANTERN_PROGRAM, "attach", program.id(), "--do", "pause at turn", "--do",
                "continue", "--do", "stack", "--do", "release"});
}

TEST(ReplacedLibrary, KeepsItsNamesForOneWhoAttaches) {
    if (geteuid() != 0) GTEST_SKIP() << "the kernel gives such files to root only: SKIPPED";
    GateProgram gate;
    Begun program({gate.program});
    ASSERT_TRUE(program.has_written());
    gate.build_library();
    Ran ran = at_turn(program);
    EXPECT_TRUE(ran.says("0  turn  times = 1")) << ran.output << ran.errors;
    EXPECT_EQ(ran.output.find("code of no file"), std::string::npos) << ran.output;
}

// With mounts of its own, as in a container: a path leads it to another file than us.
TEST(Attach, ToAProcessToWhichAPathIsAnotherFile) {
    GateProgram gate;
    std::string inner = (gate.folder.path() / "inner.so").string();
    std::filesystem::copy_file(gate.library, inner);
    gate.folder.write("gate.c",
                      "int opened;\nint other(int a) { return a; }\nint wrong(int x, int y) {\n"
                      "    return x + y + opened;\n}\nint turn(int a) {\n    return a;\n}\n");
    gate.build_library();
    std::string script =
        "mount --bind " + inner + " " + gate.library + " || exit 1; exec " + gate.program;
    Begun program({"unshare", "-m", "sh", "-c", script});
    if (!program.has_written()) GTEST_SKIP() << "this user may not mount anything here: SKIPPED";
    Ran ran = at_turn(program);
    EXPECT_TRUE(ran.says("0  turn  times = 1")) << ran.output << ran.errors;
    EXPECT_EQ(ran.output.find("0  wrong"), std::string::npos) << ran.output;
}

TEST(Attach, LeavesAStoppedProcessStoppedAndSaysSo) {
    Spinning program;
    kill(program.child, SIGSTOP);
    int status = 0;
    ASSERT_EQ(waitpid(program.child, &status, WUNTRACED), program.child);
    std::string id = std::to_string(program.child);
    for (int time = 0; time < 5; ++time) {
        Ran ran = run({LANTERN_PROGRAM, "attach", id, "--do", "stack", "--do", "release"});
        EXPECT_TRUE(ran.says("and still stopped by a signal")) << ran.output;
        EXPECT_TRUE(ran.says("kill -CONT " + id)) << ran.output;
    }
    kill(program.child, SIGCONT);
    Ran ran = run({LANTERN_PROGRAM, "attach", id, "--do", "release"});
    EXPECT_TRUE(ran.says("runs on without us")) << ran.output;
    bool is_of_kernel =
        !std::filesystem::exists("/proc/2/exe") && std::filesystem::exists("/proc/2/status");
    Ran kernel = run({LANTERN_PROGRAM, "attach", "2"});
    EXPECT_TRUE(!is_of_kernel || geteuid() != 0 || kernel.says("is a part of the kernel"))
        << kernel.output;
}

TEST(Attach, AnInterpreterStoppedInOurExtension) {
    if (!HAVE_PYTHON) GTEST_SKIP() << "Python's headers are not here: SKIPPED";
    Begun program({"/usr/bin/python3", SOURCE_FOLDER "/tests/programs/weighing.py", FIXTURES});
    ASSERT_TRUE(program.has_written());
    Ran ran = run({LANTERN_PROGRAM, "attach", program.id(), "--do", "pause at heaviest", "--do",
                   "continue", "--do", "stack", "--do", "caller", "--do", "value loads", "--do",
                   "stack all", "--do", "release"});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_TRUE(ran.says("breakpoint 1 ─ heaviest"));
    EXPECT_TRUE(ran.says("weigh.cpp:"));
    EXPECT_TRUE(ran.says(" frames of python3")) << ran.output;
    EXPECT_TRUE(ran.says("; stack "));
    EXPECT_TRUE(ran.says("loads = [12, 40, 31, ") || ran.says("{12, 40, 31, ")) << ran.output;
    EXPECT_TRUE(program.lives()) << "it weighs on";
}

TEST(OwnTerminal, KeepsATranscriptWithTheStopsMarked) {
    TemporaryFolder folder;
    Ran ran = debug(kControl, {"pause at loops", "launch loops", "continue"},
                    {"--terminal", "own", "--out", folder.path().string()});
    EXPECT_EQ(ran.status, 0) << ran.output;
    std::string transcript = folder.read("terminal.txt");
    EXPECT_NE(transcript.find("sum=318"), std::string::npos) << transcript;
    EXPECT_NE(transcript.find("[the program has ended, exit status 0]"), std::string::npos)
        << transcript;
    EXPECT_EQ(folder.read("session.txt").find("sum=318"), std::string::npos) << "apart from ours";
    EXPECT_EQ(debug(kControl, {"quit"}, {"--terminal", "mine"}).status, 2);
}

TEST(OwnTerminal, InteractiveProgramsHearTheKeys) {
    Terminal terminal({LANTERN_PROGRAM, "debug", kControl, "--terminal", "own"});
    ASSERT_TRUE(terminal.shows("›"));
    terminal.type("launch chat\r");
    ASSERT_TRUE(terminal.shows("barge? "));
    terminal.type("Wren\r");
    ASSERT_TRUE(terminal.shows("Wren may pass, terminal 1"));
    terminal.type("\x03");
    ASSERT_TRUE(terminal.shows("paused")) << "its own terminal makes the signal, and we stop there";
    terminal.type("continue\r");
    terminal.type("Heron\r");
    ASSERT_TRUE(terminal.shows("Heron may pass"));
    terminal.type("\x04");
    ASSERT_TRUE(terminal.shows("has ended"));
    terminal.type("quit\r");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

TEST(Flood, OfOutputIsNoHindrance) {
    Ran ran = debug(kControl, {"pause on exit", "launch flood 20000", "continue"}, {});
    EXPECT_EQ(ran.status, 0);
    EXPECT_TRUE(ran.says("019999 gauge reading"));
    EXPECT_TRUE(ran.says("the program is about to end"));
    TemporaryFolder folder;
    Ran own = debug(kControl, {"launch flood 20000"},
                    {"--terminal", "own", "--out", folder.path().string()});
    EXPECT_EQ(own.status, 0);
    EXPECT_EQ(lines_of(folder.read("terminal.txt")).size(), 20'002u)
        << "every line, and the mark of the end";
}

TEST(Prompt, TellsWhatHappensWhileALineIsTyped) {
    Terminal terminal({LANTERN_PROGRAM, "debug", kControl, "--stdout", "/dev/null"});
    ASSERT_TRUE(terminal.shows("›"));
    terminal.type("pause at count once\r");
    ASSERT_TRUE(terminal.shows("breakpoint 1"));
    terminal.type("launch count 4 2000000000\r");
    ASSERT_TRUE(terminal.shows("next to run"));
    terminal.type("continue meanwhile\r");
    ASSERT_TRUE(terminal.shows("running ›"));
    terminal.type("pause at pass when turn % 1000 == 900\r");
    ASSERT_TRUE(terminal.shows("breakpoint 2 ─ pass")) << "without another key";
    terminal.type("off 2\r");  // another thread may have met it at the same moment
    terminal.type("continue meanwhile\r");
    ASSERT_TRUE(terminal.shows("the program runs"));
    terminal.type("pause\r");
    ASSERT_TRUE(terminal.shows("─ thread "));
    terminal.type("quit\r");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

TEST(Prompt, CtrlCStopsAFloodAndAStorm) {
    Terminal terminal({LANTERN_PROGRAM, "debug", kControl, "--stdout", "/dev/null"});
    ASSERT_TRUE(terminal.shows("›"));
    terminal.type("pause at pass when turn < 0\r");
    ASSERT_TRUE(terminal.shows("breakpoint 1"));
    terminal.type("launch spin\r");
    ASSERT_TRUE(terminal.program_is_there());
    terminal.type("\x03");
    ASSERT_TRUE(terminal.shows("paused")) << "while thousands of hits pass each second";
    terminal.type("quit\r");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

}  // namespace
}  // namespace lantern::testing
