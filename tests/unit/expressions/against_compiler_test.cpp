// Hundreds of expressions that a compiler computed, text, type and value, beside ours.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstring>

#include "core/expressions/typing.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

// The compiler's debug information spells types in its own order of words.
std::string usual_name(std::string name) {
    if (name.starts_with("const ")) name = name.substr(6);
    if (name.find_first_of("*[(") != std::string::npos) return "pointer";
    if (name.starts_with("enum ") || name == "light") return "unsigned int";
    for (auto [theirs, ours] : {std::pair{"long int", "long"},
                                {"long unsigned int", "unsigned long"},
                                {"short int", "short"},
                                {"short unsigned int", "unsigned short"},
                                {"long long int", "long long"},
                                {"long long unsigned int", "unsigned long long"},
                                {"_Bool", "bool"}})
        if (name == theirs) return ours;
    return name;
}

std::string bits_of(const ValueReader& reader, const Value& value, const std::string& type) {
    if (type.find("float") != std::string::npos || type.find("double") != std::string::npos) {
        char text[64];
        std::snprintf(text, sizeof text, "%.21Lg", reader.floating(value));
        return text;
    }
    std::uint64_t size = type == "pointer" ? 8 : plain(*value.type).size;
    std::uint64_t mask = size >= 8 ? ~std::uint64_t{0} : (std::uint64_t{1} << size * 8) - 1;
    return fmt::format("{:x}", reader.integer(value) & mask);
}

const Type& referred_type(const Type& type) {
    return plain(type).kind == TypeKind::reference ? target_of(plain(type)) : type;
}

class AgainstCompiler : public ::testing::TestWithParam<const char*> {};

TEST_P(AgainstCompiler, TypesAndValuesAreTheSame) {
    testing::TemporaryFolder folder;
    testing::Driven driven(GetParam(), (folder.path() / "out").string());
    driven.stop_above("look_here");
    std::size_t compared = 0, typed = 0;  // the latter: whose type is known before it runs
    for (const std::string& line : testing::lines_of(folder.read("out"))) {
        std::size_t last = line.rfind('|'), middle = line.rfind('|', last - 1);
        if (last == std::string::npos || middle == std::string::npos) continue;
        std::string text = line.substr(0, middle),
                    type = line.substr(middle + 1, last - middle - 1),
                    value = line.substr(last + 1);
        ++compared;
        try {
            Value ours = evaluate(text, driven.session.context());
            Expression read(text, driven.session.context());
            if (const Type* known = type_before_it_runs(read.tree(), driven.session.context())) {
                EXPECT_EQ(type_text(*known), type_text(referred_type(*ours.type))) << text;
                ++typed;
            }
            bool plain_enumeration =
                text == "e";  // its type is its own; the program prints what it promotes to
            EXPECT_TRUE(plain_enumeration || usual_name(type_text(*ours.type)) == type)
                << text << " is " << type << " and not " << type_text(*ours.type);
            EXPECT_EQ(bits_of(ValueReader(driven.session.target()), ours, type), value) << text;
        } catch (const Error& error) {
            ADD_FAILURE() << text << ": " << error.what();
        }
    }
    bool is_of_classes = std::string(GetParam()).find("casts") != std::string::npos;
    EXPECT_GT(compared, is_of_classes ? 100u : 450u);
    EXPECT_GT(typed, is_of_classes ? 30u : 100u);
}
INSTANTIATE_TEST_SUITE_P(Classes, AgainstCompiler,
                         ::testing::ValuesIn(HAVE_CLANG ? std::vector<const char*>{"casts-gcc",
                                                                                   "casts-clang"}
                                                        : std::vector<const char*>{"casts-gcc"}));
INSTANTIATE_TEST_SUITE_P(
    Languages, AgainstCompiler,
    ::testing::ValuesIn(HAVE_CLANG
                            ? std::vector<const char*>{"expressions-c", "expressions-cplusplus",
                                                       "expressions-clang"}
                            : std::vector<const char*>{"expressions-c", "expressions-cplusplus"}));

TEST(Expression, IsReadOnceAndFollowsTheFrame) {
    testing::Driven driven("objects-gcc");
    driven.stop_above("canal::look_here");
    EvaluationContext context = driven.session.context();
    Expression level("level * 10", context);
    ValueReader reader(driven.session.target());
    EXPECT_EQ(reader.integer(level.value(context)), 30u);
    EXPECT_EQ(reader.integer(level.value(context)), 30u)
        << "the second time with what the name was found to mean";
    driven.session.select_frame(0);
    EXPECT_EQ(reader.integer(level.value(driven.session.context())), 10u)
        << "in another function it is the global";
}

struct Wrong {
    const char *text, *says;
};
class WrongExpression : public ::testing::TestWithParam<Wrong> {};

TEST_P(WrongExpression, SaysWhatIsWrong) {
    testing::Driven driven("objects-gcc");
    driven.stop_above("canal::look_here");
    EXPECT_NE(driven.value(GetParam().text).find(GetParam().says), std::string::npos)
        << driven.value(GetParam().text);
}
INSTANTIATE_TEST_SUITE_P(
    Expressions, WrongExpression,
    ::testing::Values(
        Wrong{"no_craft->draught_cm", "the pointer is null"},
        Wrong{"craft->sails", "has no member sails"}, Wrong{"tolls[\"Teal\"]", "no such key"},
        Wrong{"numbers[7]", "there is no element 7: it has 4 elements"},
        Wrong{"numbers[-1]", "there is no element -1"}, Wrong{"*never", "it holds nothing"},
        Wrong{"level++", "'++' assigns"}, Wrong{"level += 2", "'+=' assigns"},
        Wrong{"dynamic_cast<Keeper*>(&two)", "has no virtual functions"},
        Wrong{"craft->toll(5)", "not called unless you allow it"},
        Wrong{"two + 1", "this needs a number"},
        Wrong{"level ? ", "stops where a value is missing"},
        Wrong{"boat.*level", "needs a pointer to a member"},
        Wrong{"(int[3]){1}", "compound literal"}, Wrong{"tolls[0..2]", "not known by number"},
        Wrong{"numbers[2..9]", "it has only 4 elements"},
        Wrong{"static_cast<Nothing*>(craft)", "a type is missing"}));

}  // namespace
}  // namespace lantern
