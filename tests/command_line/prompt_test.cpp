// The prompt on a pseudo-terminal: typing, completion, history, Ctrl-C while the program runs,
// Ctrl-D.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <unistd.h>

#include "tests/testing/terminal.h"

namespace lantern::testing {
namespace {

std::vector<std::string> debugging(const std::string& name, std::vector<std::string> more = {}) {
    std::vector<std::string> words{LANTERN_PROGRAM, "debug", fixture(name)};
    words.insert(words.end(), more.begin(), more.end());
    return words;
}

TEST(Prompt, RunsWhatIsTypedAndRepeatsMovements) {
    Terminal terminal(debugging("locks-gcc-O0-dwarf5-pie"));
    EXPECT_TRUE(terminal.shows("locks-gcc-O0-dwarf5-pie › "));
    terminal.type("reach shadowed\n");
    EXPECT_TRUE(terminal.shows("reached ─ shadowed"));
    EXPECT_TRUE(terminal.shows("shadowed:46 › "));
    terminal.type("over\n");
    EXPECT_TRUE(terminal.shows("shadowed:47 › "));
    terminal.type("\n");
    EXPECT_TRUE(terminal.shows("shadowed:48 › "));
    terminal.type("\n");
    EXPECT_TRUE(terminal.shows("shadowed:49 › "));
    terminal.type("= level#45 * 2\n");
    EXPECT_TRUE(terminal.shows("@1 level#45 * 2 = 6"));
    terminal.type("quit\n");
    EXPECT_EQ(terminal.wait_for_end(), 0);
    EXPECT_NE(terminal.history().find("shadowed"), std::string::npos);
}

TEST(Prompt, CompletesCommandsFunctionsVariablesAndMembers) {
    Terminal terminal(debugging("locks-gcc-O0-dwarf5-pie"));
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("rea\tfact\t\n");
    EXPECT_TRUE(terminal.shows("reached ─ factorial"));
    EXPECT_TRUE(terminal.shows("factorial:40 › "));
    terminal.type("val\tglo\t\n");
    EXPECT_TRUE(terminal.shows("@1 global_count = 7"));
    terminal.type("= lower.dep\t\n");
    EXPECT_TRUE(terminal.shows("@2 lower.depth = 310"));
    terminal.type("= upper.next->sta\t\n");
    EXPECT_TRUE(terminal.shows("@3 upper.next->state = FILLING (5)"));
    terminal.type("= lower.gates[0].\t");
    EXPECT_TRUE(terminal.shows("angle"));
    EXPECT_TRUE(terminal.shows("wear"));
    terminal.type("wear\n");
    EXPECT_TRUE(terminal.shows("= -3"));
    terminal.type("pause at loc\t57\n");
    EXPECT_TRUE(terminal.shows("breakpoint 1"));
    terminal.type("quit\n");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

// What one Tab makes of this: the editor draws what is added, behind a movement of the cursor.
void expect_completion(Terminal& terminal, const std::string& typed, const std::string& whole) {
    terminal.type(typed + "\t");
    EXPECT_TRUE(terminal.shows("G" + whole.substr(typed.size()))) << typed;
    terminal.type("\x15");  // the line is given up
}

TEST(Prompt, CompletesTheWordsBehindACommand) {
    Terminal terminal(debugging("locks-gcc-O0-dwarf5-pie"));
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("reach factorial\n");
    EXPECT_TRUE(terminal.shows("factorial:40 › "));
    for (auto [typed, whole] : std::map<std::string, std::string>{
             {"stack a", "stack all"},
             {"notes a", "notes all"},
             {"find functions loc a", "find functions loc all"},
             {"pause at mean wh", "pause at mean when"},
             {"pause at mean la", "pause at mean later"},
             {"pause at mean when global_c", "pause at mean when global_count"},
             {"pa mea", "pa mean"},
             {"over 3 insn al", "over 3 insn alone"},
             {"out me", "out meanwhile"},
             {"follow c", "follow child"},
             {"disassembly mean by so", "disassembly mean by source"},
             {"value upper ra", "value upper raw"},
             {"value upper + global_c", "value upper + global_count"},
             {"reach fact", "reach factorial"}})
        expect_completion(terminal, typed, whole);
    terminal.type("quit\n");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

TEST(Prompt, CompletesQuestionsToContainersAndOwnWords) {
    TemporaryFolder settings;
    std::filesystem::create_directories(settings.path() / "elm-lantern");
    settings.write("elm-lantern/config.toml", "[words]\ndraught = \"value draught\"\n");
    setenv("XDG_CONFIG_HOME", settings.path().c_str(), 1);
    Terminal terminal(debugging("questions-gcc"));
    unsetenv("XDG_CONFIG_HOME");
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("reach stand_here\n");
    EXPECT_TRUE(terminal.shows("reached ─ "));
    terminal.type("caller\n");
    for (auto [typed, whole] :
         std::map<std::string, std::string>{{"= levels.si", "= levels.size("},
                                            {"= levels.fr", "= levels.front("},
                                            {"= name.len", "= name.length("},
                                            {"drau", "draught"}})
        expect_completion(terminal, typed, whole);
    terminal.type("quit\n");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

TEST(Prompt, CtrlCPausesTheProgramAndNotUs) {
    Terminal terminal(debugging("trouble-gcc", {"--", "spin"}));
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("launch\n");
    ASSERT_TRUE(terminal.program_runs());
    terminal.type("\x03");
    EXPECT_TRUE(terminal.shows("paused ─ "));
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("stack\n");
    EXPECT_TRUE(terminal.shows("main"));
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("pause at turn\n");  // set while it stands paused, met when it goes on
    EXPECT_TRUE(terminal.shows("breakpoint 1"));
    terminal.type("continue\n");
    EXPECT_TRUE(terminal.shows("breakpoint 1 ─ turn"));
    terminal.type("drop 1\n");
    EXPECT_TRUE(terminal.shows("removed"));
    terminal.type("continue\n");
    ASSERT_TRUE(terminal.program_runs());
    terminal.type("\x03");
    EXPECT_TRUE(terminal.shows("paused ─ "));
    terminal.type("quit\n");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

TEST(Prompt, CtrlCGivesUpALineThatIsBeingTyped) {
    Terminal terminal(debugging("locks-gcc-O0-dwarf5-pie"));
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("value 12345\x03");
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("= 6 * 7\n");
    EXPECT_TRUE(terminal.shows("@1 6 * 7 = 42"));
    terminal.type("quit\n");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

TEST(Prompt, CtrlDAsksWhileTheProgramRuns) {
    Terminal terminal(debugging("locks-gcc-O0-dwarf5-pie"));
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("reach main\n");
    EXPECT_TRUE(terminal.shows("main:77 › "));
    terminal.type("\x04");
    EXPECT_TRUE(terminal.shows("End it and leave? y or n: "));
    terminal.type("n\n");
    EXPECT_TRUE(terminal.shows("main:77 › "));
    terminal.type("\x04");
    EXPECT_TRUE(terminal.shows("y or n: "));
    terminal.type("y\n");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

TEST(Prompt, AsksBeforeItRunsTheProgramsCode) {
    Terminal terminal({LANTERN_PROGRAM, "debug", fixture("objects-gcc"), "--stdout", "/dev/null"});
    EXPECT_TRUE(terminal.shows("›"));
    for (const char* command : {"pause at canal::look_here\r", "launch\r", "caller\r"}) {
        terminal.type(command);
        EXPECT_TRUE(terminal.shows("›"));
    }
    terminal.type("value boat.twice()\r");
    EXPECT_TRUE(terminal.shows("yes or no: "));
    terminal.type("no\r");
    EXPECT_TRUE(terminal.shows("twice was not called"));
    terminal.type("value boat.twice()\r");
    EXPECT_TRUE(terminal.shows("yes or no: "));
    terminal.type("yes\r");
    EXPECT_TRUE(terminal.shows("boat.twice() = 100"));
    terminal.type("value boat.twice() + 1\r");
    EXPECT_TRUE(terminal.shows("= 101")) << "it has been allowed";
}

TEST(Prompt, CtrlDLeavesAtOnceWhenNothingRuns) {
    Terminal terminal(debugging("locks-gcc-O0-dwarf5-pie"));
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("\x04");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

TEST(Prompt, TheProgramReadsWhatIsTypedWhileItRuns) {
    Terminal terminal(debugging("trouble-gcc", {"--", "echo"}));
    EXPECT_TRUE(terminal.shows("› "));
    termios before = terminal.settings();
    terminal.type("launch\n");
    ASSERT_TRUE(terminal.program_runs());
    terminal.type("ahoy\n");
    EXPECT_TRUE(terminal.shows("heard ahoy"));
    terminal.type("\x04");
    EXPECT_TRUE(terminal.shows("the program has ended"));
    EXPECT_TRUE(terminal.shows("› "));
    terminal.type("= 1 + 1\n");
    EXPECT_TRUE(terminal.shows("= 2"));
    EXPECT_TRUE(terminal.shows("› "));
    termios after = terminal.settings();
    EXPECT_EQ(before.c_lflag, after.c_lflag) << "the terminal was taken back as it was";
    terminal.type("quit\n");
    EXPECT_EQ(terminal.wait_for_end(), 0);
}

TEST(Prompt, KilledOutrightItTakesTheProgramWithIt) {
    int ready[2];
    ASSERT_EQ(pipe(ready), 0);
    std::string marker = "lantern-orphan-" + std::to_string(getpid());
    pid_t child = fork();
    if (child == 0) {
        dup2(open("/dev/null", O_RDWR), 0);
        dup2(open("/dev/null", O_RDWR), 1);
        std::string program = fixture("trouble-gcc");
        execl(LANTERN_PROGRAM, LANTERN_PROGRAM, "debug", program.c_str(), "--do", "launch", "--",
              "spin", marker.c_str(), nullptr);
        _exit(127);
    }
    auto running = [&] { return run({"pgrep", "-f", "trouble-gcc spin " + marker}).status == 0; };
    ASSERT_TRUE(eventually(running));
    kill(child, SIGKILL);
    waitpid(child, nullptr, 0);
    EXPECT_TRUE(eventually([&] {
        return run({"pgrep", "-f", "^[^ ]*/programs/trouble-gcc spin " + marker}).status != 0;
    }));
}

}  // namespace
}  // namespace lantern::testing
