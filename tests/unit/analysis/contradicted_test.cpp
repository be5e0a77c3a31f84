// Which conditions have decided that control comes to a statement, by the source alone.
#include "core/analysis/contradicted.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern {
namespace {

// "3+ 5-": the condition at line 3 held, that at line 5 did not.
std::string decisions(const std::string& body, const std::string& name, std::uint32_t line) {
    SourceChanges changes(
        statements_of_function(testing::lines_of("int f(int a) {\n" + body + "}\n"), 1,
                               CodeLanguage::c),
        CodeLanguage::c, [](const std::string& called) { return called == "note"; });
    auto at = changes.statement_at(line);
    if (!at) return "no statement";
    std::string told;
    for (const auto& each : changes.decisions_before(name, *at))
        told += fmt::format("{}{}{}", told.empty() ? "" : " ",
                            changes.statements()[each.head].first_line, each.held ? "+" : "-");
    return told;
}

TEST(Decisions, AreThoseOfTheBlocksAround) {
    const char* body =
        "    if (a > 1) {\n"          // 2
        "        note(a);\n"          // 3
        "        if (a < 9)\n"        // 4
        "            note(1);\n"      // 5
        "    } else if (a == 0) {\n"  // 6
        "        note(2);\n"          // 7
        "    } else {\n"              // 8
        "        note(3);\n"          // 9
        "    }\n"                     // 10
        "    note(4);\n";             // 11
    EXPECT_EQ(decisions(body, "a", 3), "2+");
    EXPECT_EQ(decisions(body, "a", 5), "4+ 2+");
    EXPECT_EQ(decisions(body, "a", 7), "2- 6+");
    EXPECT_EQ(decisions(body, "a", 9), "2- 6-");
    EXPECT_EQ(decisions(body, "a", 11), "");
}

TEST(Decisions, AndThoseThatWouldHaveLedAway) {
    const char* body =
        "    if (a == 0) return 1;\n"  // 2
        "    if (a < 3) {\n"           // 3
        "        note(1);\n"           // 4
        "        return 2;\n"          // 5
        "    } else if (note(2)) {\n"  // 6
        "        note(a);\n"           // 7
        "    }\n"
        "    while (note(3)) {\n"  // 9
        "        note(a);\n"       // 10
        "    }\n";
    EXPECT_EQ(decisions(body, "a", 3), "2-");
    EXPECT_EQ(decisions(body, "a", 7), "3- 6+ 2-");
    EXPECT_EQ(decisions(body, "a", 10), "3- 2-");
    const char* in_loop =
        "    while (note(3)) {\n"  // 2
        "        if (a < 3)\n"     // 3
        "            continue;\n"  // 4
        "        note(a);\n"       // 5
        "    }\n";
    EXPECT_EQ(decisions(in_loop, "a", 5), "3-");
}

TEST(Decisions, EndWhereItMayHaveBeenSet) {
    const char* set_between =
        "    if (a == 0) {\n"     // 2
        "        note(a);\n"      // 3
        "        a = note(1);\n"  // 4
        "        note(a);\n"      // 5
        "    }\n";
    EXPECT_EQ(decisions(set_between, "a", 3), "2+");
    EXPECT_EQ(decisions(set_between, "a", 5), "");
    const char* set_in_loop =
        "    if (a) {\n"                       // 2
        "        for (int i = 0; i < 9;) {\n"  // 3
        "            note(a);\n"               // 4
        "            a = a - 1;\n"             // 5
        "        }\n"
        "    }\n";
    EXPECT_EQ(decisions(set_in_loop, "a", 4), "") << "an earlier turn may have set it";
    const char* head_sets =
        "    if (a) {\n"                // 2
        "        for (; a > 0; --a)\n"  // 3
        "            note(a);\n"        // 4
        "    }\n";
    EXPECT_EQ(decisions(head_sets, "a", 3), "");
    EXPECT_EQ(decisions(head_sets, "a", 4), "");
    EXPECT_EQ(decisions("    if (a)\n        note(a);\n    take(&a);\n", "a", 3), "")
        << "its address is known elsewhere";
}

TEST(Decisions, ACaseIsComeToPastWhatStandsBeforeIt) {
    const char* body =
        "    switch (note(1)) {\n"     // 2
        "        case 1:\n"            // 3
        "            if (a) break;\n"  // 4
        "            note(a);\n"       // 5
        "        case 2:\n"            // 6
        "            note(7);\n"       // 7
        "    }\n";
    EXPECT_EQ(decisions(body, "a", 7), "");
}

TEST(Decisions, AreTakenApartWhereEachPartDecides) {
    using Parts = std::vector<std::string>;
    EXPECT_EQ(parts_decided("(a > 1 && (b || c))", true), (Parts{"a > 1", "b || c"}));
    EXPECT_EQ(parts_decided("(a > 1 || b)", true), (Parts{"a > 1 || b"}));
    EXPECT_EQ(parts_decided("(a > 1 || (b || c))", false), (Parts{"a > 1", "b", "c"}));
    EXPECT_EQ(parts_decided("(a && b || c)", true), (Parts{"a && b || c"}));
    EXPECT_EQ(parts_decided("(a && b || c)", false), (Parts{"a && b", "c"}));
    EXPECT_EQ(parts_decided("((a)) && (b)", true), (Parts{"a", "b"}));
}

}  // namespace
}  // namespace lantern
