#include "core/support/text.h"

#include <gtest/gtest.h>

namespace lantern {
namespace {

TEST(Text, EscapesWhatCouldDriveATerminal) {
    EXPECT_EQ(escape_for_display("plain"), "plain");
    EXPECT_EQ(escape_for_display("a\nb\tc\r"), "a\\nb\\tc\\r");
    EXPECT_EQ(escape_for_display("\x1b[31mred"), "\\x1b[31mred");
    EXPECT_EQ(escape_for_display(std::string_view("x\0y", 3)), "x\\0y");
    EXPECT_EQ(escape_for_display("Müßiggang €"), "Müßiggang €");
    EXPECT_EQ(escape_for_display("\xff\xfe"), "\\xff\\xfe");
    EXPECT_EQ(escape_for_display("\xc2\x9b"), "\\xc2\\x9b") << "a C1 control";
    EXPECT_EQ(escape_for_display("\xe2\x80\xae"), "\\xe2\\x80\\xae")
        << "turns the direction of what follows";
    EXPECT_EQ(escape_for_display("\xed\xa0\x80"), "\\xed\\xa0\\x80") << "half of a surrogate pair";
}

TEST(Text, QuotesWithItsOwnMarkEscaped) {
    EXPECT_EQ(quote("say \"go\""), "\"say \\\"go\\\"\"");
    EXPECT_EQ(quote("'", '\''), "'\\''");
    EXPECT_EQ(quote("back\\slash"), "\"back\\\\slash\"");
}

TEST(Text, OffersNearNamesAndNoFarOnes) {
    std::vector<std::string> names{"fill_chamber", "pass_chamber", "toll_for", "main"};
    EXPECT_EQ(nearest_names("fil_chamber", names).front(), "fill_chamber");
    EXPECT_EQ(nearest_names("Toll_For", names), std::vector<std::string>{"toll_for"});
    EXPECT_EQ(nearest_names("chamber", names).size(), 2u) << "a part of a name is near";
    EXPECT_TRUE(nearest_names("zzzzzz", names).empty());
}

TEST(Text, CountsAndJoins) {
    EXPECT_EQ(with_thousands(0), "0");
    EXPECT_EQ(with_thousands(999), "999");
    EXPECT_EQ(with_thousands(26104), "26 104");
    EXPECT_EQ(with_thousands(1234567), "1 234 567");
    EXPECT_EQ(counted(1, "hit"), "1 hit");
    EXPECT_EQ(counted(2, "hit"), "2 hits");
    EXPECT_EQ(join_with({"a"}, "or"), "a");
    EXPECT_EQ(join_with({"a", "b", "c"}, "or"), "a, b or c");
    EXPECT_EQ(trimmed("  x y\t\n"), "x y");
    EXPECT_EQ(display_width("◆ ok"), 4u);
}

}  // namespace
}  // namespace lantern
