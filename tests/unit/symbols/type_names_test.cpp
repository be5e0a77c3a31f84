// Names of types as the debug information, demanglers and people write them.
#include <gtest/gtest.h>

#include "core/symbols/type.h"

namespace lantern {
namespace {

TEST(TypeNames, LeaveOutWhatOnlyTheLibraryKnows) {
    EXPECT_EQ(readable_type_name(
                  "std::__cxx11::basic_string<char, std::char_traits<char>, std::allocator<char> >",
                  false),
              "std::string");
    EXPECT_EQ(readable_type_name("std::vector<int, std::allocator<int> >", false),
              "std::vector<int>");
    EXPECT_EQ(readable_type_name("std::__1::vector<int, std::__1::allocator<int> >", false),
              "std::vector<int>");
    EXPECT_EQ(
        readable_type_name(
            "std::map<int, double, std::less<int>, std::allocator<std::pair<const int, double> > >",
            false),
        "std::map<int, double>");
    EXPECT_EQ(readable_type_name("canal::Barge", false), "canal::Barge");
    EXPECT_EQ(readable_type_name("alloc::vec::Vec<i32, alloc::alloc::Global>", true), "Vec<i32>");
}

TEST(TypeNames, OnesOfTheUsersThatLookAlikeStay) {
    EXPECT_EQ(readable_type_name("my__1::Lock", false), "my__1::Lock")
        << "only a whole namespace is inner";
    EXPECT_NE(readable_type_name("canal::vector<int, canal::Pool>", false).find("Pool"),
              std::string::npos);
    EXPECT_NE(readable_type_name("std::vector<int, canal::Pool<int> >", false).find("Pool"),
              std::string::npos)
        << "another allocator is part of the type";
}

TEST(TypeNames, ParametersAreComparedHoweverTheyAreSpelled) {
    auto same = [](const char* a, const char* b) {
        return comparable_parameters(a) == comparable_parameters(b);
    };
    EXPECT_TRUE(same("char const*", "const char *"));
    EXPECT_TRUE(same("char const* const*", "const char * const *"));
    EXPECT_TRUE(same("int, unsigned long", "int, long unsigned int"));
    EXPECT_TRUE(same("unsigned short, long long", "short unsigned int, long long int"));
    EXPECT_TRUE(same("const int", "int")) << "a value is a copy";
    EXPECT_TRUE(same("char* const", "char*"));
    EXPECT_TRUE(same("void", ""));
    EXPECT_TRUE(
        same("std::__cxx11::basic_string<char, std::char_traits<char>, "
             "std::allocator<char> > const&",
             "const std::string&"));
    EXPECT_TRUE(same("std::vector<unsigned long, std::allocator<unsigned long> > const&",
                     "const std::vector<long unsigned int>&"));
    EXPECT_TRUE(same("std::map<int, char const*>&", "std::map<int, const char*>&"));
    EXPECT_TRUE(same("void (*)(char const*, unsigned int)", "void (*)(const char *, unsigned)"));
    EXPECT_TRUE(same("char const*, ...", "const char *"));
    EXPECT_FALSE(same("char*", "char const*"));
    EXPECT_FALSE(same("unsigned char", "char"));
    EXPECT_FALSE(same("signed char", "char"));
    EXPECT_FALSE(same("long", "long long"));
    EXPECT_FALSE(same("int&", "int const&"));
    EXPECT_FALSE(same("int, int", "int"));
    EXPECT_FALSE(same("std::vector<int>&", "std::vector<int const*>&"));
    EXPECT_FALSE(same("char const*", "char* const"));
}

TEST(TypeNames, ComparedHoweverTheyAreSpelled) {
    auto same = [](const char* a, const char* b) {
        return comparable_type_name(a, false) == comparable_type_name(b, false);
    };
    EXPECT_TRUE(same("(anonymous namespace)::Lock", "(anonymous)::Lock"));
    EXPECT_TRUE(same("Sized<char, 3ul>", "Sized<char, 3>"));
    EXPECT_TRUE(same("std::vector<std::vector<int> >", "std::vector<std::vector<int>>"));
    EXPECT_TRUE(same("std::vector<int, std::allocator<int> >", "std::vector<int>"));
    EXPECT_FALSE(same("Sized<char, 3>", "Sized<char, 4>"));
    EXPECT_FALSE(same("canal::Lock", "river::Lock"));
}

TEST(TypeNames, FamiliesAreTheNameWithoutArguments) {
    EXPECT_EQ(family_name("std::vector<int, std::allocator<int> >"), "std::vector");
    EXPECT_EQ(family_name("std::__cxx11::list<canal::Barge>"), "std::list");
    EXPECT_EQ(family_name("std::__1::map<int, int>"), "std::map");
    EXPECT_EQ(family_name("canal::Barge"), "canal::Barge");
}

}  // namespace
}  // namespace lantern
