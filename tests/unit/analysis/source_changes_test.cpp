#include "core/analysis/source_changes.h"

#include <gtest/gtest.h>

#include "core/symbols/source_files.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

using SetterKind = SourceChanges::Setter::Kind;

SourceChanges changes_of(const std::string& body, CodeLanguage language = CodeLanguage::c,
                         const std::string& head = "unsigned f(unsigned first) {\n") {
    return SourceChanges(
        statements_of_function(testing::lines_of(head + body + "}\n"), 1, language), language,
        [](const std::string& name) { return name == "note" || name == "fill" || name == "cut"; });
}

// The line of the statement that has set the name when the one of that line runs; 0: nobody has;
// -1: it is not known; that of a choice which decides about it, and a thousand.
int setter(const SourceChanges& changes, const std::string& name, std::uint32_t line) {
    auto at = changes.statement_at(line);
    if (!at) return -2;
    SourceChanges::Setter found = changes.setter(name, *at);
    if (found.kind == SetterKind::unknown) return -1;
    if (found.kind == SetterKind::nobody) return 0;
    int of_it = static_cast<int>(changes.statements()[found.statement].first_line);
    return found.kind == SetterKind::choice ? of_it + 1000 : of_it;
}

// A brace belongs to no statement: it stands behind the last one of what it closes.
TEST(SourceChanges, KnowWhatABraceStandsBehind) {
    SourceChanges changes = changes_of(
        "    while (first) {\n"       // 2
        "        note(first);\n"      // 3
        "        if (first > 3) {\n"  // 4
        "            first = 1;\n"    // 5
        "        }\n"                 // 6
        "    }\n"                     // 7
        "    {\n"                     // 8
        "        note(2);\n"          // 9
        "\n"                          // 10
        "        note(3);\n"          // 11
        "    }\n"                     // 12
        "    return first;\n");       // 13
    auto line_before = [&](std::uint32_t line) {
        auto found = changes.last_of_block_at(line);
        return found ? changes.statements()[*found].first_line : 0;
    };
    EXPECT_EQ(line_before(6), 5u);
    EXPECT_EQ(line_before(7), 0u) << "behind a choice: which of its ways was gone is not known";
    EXPECT_EQ(line_before(10), 0u) << "between two statements";
    EXPECT_EQ(line_before(13), 0u);
}

TEST(SourceChanges, FollowOneWayThroughTheStatements) {
    SourceChanges changes = changes_of(
        "    unsigned sum = first + 2;\n"  // 2
        "    if (first > 3)\n"             // 3
        "        sum = 0;\n"               // 4
        "    note(sum);\n"                 // 5
        "    sum = first * 3;\n"           // 6
        "    if (first > 9) {\n"           // 7
        "        note(sum);\n"             // 8
        "        first = 1;\n"             // 9
        "        note(first);\n"           // 10
        "    }\n"                          // 11
        "    return sum;\n");              // 12
    EXPECT_EQ(setter(changes, "sum", 3), 2);
    EXPECT_EQ(setter(changes, "sum", 4), 2);
    EXPECT_EQ(setter(changes, "sum", 5), 1003) << "2 or 4";
    EXPECT_EQ(setter(changes, "sum", 8), 6);
    EXPECT_EQ(setter(changes, "sum", 12), 6);
    EXPECT_EQ(setter(changes, "first", 8), 0);
    EXPECT_EQ(setter(changes, "first", 10), 9);
    EXPECT_EQ(setter(changes, "first", 12), 1007) << "set on one way only";
    EXPECT_EQ(setter(changes, "first", 13), 1007) << "the brace that ends the function";
    EXPECT_EQ(setter(changes, "sum", 13), 6);
}

TEST(SourceChanges, KnowTheWaysOfAChoice) {
    SourceChanges changes = changes_of(
        "    unsigned sum = 1;\n"            // 2
        "    if (first > 3) {\n"             // 3
        "        sum = 2;\n"                 // 4
        "        note(sum);\n"               // 5
        "    } else if (first == 2)\n"       // 6
        "        note(1);\n"                 // 7
        "    else {\n"                       // 8
        "        sum = sum * 3;\n"           // 9
        "        if (first)\n"               // 10
        "            sum = 7;\n"             // 11
        "    }\n"                            // 12
        "    note(sum);\n"                   // 13
        "    if (note(1)) sum = 2;\n"        // 14
        "    switch (first) {\n"             // 15
        "    case 1: if (first) sum = 3;\n"  // 16
        "    case 2: note(3);\n"             // 17
        "    }\n"                            // 18
        "    note(4);\n");                   // 19
    EXPECT_EQ(setter(changes, "sum", 5), 4);
    EXPECT_EQ(setter(changes, "sum", 7), 2) << "the other way was not gone";
    EXPECT_EQ(setter(changes, "sum", 9), 2);
    EXPECT_EQ(setter(changes, "sum", 13), 1003);
    EXPECT_EQ(setter(changes, "sum", 17), -1) << "it may have come in at case 2";
    EXPECT_EQ(setter(changes, "sum", 19), -1);
    auto ways = changes.ways_of(*changes.statement_at(3));
    ASSERT_EQ(ways.size(), 3u);
    EXPECT_EQ(ways[0].condition, "(first > 3)");
    EXPECT_EQ(ways[1].condition, "(first == 2)");
    EXPECT_EQ(ways[2].condition, "");
    auto line_on = [&](std::size_t way) {
        SourceChanges::Setter last = changes.setter_on("sum", ways[way]);
        return last.kind == SetterKind::nobody ? 0u
                                               : changes.statements()[last.statement].first_line;
    };
    EXPECT_EQ(line_on(0), 4u);
    EXPECT_EQ(line_on(1), 0u);
    EXPECT_EQ(line_on(2), 10u) << "a choice in the way";
}

TEST(SourceChanges, KnowWhichWayLeadsAway) {
    SourceChanges changes = changes_of(
        "    unsigned sum = 1;\n"        // 2
        "    if (first > 3) {\n"         // 3
        "        sum = 2;\n"             // 4
        "        return sum;\n"          // 5
        "    } else if (first > 2) {\n"  // 6
        "        if (sum) return 4;\n"   // 7
        "        sum = 5;\n"             // 8
        "    }\n"                        // 9
        "    note(sum);\n");             // 10
    auto ways = changes.ways_of(*changes.statement_at(3));
    ASSERT_EQ(ways.size(), 2u);
    EXPECT_TRUE(ways[0].leads_away);
    EXPECT_FALSE(ways[1].leads_away) << "only one of its own ways does";
}

TEST(SourceChanges, DoNotRelyOnAChoiceThatMayNotBeThere) {
    SourceChanges changes = changes_of(
        "    unsigned sum = 1;\n"
        "#ifdef DEBUG\n"
        "    if (first)\n"
        "#endif\n"
        "        sum = 2;\n"
        "    note(sum);\n");
    EXPECT_TRUE(changes.ways_of(*changes.statement_at(4)).empty());
    SourceChanges loop = changes_of(
        "    unsigned sum = 1;\n"   // 2
        "    while (first) {\n"     // 3
        "        note(sum);\n"      // 4
        "        if (first > 3)\n"  // 5
        "            sum = 2;\n"    // 6
        "        note(sum);\n"      // 7
        "    }\n"                   // 8
        "    note(sum);\n");        // 9
    EXPECT_EQ(setter(loop, "sum", 4), -1) << "of the pass before";
    EXPECT_EQ(setter(loop, "sum", 7), 1005);
    EXPECT_EQ(setter(loop, "sum", 5), -1) << "what it is if that way was not gone";
    EXPECT_EQ(setter(loop, "sum", 9), -1);
}

TEST(SourceChanges, KnowThatALoopComesBack) {
    SourceChanges changes = changes_of(
        "    unsigned sum = 1;\n"             // 2
        "    unsigned fixed = 4;\n"           // 3
        "    while (sum < first) {\n"         // 4
        "        note(sum);\n"                // 5
        "        unsigned half = sum / 2;\n"  // 6
        "        sum += half;\n"              // 7
        "        note(fixed);\n"              // 8
        "    }\n"                             // 9
        "    note(fixed);\n");                // 10
    EXPECT_EQ(setter(changes, "sum", 4), -1) << "from before, or from the last pass";
    EXPECT_EQ(setter(changes, "sum", 5), -1);
    EXPECT_EQ(setter(changes, "sum", 8), 7);
    EXPECT_EQ(setter(changes, "half", 7), 6);
    EXPECT_EQ(setter(changes, "fixed", 5), 3);
    EXPECT_EQ(setter(changes, "fixed", 10), 3);
}

TEST(SourceChanges, KnowThatAStarSetsWhatTheNameLeadsTo) {
    SourceChanges changes = changes_of(
        "    *level = 3;\n"               // 2
        "    note(4);\n"                  // 3
        "    level = 0;\n"                // 4
        "    unsigned *other = level;\n"  // 5
        "    note(5);\n",                 // 6
        CodeLanguage::c, "unsigned f(unsigned *level) {\n");
    EXPECT_EQ(setter(changes, "level", 3), 0);
    EXPECT_EQ(setter(changes, "level", 6), 4);
    EXPECT_EQ(setter(changes, "other", 6), 5);
}

TEST(SourceChanges, GiveUpWhereOthersMayWrite) {
    auto at_end = [](const std::string& statement, CodeLanguage language = CodeLanguage::c) {
        return setter(
            changes_of("    unsigned sum = 1;\n    " + statement + "\n    note(7);\n", language),
            "sum", 4);
    };
    EXPECT_EQ(at_end("note(sum);"), 2);
    EXPECT_EQ(at_end("note(sum & first);"), 2);
    EXPECT_EQ(at_end("first = sum == 3;"), 2);
    EXPECT_EQ(at_end("note(lock.sum = 3);"), 2) << "a member of that name";
    EXPECT_EQ(at_end("lock->sum = 3;"), 2);
    EXPECT_EQ(at_end("fill(&sum);"), -1);
    EXPECT_EQ(at_end("first = (sum = 3);"), -1);
    EXPECT_EQ(at_end("first = sum++;"), -1);
    EXPECT_EQ(at_end("sum++;"), 3);
    EXPECT_EQ(at_end("--sum;"), 3);
    EXPECT_EQ(at_end("SET(sum);"), -1) << "a macro, perhaps";
    EXPECT_EQ(at_end("goto out;"), -1);
    EXPECT_EQ(at_end("switch (first) { case 1: sum = 2; }"), -1);
    EXPECT_EQ(at_end("__asm__(\"nop\" : \"+r\"(sum));"), -1);
    EXPECT_EQ(at_end("for (sum = 0; sum < 3; ++sum) note(1);"), -1);
    EXPECT_EQ(at_end("unsigned other = 2, sum = 3;"), -1);
    EXPECT_EQ(at_end("note(sum);", CodeLanguage::cplusplus), -1) << "perhaps a reference";
    EXPECT_EQ(at_end("note(sum + 1);", CodeLanguage::cplusplus), 2);
    EXPECT_EQ(at_end("unsigned& best = sum;", CodeLanguage::cplusplus), -1);
    EXPECT_EQ(at_end("std::cin >> sum;", CodeLanguage::cplusplus), -1);
    EXPECT_EQ(at_end("auto add = [&] { sum += 2; };", CodeLanguage::cplusplus), -1);
}

// A macro may set what it does not name, and a block behind one may be a loop.
TEST(SourceChanges, DoNotRelyOnMacrosAndConditions) {
    auto at_end = [](const std::string& statement) {
        return setter(changes_of("    unsigned sum = 1;\n    " + statement + "\n    note(7);\n"),
                      "sum", 4);
    };
    EXPECT_EQ(at_end("advance(first);"), -1) << "no function is called so";
    EXPECT_EQ(at_end("NEXT;"), -1);
    EXPECT_EQ(at_end("lock->advance(first);"), 2);
    EXPECT_EQ(at_end("first = (unsigned)(first) + sizeof(first);"), 2);
    SourceChanges loop = changes_of(
        "    unsigned sum = 1;\n"
        "    note(0);\n"
        "    each_gate(first) {\n"
        "        note(1);\n"
        "        sum = 3;\n"
        "        note(2);\n"
        "    }\n");
    EXPECT_EQ(setter(loop, "sum", 3), 2);
    EXPECT_EQ(setter(loop, "sum", 5), -1);
    EXPECT_EQ(setter(loop, "sum", 7), 6);
    SourceChanges conditions = changes_of(
        "    unsigned sum = 1;\n"
        "#ifdef DEBUG\n"
        "    sum = 2;\n"
        "    note(1);\n"
        "#else\n"
        "    note(2);\n"
        "#endif\n"
        "    note(3);\n"
        "    sum = 4;\n"
        "    note(5);\n");
    EXPECT_EQ(setter(conditions, "sum", 9), -1) << "perhaps it was not compiled";
    EXPECT_EQ(setter(conditions, "sum", 11), 10);
}

TEST(SourceChanges, KnowAFunctionByItsDefinition) {
    std::vector<std::string> lines{"static inline unsigned low(unsigned a) {",
                                   "    high(3);",
                                   "#define next(a) (a)++",
                                   "char *name(void);",
                                   "x = cut(3);",
                                   "// see far(1)",
                                   "int below(int);"};
    for (const char* name : {"low", "name", "below"})
        EXPECT_TRUE(functions_declared_in(lines).contains(name));
    for (const char* name : {"high", "next", "cut", "far", "elow"})
        EXPECT_FALSE(functions_declared_in(lines).contains(name)) << name;
}

TEST(SourceChanges, DoNotFollowWhatOutlivesTheCall) {
    EXPECT_EQ(setter(changes_of("    static unsigned sum = 1;\n    note(7);\n"), "sum", 3), -1);
    EXPECT_EQ(setter(changes_of("    volatile unsigned sum = 1;\n    note(7);\n"), "sum", 3), -1);
    SourceChanges two = changes_of(
        "    unsigned sum = 1;\n"
        "    { unsigned sum = 2; note(sum); }\n"
        "    note(7);\n");
    EXPECT_EQ(setter(two, "sum", 4), -1) << "two variables of that name";
}

TEST(SourceChanges, FollowMembersByThemselves) {
    SourceChanges changes = changes_of(
        "    Lock lock = {first, 2};\n"  // 2
        "    lock.level = first;\n"      // 3
        "    lock.flow = 5;\n"           // 4
        "    note(1);\n"                 // 5
        "    lock = other;\n"            // 6
        "    note(2);\n");               // 7
    EXPECT_EQ(setter(changes, "lock.level", 5), 3);
    EXPECT_EQ(setter(changes, "lock.flow", 4), 2) << "with the whole";
    EXPECT_EQ(setter(changes, "lock.flow", 5), 4);
    EXPECT_EQ(setter(changes, "lock.level", 7), -1);
}

TEST(SourceChanges, ReadRust) {
    SourceChanges changes = changes_of(
        "    let mut sum: u32 = first + 2;\n"   // 2
        "    sum += 3;\n"                       // 3
        "    note(sum);\n"                      // 4
        "    fill(&mut sum);\n"                 // 5
        "    let other = first;\n"              // 6
        "    let (half, rest) = cut(first);\n"  // 7
        "    note(other);\n",                   // 8
        CodeLanguage::rust, "fn f(first: u32) -> u32 {\n");
    EXPECT_EQ(setter(changes, "sum", 4), -1) << "its address is taken further on";
    EXPECT_EQ(setter(changes, "other", 8), 6);
    EXPECT_EQ(setter(changes, "half", 8), -1);
    SourceChanges arms = changes_of(
        "    let mut sum: u32 = first;\n"  // 2
        "    match first {\n"              // 3
        "        1 => sum = 2,\n"          // 4
        "        _ => note(7),\n"          // 5
        "    }\n",
        CodeLanguage::rust, "fn f(first: u32) -> u32 {\n");
    EXPECT_EQ(setter(arms, "sum", 5), -1) << "the arm before was not gone";
}

TEST(SourceChanges, ReadStructuresThatAreMadeAtOnce) {
    auto made = [](const std::string& statement, std::size_t member,
                   CodeLanguage language = CodeLanguage::c) {
        SourceChanges changes = changes_of("    " + statement + "\n    note(7);\n", language);
        return changes.text_of_value("lock.flow", 0, member).value_or("nothing");
    };
    EXPECT_EQ(made("Lock lock = {first + 1, cut(2, 3)};", 0), "first + 1");
    EXPECT_EQ(made("Lock lock = {first + 1, cut(2, 3)};", 1), "cut(2, 3)");
    EXPECT_EQ(made("struct lock lock = { first };", 1), "nothing") << "it is 0, and not said";
    EXPECT_EQ(made("Lock lock = {.flow = 3, .level = 4};", 0), "nothing");
    EXPECT_EQ(made("Lock lock = {{1, 2}, 3};", 1), "nothing");
    EXPECT_EQ(made("Lock lock = {1, 2}, other = {3, 4};", 1), "nothing");
    EXPECT_EQ(made("static Lock lock = {1, 2};", 1), "nothing");
    EXPECT_EQ(made("Lock lock = {1, 2};", 1, CodeLanguage::cplusplus), "nothing")
        << "what its constructor makes of that is not known";
}

TEST(SourceChanges, TellWhatIsAssigned) {
    SourceChanges changes = changes_of(
        "    unsigned sum = first + 2;\n"
        "    sum -= 3 * first;\n"
        "    sum <<= first;\n"
        "    ++sum;\n"
        "    sum--;\n"
        "    sum = first == 3 ? 1 : 2;\n");
    const char* expected[] = {"first + 2", "sum - (3 * first)", "sum << first",
                              "sum + 1",   "sum - 1",           "first == 3 ? 1 : 2"};
    for (std::size_t i = 0; i < std::size(expected); ++i)
        EXPECT_EQ(changes.text_of_value("sum", i), expected[i]);
    EXPECT_EQ(changes.text_of_value("first", 0), std::nullopt);
    EXPECT_EQ(changes_of("    unsigned sum = other = 3;\n").text_of_value("sum", 0), std::nullopt);
}

}  // namespace
}  // namespace lantern
