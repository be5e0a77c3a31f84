#include <gtest/gtest.h>

#include <csignal>

#include <filesystem>
#include <set>

#include "cli/commands/command.h"
#include "cli/commands/examples.h"
#include "cli/commands/short_words.h"
#include "cli/completion.h"
#include "cli/progress.h"
#include "cli/saved_file.h"
#include "cli/views/style.h"
#include "core/support/error.h"
#include "tests/testing/command.h"

namespace lantern::cli {
namespace {

TEST(Commands, AreAllInTheirPageAndHaveASummary) {
    std::string page = testing::TemporaryFolder().read(SOURCE_FOLDER "/docs/commands.md");
    for (const Command& command : commands()) {
        EXPECT_NE(page.find("### `" + std::string(command.usage) + "`"), std::string::npos)
            << command.usage << " is missing in docs/commands.md";
        EXPECT_FALSE(command.summary.empty());
        EXPECT_TRUE(command.usage.starts_with(command.word));
    }
}

TEST(Commands, HaveAnExampleEach) {
    for (const Command& command : commands()) {
        std::string_view line = example_of(command.word);
        EXPECT_EQ(take_word(line), command.word);
    }
    EXPECT_TRUE(example_of("dance").empty());
}

TEST(ShortWords, AreNoCommandsAndDifferFromEachOther) {
    std::set<std::string_view> seen;
    for (const ShortWord& each : short_words()) {
        EXPECT_TRUE(seen.insert(each.word).second) << each.word;
        for (const Command& command : commands()) EXPECT_NE(command.word, each.word);
        EXPECT_LE(each.word.size(), 2u);
        std::string first(each.stands_for.substr(0, each.stands_for.find(' ')));
        EXPECT_EQ(find_command(each.word).word, first);
    }
    EXPECT_EQ(written_out("pa 17", {}), "pause at 17");
    EXPECT_EQ(written_out("o", {}), "over");
    EXPECT_EQ(written_out("over 2", {}), "over 2");
    EXPECT_EQ(written_out("o 2", {{"o", "out"}}), "out 2") << "the user's own come first";
}

TEST(Commands, AreFoundByAnyUnambiguousBeginning) {
    EXPECT_EQ(find_command("loc").word, "locals");
    EXPECT_EQ(find_command("on").word, "on") << "a whole word wins over a longer one";
    EXPECT_EQ(find_command("find").word, "find");
    EXPECT_THROW(find_command("p"), RequestError);
    EXPECT_THROW(find_command("xyz"), RequestError);
    for (const Command& command : commands()) EXPECT_EQ(&find_command(command.word), &command);
}

TEST(Words, AreCutAsAShellDoes) {
    using Words = std::vector<std::string>;
    EXPECT_EQ(shell_words("a  b\tc"), (Words{"a", "b", "c"}));
    EXPECT_EQ(shell_words("'two words' \"a \\\" b\" x\\ y"), (Words{"two words", "a \" b", "x y"}));
    EXPECT_EQ(shell_words("''"), Words{""});
    EXPECT_TRUE(shell_words("   ").empty());
    EXPECT_THROW(shell_words("'open"), RequestError);
}

TEST(Forms, AreSplitOffAtTheEndOnly) {
    EXPECT_EQ(split_form("level as hex").form, Form::hex);
    EXPECT_EQ(split_form("level as hex").expression, "level");
    EXPECT_FALSE(split_form("level").form);
    EXPECT_TRUE(split_form("tolls raw").raw);
    EXPECT_EQ(split_form("tolls from 100 all").from, 100u);
    EXPECT_TRUE(split_form("tolls from 100 all").all);
    EXPECT_EQ(split_form("toll as u8", Language::rust).expression, "toll as u8")
        << "a cast of Rust";
    EXPECT_THROW(split_form("level as hexagon"), RequestError);
    EXPECT_EQ(split_form("name == \" as X\"").expression, "name == \" as X\"");
}

TEST(Completion, SharesTheLongestBeginning) {
    EXPECT_EQ(common_beginning({"fill_chamber", "fill_lock"}), "fill_");
    EXPECT_EQ(common_beginning({"a", "b"}), "");
    EXPECT_EQ(common_beginning({"only"}), "only");
    EXPECT_EQ(common_beginning({}), "");
}

TEST(SavedFile, IsWholeOrAsItWas) {
    testing::TemporaryFolder folder;
    auto path = folder.path() / "view.txt";
    write_whole_file(path, "first");
    write_whole_file(path, "second");
    EXPECT_EQ(folder.read("view.txt"), "second");
    EXPECT_THROW(write_whole_file(folder.path() / "none" / "view.txt", "x"), FileError);
    std::filesystem::create_directory(folder.path() / "taken");
    EXPECT_THROW(write_whole_file(folder.path() / "taken", "x"), FileError)
        << "a folder stands there";
    std::size_t files = 0;
    for (const auto& entry : std::filesystem::directory_iterator(folder.path()))
        files += entry.is_regular_file();
    EXPECT_EQ(files, 1u);
}

TEST(Style, IsPlainWithoutColourAndAsciiOnRequest) {
    Style style;
    EXPECT_EQ(style.strong("x"), "x");
    style.colour = true;
    EXPECT_NE(style.strong("x"), "x");
    EXPECT_EQ(to_ascii("▪1 ◆ a → b … ─ ü"), "#1 <> a -> b ... - ?");
}

TEST(Progress, CtrlCEndsALongReadingAndIsUsedUp) {
    sigset_t interrupt, before;
    sigemptyset(&interrupt);
    sigaddset(&interrupt, SIGINT);
    sigprocmask(SIG_BLOCK, &interrupt, &before);  // as a session holds it
    auto progress = names_progress();
    EXPECT_NO_THROW(progress("flights", 0.1));
    raise(SIGINT);
    EXPECT_THROW(progress("flights", 0.2), RequestError);
    EXPECT_NO_THROW(progress("flights", 0.3));
    sigprocmask(SIG_SETMASK, &before, nullptr);
}

}  // namespace
}  // namespace lantern::cli
