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
