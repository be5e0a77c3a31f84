// Lines that are longer than the window.
#include "cli/views/fold.h"

#include <gtest/gtest.h>

namespace lantern::cli {
namespace {

TEST(Folding, ShortLinesStayAsTheyAre) {
    EXPECT_EQ(folded_to("level  7\n\nrate  3\n", 20), "level  7\n\nrate  3\n");
    EXPECT_EQ(folded_to("", 20), "");
}

TEST(Folding, GoesOnBelowTheLastColumnThatBeginsInTheFirstHalf) {
    EXPECT_EQ(folded_to("  level   the water stands high in it\n", 24),
              "  level   the water\n          stands high in\n          it\n");
}

TEST(Folding, BreaksBetweenWordsOnly) {
    EXPECT_EQ(folded_to("a long/path/that/is/wider/than/the/window here", 20),
              "a\n    long/path/that/is/wider/than/the/window\n    here");
}

TEST(Folding, CountsColumnsNotBytesAndKeepsColours) {
    EXPECT_EQ(folded_to("◆ ◆ ◆ ◆ ◆", 9), "◆ ◆ ◆ ◆ ◆");
    EXPECT_EQ(folded_to("\x1b[1mred water rises\x1b[0m here", 12),
              "\x1b[1mred water\x1b[0m\n    \x1b[1mrises\x1b[0m\n    \x1b[1m\x1b[0mhere");
}

TEST(Paragraphs, JoinLinesUntilASentenceEnds) {
    EXPECT_EQ(paragraphs_of("Runs the line\nthat is next.\nThen stops.\n", 40, 2),
              "  Runs the line that is next.\n  Then stops.\n");
    EXPECT_EQ(paragraphs_of("one two three", 8, 1), " one two\n three\n");
}

}  // namespace
}  // namespace lantern::cli
