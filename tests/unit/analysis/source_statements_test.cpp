#include "core/analysis/source_statements.h"

#include <gtest/gtest.h>

#include "core/support/text.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

using Kind = SourceStatement::Kind;

std::vector<SourceStatement> statements(const std::string& text,
                                        CodeLanguage language = CodeLanguage::c) {
    return statements_of_function(testing::lines_of(text), 1, language);
}

TEST(SourceStatements, EndWhereTheyEndOverSeveralLines) {
    auto all = statements(
        "int flow(int a,\n"
        "         int b) {  // not { here\n"
        "    int total = a *   /* ; */\n"
        "                b;\n"
        "    call(\"; {\", total);\n"
        "    return total;\n"
        "}\n"
        "int other(void) { return 1; }\n");
    ASSERT_EQ(all.size(), 3u);
    EXPECT_EQ(all[0].first_line, 3u);
    EXPECT_EQ(all[0].last_line, 4u);
    EXPECT_EQ(all[0].text, "int total = a * b");
    EXPECT_EQ(all[1].first_line, 5u);
    EXPECT_EQ(all[2].text, "return total");
}

TEST(SourceStatements, TellTheBodiesOfLoopsAndChoicesWithAndWithoutBraces) {
    auto all = statements(
        "void f(void) {\n"
        "    for (int i = 0; i < 3; ++i)\n"
        "        if (i)\n"
        "            call(i);\n"
        "        else\n"
        "            other(i);\n"
        "    while (more()) {\n"
        "        work();\n"
        "    }\n"
        "    do {\n"
        "        work();\n"
        "    } while (more());\n"
        "    double rate = 1;\n"
        "}\n");
    ASSERT_GE(all.size(), 3u);
    EXPECT_EQ(all[0].kind, Kind::loop);
    EXPECT_EQ(all[0].text, "for (int i = 0; i < 3; ++i)");
    EXPECT_GE(all[0].body_last, 4u);
    EXPECT_EQ(all[1].kind, Kind::choice);
    EXPECT_EQ(all[1].body_last, 4u);
    auto at_line = [&](std::uint32_t line) {
        for (const SourceStatement& statement : all)
            if (statement.first_line == line) return statement;
        return SourceStatement{};
    };
    EXPECT_EQ(at_line(7).kind, Kind::loop);
    EXPECT_EQ(at_line(7).body_last, 9u);
    EXPECT_EQ(at_line(10).kind, Kind::loop);
    EXPECT_EQ(at_line(10).body_last, 12u);
    EXPECT_EQ(at_line(13).text, "double rate = 1") << "a word that begins with do";
    EXPECT_EQ(at_line(13).kind, Kind::plain);
}

TEST(SourceStatements, KnowWhatNeedsNoCode) {
    auto all = statements(
        "void f(int n) {\n"
        "    int later;\n"
        "    struct barge barges[3];\n"
        "    int table[] = {1, 2, 3};\n"
        "#define HERE {\n"
        "    static int calls;\n"
        "    if (n) break;\n"
        "again:\n"
        "    n++;\n"
        "    return;\n"
        "}\n");
    std::vector<Kind> kinds;
    for (const SourceStatement& statement : all) kinds.push_back(statement.kind);
    EXPECT_EQ(kinds, (std::vector<Kind>{Kind::declaration, Kind::declaration, Kind::plain,
                                        Kind::declaration, Kind::choice, Kind::jump, Kind::plain,
                                        Kind::jump}))
        << "what a label stands before is one statement with it";
}

TEST(SourceStatements, LeaveLabelsOutAndTakeDoWithItsWhile) {
    auto all = statements(
        "int f(n, at)\n"
        "int n;\n"
        "char *at;\n"
        "{\n"
        "    switch (n) {\n"
        "    case 1: for (;;) n++;\n"
        "    default: n = at ? 1 : 2;\n"
        "    }\n"
        "again:\n"
        "    do {\n"
        "        *at++ = 0;\n"
        "    } while (--n);\n"
        "    while (*at++);\n"
        "    n = 3;\n"
        "}\n");
    std::vector<std::string> texts;
    for (const SourceStatement& statement : all) texts.push_back(statement.text);
    EXPECT_EQ(texts,
              (std::vector<std::string>{"switch (n)", "for (;;)", "n++", "n = at ? 1 : 2", "do",
                                        "*at++ = 0", "while (--n)", "while (*at++)", "n = 3"}));
    ASSERT_EQ(all.size(), 9u);
    EXPECT_EQ(all[4].kind, Kind::loop);
    EXPECT_EQ(all[4].body_last, 12u) << "with its while";
    EXPECT_EQ(all[6].kind, Kind::plain);
    EXPECT_EQ(all[7].kind, Kind::loop);
    EXPECT_EQ(all[7].body_last, 13u) << "it has no body";
}

TEST(SourceStatements, ReadRust) {
    auto all = statements(
        "fn f(levels: &[i32]) -> i32 {\n"
        "    let mut total = 0;\n"
        "    for level in levels {\n"
        "        match level {\n"
        "            0 => total += 1,\n"
        "            _ => { total += level; }\n"
        "        }\n"
        "    }\n"
        "    let made = Barge { name: 'x', cm: 3 };\n"
        "    total\n"
        "}\n",
        CodeLanguage::rust);
    ASSERT_EQ(all.size(), 7u);
    EXPECT_EQ(all[1].kind, Kind::loop);
    EXPECT_EQ(all[1].body_last, 8u);
    EXPECT_EQ(all[2].kind, Kind::choice);
    EXPECT_EQ(all[2].body_last, 7u);
    EXPECT_EQ(all[3].text, "total += 1");
    EXPECT_EQ(all[6].text, "total");
    EXPECT_EQ(all[6].kind, Kind::plain);
}

TEST(SourceStatements, OfADeclarationAreNone) {
    EXPECT_TRUE(statements("int flow(int);\nint other(void) { return 1; }\n").empty());
    EXPECT_TRUE(statements("").empty());
}

}  // namespace
}  // namespace lantern
