// Values from the command line: library types, parts of much, explain, form, globals, calls, the
// user's own views, and the scripts of the two demos that are about values.
#include <gtest/gtest.h>

#include <filesystem>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

const std::string kBargeq = std::filesystem::path(DEMO_PROGRAM).replace_filename("bargeq");
const std::string kTowpath = std::filesystem::path(DEMO_PROGRAM).replace_filename("towpath");

Ran play(const std::string& program, const std::string& script) {
    return run({LANTERN_PROGRAM, "debug", program, "--stdout", "/dev/null", "--script",
                std::string(SOURCE_FOLDER "/demo/") + script + ".lantern"});
}

TEST(ValueDemo, FindsTheTollThatIsLookedUpUnderAWrongName) {
    Ran ran = play(kBargeq, "mistyped-toll");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("{[\"collier\"] = 30, [\"narrowboat\"] = 12, [\"packet\"] = 45}"));
    EXPECT_TRUE(ran.says("tolls[\"collier\"] = 30")) << ran.output;
    EXPECT_TRUE(ran.says("it has no such key"));
    EXPECT_TRUE(ran.says("{[\"colier\"] = 0, [\"collier\"] = 30"));
    EXPECT_TRUE(ran.says("*craft  canal::Collier"));
    EXPECT_TRUE(ran.says("toll = 52"));
}

TEST(ValueDemo, FindsTheHoleInTheGrid) {
    Ran ran = play(kBargeq, "hole-in-grid");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("levels[2][3..6] = {211, 208, 0}"));
    EXPECT_TRUE(ran.says("a block of canal::lowest"));
}

TEST(ValueDemo, FindsTheBargeThatIsNoMore) {
    Ran ran = play(kBargeq, "gone-barge");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("it is damaged, freed or not made yet"));
    EXPECT_TRUE(ran.says("watched[0] = expired (0 owners, 1 watcher)"));
    EXPECT_TRUE(ran.says("queue.waiting[0]->name == \"Heron\" = true"));
}

TEST(ValueDemo, TellsTheReadingsApart) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    Ran ran = play(kTowpath, "shadowed-reading");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("◆ reading#52"));
    EXPECT_TRUE(ran.says("reading#44            local variable    \"201\""));
    EXPECT_TRUE(ran.says("reading#45 - 4 == reading#46 = true"));
    EXPECT_FALSE(ran.says("not set yet")) << "every one of them has its value";
    EXPECT_TRUE(ran.says("gauge.recent[0..] = {210, 197}"));
}

TEST(ValueDemo, ShowsOptionsAndWhatIsBehindATrait) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    Ran ran = play(kTowpath, "no-gate");
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("Some(Ajar {width_cm = 240})"));
    EXPECT_TRUE(ran.says("→ None"));
    EXPECT_TRUE(ran.says("register.gates[0] == register.gates[1] = false"));
    EXPECT_TRUE(ran.says("(towpath::Gauge)"));
}

TEST(Much, IsShownInPartsAndAllOnRequest) {
    Ran ran = debug(fixture("containers-gnu"),
                    {"pause at look_here", "launch", "caller", "value queue_of_tolls from 120",
                     "value rates from 35", "value grid raw", "value long_text from 0"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("[120]")) << ran.output;
    EXPECT_TRUE(ran.says("148, 149"));
    EXPECT_TRUE(ran.says("[40]  35.5")) << "the last key of the map";
    EXPECT_TRUE(ran.says("_M_end_of_storage"));
    ran = debug(
        fixture("values-gcc"),
        {"pause at look_here", "launch", "caller 2", "value zeros all", "value matrix from 1"},
        {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("0 × 50")) << ran.output;
    EXPECT_TRUE(ran.says("{4, 5, 6}"));
}

TEST(Explain, TellsWhereAVariableLivesAndItsNamesakes) {
    Ran ran = debug(fixture("objects-gcc"),
                    {"pause at canal::look_here", "launch", "caller", "explain level",
                     "explain boat.cabins", "value level", "-explain nothing_here", "-explain"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("local variable of main")) << ran.output;
    EXPECT_TRUE(ran.says("variables of this name, innermost first"));
    EXPECT_TRUE(ran.says("global variable   1"));
    EXPECT_TRUE(ran.says("a place in memory"));
    EXPECT_TRUE(ran.says("hides level#"));
    EXPECT_TRUE(ran.says("nothing here is called nothing_here"));
    EXPECT_TRUE(ran.says("explain needs a name"));
    ran = debug(fixture("onentry-gcc"),
                {"pause at tail", "launch", "caller", "explain first", "explain second", "caller",
                 "explain local"},
                {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("in rdi")) << ran.output;
    EXPECT_TRUE(ran.says("what it was on entry, from the caller"));
    EXPECT_TRUE(ran.says("split: 4 bytes in "));
    EXPECT_TRUE(ran.says("4 bytes kept nowhere"));
}

TEST(FormCommand, IsRememberedUntilItIsTakenBack) {
    Ran ran = debug(fixture("locks-gcc-O0-dwarf5-pie"),
                    {"reach fill", "form rate as hex", "value rate", "locals",
                     "value rate as decimal", "form", "form rate as natural", "value rate",
                     "-form rate as natural", "-form rate", "-form rate as hexagon"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("@1 rate = 0x4"));
    EXPECT_TRUE(ran.says("@2 rate = 4"));
    EXPECT_TRUE(ran.says("rate as hex"));
    EXPECT_TRUE(ran.says("@3 rate = 4"));
    EXPECT_TRUE(ran.says("rate has no form of its own"));
    EXPECT_TRUE(ran.says("form needs NAME as FORM"));
    EXPECT_TRUE(ran.says("there is no form \"hexagon\""));
}

TEST(GlobalsCommand, FiltersByFileTypeAndLibrary) {
    Ran ran = debug(fixture("locks-gcc-O0-dwarf5-pie"),
                    {"globals of struct", "globals in nowhere.c", "globals /^g/ in locks.c limit 1",
                     "-globals limit none"},
                    {"--stdout", "/dev/null"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("struct chamber"));
    EXPECT_FALSE(ran.says("keeper ")) << "it is a pointer to characters";
    EXPECT_TRUE(ran.says("none match"));
    EXPECT_TRUE(ran.says("limit needs a number"));
}

TEST(Calls, NeedTheOptionInAScript) {
    std::vector<std::string> commands = {"pause at canal::look_here", "launch",           "caller",
                                         "-value boat.twice()",       "-value boom(bad)", "stack"};
    Ran refused = debug(fixture("objects-gcc"), commands, {"--stdout", "/dev/null"});
    EXPECT_TRUE(refused.says("unless you allow it")) << refused.output;
    EXPECT_TRUE(refused.says("--allow-calls"));
    Ran allowed =
        debug(fixture("objects-gcc"), commands, {"--stdout", "/dev/null", "--allow-calls"});
    EXPECT_TRUE(allowed.says("boat.twice() = 100")) << allowed.output;
    EXPECT_TRUE(allowed.says("boom met a fault at address 0x8"));
    EXPECT_TRUE(allowed.says("the call was undone"));
}

TEST(OwnViews, ComeFromTheSettings) {
    TemporaryFolder folder;
    std::filesystem::create_directories(folder.path() / "elm-lantern");
    folder.write("elm-lantern/config.toml",
                 "[[view]]\ntype = \"canal::Queue\"\ntext = \"waiting[0]->name\"\nchildren = { "
                 "middle = \"levels_cm[2]\", deepest = \"levels_cm[0][0] + 1\" }\n\n"
                 "[[view]]\ntype = \"canal::Keep*\"\nelements = \"watched\"\n");
    auto with_settings = [&](const std::vector<std::string>& commands) {
        std::vector<std::string> words = {
            "env",           "XDG_CONFIG_HOME=" + folder.path().string(),
            LANTERN_PROGRAM, "debug",
            kBargeq,         "--stdout",
            "/dev/null"};
        for (const std::string& command : commands) words.insert(words.end(), {"--do", command});
        return run(words);
    };
    Ran ran =
        with_settings({"reach lowest", "caller", "value queue", "value keeper", "value queue raw"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("queue = \"Heron\""));
    EXPECT_TRUE(ran.says("{214, 214, 213, 211, 208, 0}"));
    EXPECT_TRUE(ran.says("deepest  311"));
    EXPECT_TRUE(ran.says("expired"));
    EXPECT_TRUE(ran.says("_M_impl")) << "raw goes past it";
    folder.write("elm-lantern/config.toml",
                 "[[view]]\ntype = \"canal::Queue\"\ntext = \"waitin\"\n");
    ran = with_settings({"reach lowest", "caller", "value queue"});
    EXPECT_TRUE(ran.says("the view of canal::Queue in the settings: nothing here is called waitin"))
        << ran.output;
    for (const char* wrong :
         {"view = 3\n", "[[view]]\ntext = \"x\"\n", "[[view]]\ntype = \"T\"\n",
          "[[view]]\ntype = 3\n", "[[view]]\ntype = \"T\"\ncolour = \"red\"\n"}) {
        folder.write("elm-lantern/config.toml", wrong);
        EXPECT_EQ(with_settings({"help"}).status, 3) << wrong;
    }
}

}  // namespace
}  // namespace lantern::testing
