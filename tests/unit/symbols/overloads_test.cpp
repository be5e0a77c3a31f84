// One of several functions of a name, by what it takes: every name of a program as nm writes it
// leads to the function whose code lies at nm's address, and to no other.
#include <gtest/gtest.h>

#include <regex>
#include <sstream>

#include "core/symbols/module_symbols.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

struct NamedCode {
    std::string name;
    FileAddress address;
};

// A name in front of which a demangler puts no type of what is returned.
bool is_name_alone(std::string text) {
    constexpr std::string_view kConst = ") const";
    if (text.ends_with(kConst)) text.resize(text.size() - kConst.size() + 1);
    int depth = 0;
    for (char c : text) {
        depth += c == '<' || c == '(' || c == '[' ? 1 : c == '>' || c == ')' || c == ']' ? -1 : 0;
        if (c == ' ' && depth == 0) return false;
    }
    return text.ends_with(')') && text.find("operator") == std::string::npos &&
           text.find("[clone") == std::string::npos;
}

std::vector<NamedCode> names_by_nm(const std::string& program) {
    std::vector<NamedCode> all;
    std::istringstream lines(testing::run({"nm", "-C", "--defined-only", program}).output);
    std::regex row("([0-9a-f]+) [tTwW] (.*)");
    std::smatch found;
    for (std::string line; std::getline(lines, line);)
        if (std::regex_match(line, found, row) && is_name_alone(found[2]))
            all.push_back({found[2], FileAddress(std::stoull(found[1], nullptr, 16))});
    return all;
}

struct Found {
    std::size_t right = 0, wrong = 0, none = 0;
};

Found look_up_all(const std::string& program) {
    ModuleSymbols symbols(program);
    Found count;
    for (const NamedCode& each : names_by_nm(program)) {
        bool any = false, right = false;
        for (const Function* function : symbols.functions_named(each.name)) {
            if (!function->has_code()) continue;
            any = true;
            right |= function->low() == each.address;
        }
        ++(right ? count.right : any ? count.wrong : count.none);
        if (any && !right) ADD_FAILURE() << each.name;
    }
    return count;
}

TEST(Overloads, AreFoundAsTheLinkersNamesAreWritten) {
    for (const char* program : {"day-cpp-gcc-O1", "day-cpp-gcc-O2"}) {
        Found count = look_up_all(testing::fixture(program));
        EXPECT_EQ(count.wrong, 0u);
        EXPECT_GT(count.right, 20u);
        EXPECT_LE(count.none * 10, count.right) << "one in ten may be spelled otherwise";
    }
}

TEST(Overloads, OfTemplatesAndOperatorsAndObjectsThatStayAsTheyAre) {
    Found count = look_up_all(testing::fixture("containers-gnu"));
    EXPECT_EQ(count.wrong, 0u);
    EXPECT_GT(count.right, 1000u);
    EXPECT_LE(count.none * 10, count.right);
}

}  // namespace
}  // namespace lantern
