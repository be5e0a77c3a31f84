#include <gtest/gtest.h>

#include <fmt/format.h>

#include "core/expressions/evaluator.h"
#include "core/support/error.h"
#include "core/target/program_file.h"
#include "core/values/value_view.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

Target& program() {
    static const std::string path = testing::fixture("locks-gcc-O0-dwarf5-pie");
    static ProgramFile file(path, std::make_shared<ModuleSymbols>(path));
    return file;
}

EvaluationContext context() {
    EvaluationContext made;
    made.target = &program();
    return made;
}

std::string value(const std::string& text) {
    return one_line(make_view(ValueReader(program()), "x", evaluate(text, context())));
}

std::string type(const std::string& text) {
    return type_text(*evaluate(text, context()).type);
}

// The compiler that built this test computes the same expression.
#define SAME(expression) EXPECT_EQ(value(#expression), fmt::format("{}", expression)) << #expression

TEST(Expression, ComputesAsTheCompilerDoes) {
    SAME(1 + 2 * 3 - 4 / 2 % 3);
    SAME((1 + 2) * 3);
    SAME(7 / -2);
    SAME(-7 % 3);
    SAME(1 << 10 | 3);
    SAME(~5 & 0xff);
    SAME(6 ^ 3);
    SAME(-8 >> 1);
    SAME(2147483647 + 0u);
    SAME(4000000000 + 1);
    SAME(0xffffffffffffffff / 2);
    SAME(10 - 3 - 2);
    SAME(1 ? 2 : 3);
    SAME(0 ? 2 : 1 ? 5 : 6);
    SAME(sizeof(int) * 3);
    SAME(1.5 + 2.25);
    SAME(7 / 2.0);
    SAME((long)3.9);
    SAME((unsigned char)300 + 0);
    EXPECT_EQ(value("1 < 2 && 2 < 3"), "1");
    EXPECT_EQ(value("1 > 2 || 3 >= 4"), "0");
    EXPECT_EQ(value("!0 == 1"), "1");
    EXPECT_EQ(value("-1 < 0u"), "0") << "the comparison is unsigned, as C has it";
    EXPECT_EQ(value("'A' + 1"), "66");
    EXPECT_EQ(value("1 || 1 / 0"), "1") << "the right side is not computed";
    EXPECT_EQ(type("1 + 2L"), "long");
    EXPECT_EQ(type("'a' + 'b'"), "int");
    EXPECT_EQ(type("1u + 2"), "unsigned int");
    EXPECT_EQ(type("1.0f * 2"), "float");
}

TEST(Expression, ReachesGlobalsMembersAndElements) {
    EXPECT_EQ(value("global_count"), "7");
    EXPECT_EQ(value("tolls[1]"), "2.25");
    EXPECT_EQ(value("*tolls"), "1.5");
    EXPECT_EQ(value("tolls[0..2]"), "{1.5, 2.25}");
    EXPECT_EQ(value("lower.depth"), "310");
    EXPECT_EQ(value("lower.state"), "FILLING (5)");
    EXPECT_EQ(value("lower.state == FILLING"), "1");
    EXPECT_EQ(value("FULL + 1"), "7");
    EXPECT_EQ(value("lower.gates[0].wear"), "-3");
    EXPECT_EQ(value("lower.gates[1].angle"), "90");
    EXPECT_EQ(value("lower.name"), "\"lower\\0\"");
    EXPECT_EQ(value("lower.name == \"lower\""), "1");
    EXPECT_EQ(value("lower.name != \"upper\""), "1");
    EXPECT_EQ(value("(&lower)->depth"), "310");
    EXPECT_EQ(value("*(unsigned short *)&lower.depth"), "310");
    EXPECT_EQ(value("((struct chamber *)&lower)->depth"), "310");
    EXPECT_EQ(value("&tolls[2] - &tolls[0]"), "2");
    EXPECT_EQ(value("*(tolls + 2)"), "-4.0");
    EXPECT_EQ(value("sizeof lower == sizeof(struct chamber)"), "1");
    EXPECT_EQ(value("(centimetres)70000"), "4464");
    EXPECT_EQ(type("&lower.gates[0]"), "struct gate *");
    EXPECT_EQ(type("tolls"), "double [3]");
    EXPECT_EQ(type("&tolls"), "double (*)[3]");
}

struct Refusal {
    const char* text;
    unsigned column;
    const char* part;
};

class Refused : public ::testing::TestWithParam<Refusal> {};

TEST_P(Refused, WithTheColumnAndTheReason) {
    try {
        evaluate(GetParam().text, context());
        FAIL() << GetParam().text << " was accepted";
    } catch (const ExpressionError& error) {
        EXPECT_EQ(error.column(), GetParam().column) << error.what();
        std::string said = error.what();
        for (const Hint& hint : error.advice().hints()) said += " / " + hint.text;
        EXPECT_NE(said.find(GetParam().part), std::string::npos) << said;
    }
}

INSTANTIATE_TEST_SUITE_P(
    Expressions, Refused,
    ::testing::Values(
        Refusal{"", 1, "empty"}, Refusal{"1 +", 4, "stops where a value is missing"},
        Refusal{"(1 + 2", 7, "')' is missing"}, Refusal{"1 $ 2", 3, "no meaning"},
        Refusal{"global_cuont", 1, "did you mean global_count"},
        Refusal{"lower.dpeth", 7, "it has depth"}, Refusal{"lower->depth", 8, "use ."},
        Refusal{"(&lower).depth", 10, "use ->"}, Refusal{"1 / 0", 3, "divides by zero"},
        Refusal{"global_count = 8", 14, "change"}, Refusal{"main(1)", 5, "not called"},
        Refusal{"*global_count", 1, "needs a pointer"},
        Refusal{"global_count[1]", 13, "needs an array"},
        Refusal{"tolls[2..1]", 6, "ends before it begins"}, Refusal{"%nosuch", 1, "no register"},
        Refusal{"%rax", 1, "not running"}, Refusal{"@", 1, "no result yet"},
        Refusal{"@5", 1, "no result @5"}, Refusal{"\"abc", 1, "closing"},
        Refusal{"'ab'", 1, "exactly one"}, Refusal{"123abc", 1, "not a number"},
        Refusal{"1 << 40", 3, "shift"}, Refusal{"lower + 1", 1, "needs a number"},
        Refusal{"&1", 1, "no address"}, Refusal{"(struct nothing *)0", 9, "no type"},
        Refusal{"1 2", 3, "not expected"}, Refusal{"&lower.gates[0].wear", 1, "bit-field"},
        Refusal{"lower.next->depth", 7, "null"}));

TEST(Expression, NestsOnlySoDeep) {
    EXPECT_THROW(evaluate(std::string(5000, '(') + "1", context()), ExpressionError);
    EXPECT_THROW(evaluate(std::string(5000, '-') + "1", context()), ExpressionError);
}

TEST(Expression, ResultsAreNumberedAndKept) {
    Results results;
    EvaluationContext with = context();
    with.results = &results;
    EXPECT_EQ(results.add(evaluate("40", with)), 1u);
    EXPECT_EQ(results.add(evaluate("2", with)), 2u);
    results.keep("depth", evaluate("310", with));
    ValueReader reader(program());
    EXPECT_EQ(reader.integer(evaluate("@1 + @2", with)), 42u);
    EXPECT_EQ(reader.integer(evaluate("@", with)), 2u);
    EXPECT_EQ(reader.integer(evaluate("@depth - 10", with)), 300u);
}

TEST(Expression, AnAssignmentIsFoundAmongComparisons) {
    EXPECT_EQ(find_assignment("level = 5"), 6u);
    EXPECT_EQ(find_assignment("level == 5"), std::string_view::npos);
    EXPECT_EQ(find_assignment("a <= b != c >= d"), std::string_view::npos);
    EXPECT_EQ(find_assignment("a = b == c"), 2u);
    EXPECT_EQ(find_assignment("name == \"x=y\""), std::string_view::npos);
}

}  // namespace
}  // namespace lantern
