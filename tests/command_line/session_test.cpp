// The built program on files in a temporary folder: scripts, records, redirection, bad input.
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"
#include "tests/testing/terminal.h"

namespace lantern::testing {
namespace {

const std::string kLockFlight = fixture("locks-gcc-O0-dwarf5-pie");
const std::string kTrouble = fixture("trouble-gcc");

TEST(Program, IsGivenArgumentsEnvironmentFolderInputAndOutput) {
    TemporaryFolder folder;
    auto input = folder.write("sheet", "Wren\nHeron\n");
    auto output = folder.path() / "heard";
    Ran ran = debug(kTrouble, {"launch"},
                    {"--stdin", input, "--stdout", output, "--env", "CANAL=Sallow Hill, lower",
                     "--cwd", folder.path(), "--", "echo", "two words"});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_EQ(folder.read("heard"), "heard Wren\nheard Heron\nSallow Hill, lower\ntwo words\n" +
                                        folder.path().string() + "\n");
    ran = debug(kTrouble,
                {"launch echo 'three small words' < " + input.string() + " > " + output.string()});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_NE(folder.read("heard").find("three small words"), std::string::npos);
}

TEST(Program, ReadsOurInputWhenCommandsComeFromAScript) {
    Ran ran =
        run({LANTERN_PROGRAM, "debug", kTrouble, "--do", "launch", "--", "echo"}, "piped in\n");
    EXPECT_TRUE(ran.says("heard piped in")) << ran.output;
}

TEST(Commands, MayComeThroughAPipe) {
    Ran ran = run({LANTERN_PROGRAM, "debug", kLockFlight, "--stdout", "/dev/null"},
                  "# a comment\n\nreach mean\nvalue count\nquit\nvalue never\n");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("count = 3"));
    EXPECT_FALSE(ran.says("never"));
}

TEST(Addresses, AreTheSameEachTimeUnlessAsked) {
    auto once = [&](std::vector<std::string> options) {
        options.insert(options.end(), {"--stdout", "/dev/null"});
        return debug(kLockFlight, {"reach main", "value &copy"}, options).output;
    };
    EXPECT_EQ(once({}), once({}));
    EXPECT_NE(once({"--random-addresses"}), once({"--random-addresses"}));
}

TEST(Places, AnAddressOfTheFileIsFoundInTheRunningProgram) {
    std::string stripped = fixture("locks-stripped");
    char address[64];
    snprintf(address, sizeof address, "pause at address 0x%lx",
             static_cast<unsigned long>(std::stoul(
                 run({"sh", "-c",
                      "readelf -h " + stripped + " | sed -n 's/.*Entry point address: *//p'"})
                     .output,
                 nullptr, 16)));
    Ran ran = debug(stripped, {address, "launch", "restart", "breakpoints", "drop 1", "continue"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("2 hits")) << ran.output;
    EXPECT_TRUE(ran.says("exit status 3")) << ran.output;
}

TEST(Results, StayWhatTheyWere) {
    Ran ran = debug(kLockFlight,
                    {"reach mean", "value tolls", "value tolls[0]", "change tolls[0] = 9",
                     "value @1", "value @2", "value tolls", "continue", "value @1[0] + @2"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("@3 @1 = {1.5, 2.25, -4.0}")) << ran.output;
    EXPECT_TRUE(ran.says("@4 @2 = 1.5")) << ran.output;
    EXPECT_TRUE(ran.says("@5 tolls = {9.0, 2.25, -4.0}")) << ran.output;
    EXPECT_TRUE(ran.says("@6 @1[0] + @2 = 3.0")) << ran.output;
}

TEST(Script, IsGivenUpByCtrlC) {
    TemporaryFolder folder;
    auto script = folder.write("s.lantern", "launch\nvalue 1 + 1\n");
    Terminal terminal(
        {LANTERN_PROGRAM, "debug", kTrouble, "--script", script.string(), "--", "spin"});
    ASSERT_TRUE(terminal.program_runs());
    terminal.type("\x03");
    EXPECT_TRUE(terminal.shows("paused ─"));
    EXPECT_TRUE(terminal.shows("the rest of the script is not played"));
    EXPECT_EQ(terminal.wait_for_end(), 1);
    EXPECT_EQ(terminal.rest().find("1 + 1"), std::string::npos);
}

TEST(Script, StopsAtTheFirstFailureAndNamesItsLine) {
    TemporaryFolder folder;
    auto script =
        folder.write("find.lantern",
                     "# look\nreach main\n-value nothing_here\nvalue also_nothing\nvalue 1 + 1\n");
    Ran ran = run({LANTERN_PROGRAM, "debug", kLockFlight, "--stdout", "/dev/null", "--script",
                   script.string()});
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(ran.says("find.lantern:3: cannot do that")) << ran.output;
    EXPECT_TRUE(ran.says("find.lantern:4: cannot do that")) << ran.output;
    EXPECT_FALSE(ran.says("1 + 1"));
    folder.write("outer.lantern", "play " + script.string() + "\n");
    ran = run({LANTERN_PROGRAM, "debug", kLockFlight, "--stdout", "/dev/null", "--script",
               (folder.path() / "outer.lantern").string()});
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(ran.says("outer.lantern:1")) << ran.output;
    auto endless = folder.write("endless.lantern",
                                "play " + (folder.path() / "endless.lantern").string() + "\n");
    ran = run({LANTERN_PROGRAM, "debug", kLockFlight, "--script", endless.string()});
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(ran.says("without end")) << ran.output;
    ran = run({LANTERN_PROGRAM, "debug", kLockFlight, "--script", "/no/such.lantern"});
    EXPECT_TRUE(ran.says("cannot be read"));
    EXPECT_EQ(ran.status, 3);
}

TEST(Record, KeepsEverythingThatWasTypedAndShown) {
    TemporaryFolder folder;
    Ran ran = debug(kLockFlight, {"reach mean", "value count", "-value wrong", "locals"},
                    {"--stdout", "/dev/null", "--out", folder.path() / "record"});
    EXPECT_EQ(ran.status, 0);
    std::string text = folder.read("record/session.txt"),
                json = folder.read("record/session.jsonl");
    for (const char* part :
         {"› reach mean", "count = 3", "nothing here is called wrong", "locals of mean"})
        EXPECT_NE(text.find(part), std::string::npos) << part;
    EXPECT_EQ(text.find('\x1b'), std::string::npos);
    for (const char* part :
         {R"({"kind":"command","line":"reach mean"})", R"("kind":"stop","reason":"reached")",
          R"("kind":"error")", R"("kind":"locals")"})
        EXPECT_NE(json.find(part), std::string::npos) << part;
    ran = debug(kLockFlight, {"help"}, {"--out", "/proc/none"});
    EXPECT_EQ(ran.status, 3);
}

// Where it does not go to a terminal: at each stop what has come by then, both times.
TEST(Record, HasWhatTheProgramWroteAndPassesItOn) {
    TemporaryFolder folder;
    Ran ran =
        debug(fixture("spawns"), {"pause at carry", "launch", "continue", "restart", "continue"},
              {"--out", folder.path() / "record"});
    std::string said = "spawned 12, by the shell 5, here 6\n";
    std::string page = folder.read("record/session.html");
    EXPECT_EQ(folder.read("record/output.txt"), said);
    std::size_t first = ran.output.find(said), second = ran.output.find(said, first + 1);
    ASSERT_NE(first, std::string::npos) << ran.output;
    ASSERT_NE(second, std::string::npos) << "it is launched twice" << ran.output;
    EXPECT_EQ(ran.output.find(said, second + 1), std::string::npos);
    EXPECT_LT(first, ran.output.find("the program has ended")) << "before what it led to";
    EXPECT_NE(page.find("spawned 12, by the shell 5, here 6"), std::string::npos);
}

TEST(Save, WritesAViewWholeOrNotAtAll) {
    TemporaryFolder folder;
    std::string text = folder.path() / "locals.txt", json = folder.path() / "value.json";
    Ran ran = debug(kLockFlight,
                    {"reach mean", "save locals as " + text, "save value tolls as " + json,
                     "-save locals as " + text + ".pdf", "-save continue as " + text,
                     "-save value nonsense as " + json, "-save locals as /no/folder/x.txt"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_NE(folder.read("locals.txt").find("locals of mean"), std::string::npos);
    EXPECT_NE(folder.read("value.json").find(R"("text":"{1.5, 2.25, -4.0}")"), std::string::npos)
        << "the failing save left it as it was";
    EXPECT_TRUE(ran.says("has no ending that picks a form"));
    EXPECT_TRUE(ran.says("is no view that can be saved"));
    std::size_t files = 0;
    for (const auto& entry : std::filesystem::directory_iterator(folder.path()))
        files += entry.is_regular_file();
    EXPECT_EQ(files, 2u) << "no half-written file is left";
}

TEST(Json, IsOneObjectALineWithTheProgramsOutputElsewhere) {
    Ran ran = debug(kLockFlight, {"reach mean", "stack", "continue"}, {"--format", "json"});
    EXPECT_EQ(ran.status, 0);
    for (const std::string& line : lines_of(ran.output))
        EXPECT_TRUE(line.starts_with("{\"kind\":\"") && line.ends_with("}")) << line;
    EXPECT_NE(ran.errors.find("global_count=7"), std::string::npos) << "the program's own output";
}

TEST(Restart, KeepsBreakpointsAndPins) {
    Ran ran = debug(kLockFlight, {"pause at mean", "pin count", "launch", "restart", "over"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    static const std::regex stop("breakpoint 1 ─ mean");
    EXPECT_EQ(std::distance(std::sregex_iterator(ran.output.begin(), ran.output.end(), stop),
                            std::sregex_iterator()),
              2);
    EXPECT_TRUE(ran.says("pinned    count = 3"));
}

TEST(Restart, ReadsARebuiltProgramAnew) {
    TemporaryFolder folder;
    std::string program = folder.path() / "gate";
    auto source =
        folder.write("gate.c", "int main(void) {\n    int turns = 4;\n    return turns;\n}\n");
    auto later = folder.write(
        "later.c",
        "int main(void) {\n    int extra = 1;\n    int turns = 9;\n    return turns + extra;\n}\n");
    ASSERT_EQ(run({"gcc", "-g", "-o", program, source}).status, 0);
    auto script = folder.write(
        "s.lantern", "pause at main\nlaunch\nvalue sizeof turns\nrestart\nover 2\nvalue turns\n");
    // The rebuild happens between launch and restart: the program itself is started by a tiny shell
    // in the middle.
    std::string fifo_step = "cp " + later.string() + " " + source.string() +
                            " && sleep 1.1 && gcc -g -o " + program + " " + source.string();
    std::string command =
        "(printf 'pause at main\\nlaunch\\nvalue sizeof turns\\n'; sleep 0.5; " + fifo_step +
        "; printf 'restart\\nover 2\\nvalue turns\\n') | " LANTERN_PROGRAM " debug " + program;
    Ran ran = run({"sh", "-c", command});
    EXPECT_EQ(ran.status, 0) << ran.output << ran.errors;
    EXPECT_TRUE(ran.says("turns = 9")) << ran.output;
}

struct Wrong {
    std::vector<std::string> words;
    int status;
    const char* part;
};
class WrongUse : public ::testing::TestWithParam<Wrong> {};

TEST_P(WrongUse, IsToldWhatToDoInstead) {
    std::vector<std::string> words{LANTERN_PROGRAM};
    words.insert(words.end(), GetParam().words.begin(), GetParam().words.end());
    Ran ran = run(words);
    EXPECT_EQ(ran.status, GetParam().status) << ran.output << ran.errors;
    EXPECT_NE((ran.output + ran.errors).find(GetParam().part), std::string::npos)
        << ran.output << ran.errors;
    EXPECT_NE((ran.output + ran.errors).find("next:"), std::string::npos)
        << ran.output << ran.errors;
}

INSTANTIATE_TEST_SUITE_P(
    Usage, WrongUse,
    ::testing::Values(Wrong{{}, 2, "what is to be done is missing"},
                      Wrong{{"debug"}, 2, "the program is missing"},
                      Wrong{{"dance"}, 2, "nothing elm-lantern can do"},
                      Wrong{{"debug", "a", "b"}, 2, "one word too many"},
                      Wrong{{"debug", "a", "--nonsense"}, 2, "nonsense"},
                      Wrong{{"debug", "a", "--format", "xml"}, 2, "no format"},
                      Wrong{{"debug", "a", "--env", "X"}, 2, "sets nothing"},
                      Wrong{{"serve", "a"}, 2, "one word too many"},
                      Wrong{{"serve", "--listen", "0"}, 2, "number of a port"},
                      Wrong{{"serve", "--listen", "70000"}, 2, "number of a port"},
                      Wrong{{"debug", DEMO_PROGRAM, "--listen", "4711"}, 2, "goes with serve"},
                      Wrong{{"survey"}, 2, "the program is missing"},
                      Wrong{{"survey", "a", "b", "c"}, 2, "one word too many"},
                      Wrong{{"survey", "/no/such/program"}, 3, "there is no file"},
                      Wrong{{"debug", "/no/such/program"}, 3, "there is no file"},
                      Wrong{{"debug", "/"}, 3, "is a folder"},
                      Wrong{{"debug", SOURCE_FOLDER "/LICENSE"}, 3, "is not an ELF file"},
                      Wrong{{"debug", SOURCE_FOLDER "/scripts/test"}, 3, "is a script"}));

class WrongCommand : public ::testing::TestWithParam<std::pair<const char*, const char*>> {};

TEST_P(WrongCommand, TeachesWhatWasWrong) {
    Ran ran = debug(kLockFlight, {"reach fill", GetParam().first}, {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 1) << ran.output;
    EXPECT_TRUE(ran.says("cannot do that: ")) << ran.output;
    EXPECT_TRUE(ran.says(GetParam().second)) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(
    Commands, WrongCommand,
    ::testing::Values(
        std::pair{"dance", "there is no command"}, std::pair{"ca", "could be"},
        std::pair{"lcals", "did you mean locals?"}, std::pair{"pause at 1", "nearest line"},
        std::pair{"pause at lokcs.c:60", "did you mean locks.c?"},
        std::pair{"pause at filll", "did you mean fill?"},
        std::pair{"pause at locks.c:x", "comes a line number"},
        std::pair{"pause on", "what to stop on is missing"}, std::pair{"off 9", "no breakpoint 9"},
        std::pair{"drop x", "takes numbers"}, std::pair{"frame 99", "no frame 99"},
        std::pair{"callee", "innermost frame already"},
        std::pair{"value chamber->dpth", "it has depth"},
        std::pair{"value *chamber->next->next", "null"}, std::pair{"value 1 +", "▲ here"},
        std::pair{"value *(int *)16", "nothing can be read at address 0x10"},
        std::pair{"value rate as hexx", "did you mean hex?"},
        std::pair{"change rate 5", "PLACE = VALUE"}, std::pair{"change 5 = rate", "can be changed"},
        std::pair{"unpin 4", "no pin 4"},
        std::pair{"find ponds x", "functions, globals, types or files"},
        std::pair{"keep 1x = 2", "one word"}, std::pair{"over many", "number of times"},
        std::pair{"continue 5", "understands the words"},
        std::pair{"source nowhere.c:4", "not built from"},
        std::pair{"pin 1 +", "stops where a value is missing"},
        std::pair{"pause at fill when", "condition"},
        std::pair{"value chamber[0..200000]", "more than"}));

TEST(Ended, CommandsSayThatTheProgramHasEnded) {
    for (const char* command : {"over", "out", "stack", "locals", "frame 0", "change rate = 1",
                                "value %rax", "continue"}) {
        Ran ran = debug(kLockFlight, {"launch", command}, {"--stdout", "/dev/null"});
        EXPECT_EQ(ran.status, 1) << command;
        EXPECT_TRUE(ran.says("the program has ended") || ran.says("not running"))
            << command << ran.output;
    }
}

TEST(Damage, IsSaidAndTheRestStaysUsable) {
    TemporaryFolder folder;
    std::string program = folder.read(kLockFlight),
                cut = folder.write("cut", program.substr(0, program.size() / 2));
    Ran ran = debug(cut, {"help"});
    EXPECT_EQ(ran.status, 0);
    EXPECT_TRUE(ran.says("was cut short")) << ran.output;
    // One unit of two is damaged: the other keeps its lines and variables.
    auto a = folder.write("a.c", "int one(void) { return 1; }\n"),
         b = folder.write(
             "b.c",
             "int one(void);\nint main(void) {\n    int sum = one() + 2;\n    return sum;\n}\n");
    std::string whole = folder.path() / "whole";
    ASSERT_EQ(run({"gcc", "-g", "-o", whole, a, b}).status, 0);
    std::string bytes = folder.read("whole");
    std::string offset =
        run({"sh", "-c",
             "readelf -S -W " + whole +
                 " | sed -n 's/.*\\.debug_info *[A-Z]* *[0-9a-f]* \\([0-9a-f]*\\).*/\\1/p'"})
            .output;
    bytes[std::stoul(offset, nullptr, 16) + 4] = 99;
    std::string damaged = folder.write("damaged", bytes);
    std::filesystem::permissions(damaged, std::filesystem::perms::owner_all);
    ran = debug(damaged, {"reach main", "over", "value sum", "pause at one"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("1 part of the debug information cannot be read")) << ran.output;
    EXPECT_TRUE(ran.says("DWARF version 99 is not known"));
    EXPECT_TRUE(ran.says("sum = 3"));
    EXPECT_TRUE(ran.says("breakpoint 1   in one"));
}

TEST(Source, MissingOrNewerIsSaidAndWorkGoesOn) {
    TemporaryFolder folder;
    std::string program = folder.path() / "gate";
    auto source =
        folder.write("gate.c", "int main(void) {\n    int turns = 4;\n    return turns;\n}\n");
    ASSERT_EQ(run({"gcc", "-g", "-o", program, source}).status, 0);
    std::filesystem::last_write_time(
        source, std::filesystem::file_time_type::clock::now() + std::chrono::hours(1));
    Ran newer = debug(program, {"reach main", "over", "value turns"});
    EXPECT_EQ(newer.status, 0);
    EXPECT_TRUE(newer.says("gate.c is newer than the program")) << newer.output;
    EXPECT_TRUE(newer.says("turns = 4"));
    std::filesystem::create_directory(folder.path() / "moved");
    std::filesystem::rename(source, folder.path() / "moved" / "gate.c");
    Ran missing = debug(program, {"reach main", "over", "value turns", "-source"});
    EXPECT_EQ(missing.status, 0);
    EXPECT_TRUE(missing.says("is not here; --source-map FROM=TO says where they are"))
        << missing.output;
    EXPECT_TRUE(missing.says("line 3 runs next")) << missing.output;
    EXPECT_TRUE(missing.says("turns = 4"));
    Ran mapped =
        debug(program, {"reach main"},
              {"--source-map", folder.path().string() + "=" + (folder.path() / "moved").string()});
    EXPECT_TRUE(mapped.says("int turns = 4;")) << mapped.output;
}

TEST(Text, FromTheProgramCannotDriveTheTerminal) {
    Ran ran = debug(kLockFlight, {"pause at locks.c:95", "launch", "value text"},
                    {"--stdout", "/dev/null", "--", "\x1b]0;owned\x07"});
    EXPECT_EQ(ran.status, 0);
    EXPECT_EQ(ran.output.find('\x1b'), std::string::npos);
    EXPECT_TRUE(ran.says("\\x1b]0;owned\\x07")) << ran.output;
}

TEST(Ascii, IsUsedWhereTheLocaleHasNothingElse) {
    Ran ran = run({"env", "LC_ALL=C", LANTERN_PROGRAM, "debug", kLockFlight, "--stdout",
                   "/dev/null", "--do", "pause at mean", "--do", "launch"});
    EXPECT_TRUE(std::all_of(ran.output.begin(), ran.output.end(), [](char c) {
        return static_cast<unsigned char>(c) < 0x80;
    })) << ran.output;
    EXPECT_TRUE(ran.says("<> 55")) << ran.output;
}

}  // namespace
}  // namespace lantern::testing
