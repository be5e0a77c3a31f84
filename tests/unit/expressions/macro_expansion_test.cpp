// Macros in expressions.
#include "core/expressions/macro_expansion.h"

#include <gtest/gtest.h>

#include <map>

#include "core/expressions/syntax.h"
#include "core/support/error.h"

namespace lantern {
namespace {

class Defined final : public NameJudge {
  public:
    explicit Defined(std::vector<std::string> definitions) {
        for (const std::string& text : definitions) {
            auto macro = parse_macro(text);
            if (macro) macros_[macro->name] = *macro;
        }
    }
    const Type* type(const std::string&) const override { return nullptr; }
    bool is_template_id(const std::string&) const override { return false; }
    std::optional<Macro> macro(const std::string& name) const override {
        auto found = macros_.find(name);
        return found == macros_.end() ? std::nullopt : std::optional(found->second);
    }

  private:
    std::map<std::string, Macro> macros_;
};

std::string expanded(std::vector<std::string> definitions, std::string_view text) {
    std::string out;
    for (const Token& token : without_macros(tokens_of(text), Defined(std::move(definitions))))
        if (token.kind != Token::Kind::end) out += (out.empty() ? "" : " ") + token.text;
    return out;
}

TEST(MacroText, IsReadAsDebugInformationHasIt) {
    auto share = parse_macro("SHARE(part, whole) ((part) * 100 / (whole))");
    ASSERT_TRUE(share);
    EXPECT_TRUE(share->takes_arguments);
    EXPECT_EQ(share->parameters, (std::vector<std::string>{"part", "whole"}));
    EXPECT_EQ(share->body, "((part) * 100 / (whole))");
    EXPECT_EQ(parse_macro("GROUPED (level)")->body, "(level)")
        << "a space before the bracket: it takes no arguments";
    EXPECT_FALSE(parse_macro("GROUPED (level)")->takes_arguments);
    EXPECT_TRUE(parse_macro("EMPTY")->body.empty());
    EXPECT_TRUE(parse_macro("ANY(...) f(__VA_ARGS__)")->is_variadic);
    EXPECT_FALSE(parse_macro("BROKEN(a"));
}

TEST(Macros, AreReplacedUntilNoneIsLeft) {
    EXPECT_EQ(expanded({"MOST 12"}, "level + MOST"), "level + 12");
    EXPECT_EQ(expanded({"MOST LIMIT", "LIMIT 12"}, "MOST"), "12");
}

TEST(Macros, TakeArgumentsWithCommasInBrackets) {
    EXPECT_EQ(expanded({"FIRST(a, b) a"}, "FIRST((x, y), z)"), "( x , y )");
    EXPECT_EQ(expanded({"TWICE(x) x + x", "ONE 1"}, "TWICE(TWICE(ONE))"), "1 + 1 + 1 + 1");
    EXPECT_EQ(expanded({"CALL(f, ...) f(__VA_ARGS__)"}, "CALL(g, 1, 2)"), "g ( 1 , 2 )");
    EXPECT_EQ(expanded({"F(x) x"}, "F + 1"), "F + 1") << "without brackets the name stays";
}

TEST(Macros, ThatNameThemselvesStopThere) {
    EXPECT_EQ(expanded({"level level + 1"}, "level"), "level + 1");
    EXPECT_EQ(expanded({"a b", "b a"}, "a"), "a");
}

TEST(Macros, ThatAreNoExpressionsSaySo) {
    EXPECT_THROW(expanded({"PASTE(a) a##_cm"}, "PASTE(x)"), ExpressionError);
    EXPECT_THROW(expanded({"EMPTY"}, "EMPTY"), ExpressionError);
    EXPECT_THROW(expanded({"TWO(a, b) a"}, "TWO(1)"), ExpressionError);
    EXPECT_THROW(expanded({"TWO(a, b) a"}, "TWO(1, 2"), ExpressionError);
    std::vector<std::string> bombs{"B0 1"};
    for (int i = 1; i < 40; ++i)
        bombs.push_back("B" + std::to_string(i) + " B" + std::to_string(i - 1) + " + B" +
                        std::to_string(i - 1));
    EXPECT_THROW(expanded(bombs, "B39"), ExpressionError) << "what grows without end is refused";
}

}  // namespace
}  // namespace lantern
