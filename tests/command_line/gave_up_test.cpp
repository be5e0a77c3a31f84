// diagnose, where the C library's allocator or an assertion has ended the program.
#include <gtest/gtest.h>

#include "core/analysis/allocator_abort.h"
#include "core/analysis/asserted.h"
#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class Contradicts : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && GetParam() == std::string("clang")) GTEST_SKIP() << "no clang here";
    }
    static std::string diagnosed(const std::string& how, const std::string& optimised = "") {
        std::string program = fixture(std::string("contradicts-") + GetParam() + optimised);
        Ran ran = run({LANTERN_PROGRAM, "diagnose", program, "--stdout", "/dev/null", "--", how});
        EXPECT_EQ(ran.status, 1) << ran.errors;
        return ran.output;
    }
    static bool has(const std::string& text, const std::string& part) {
        return text.find(part) != std::string::npos;
    }
};

TEST_P(Contradicts, WhatWasHandedInIsLookedUpInTheHeap) {
    struct Case {
        const char *how, *part;
    };
    for (auto [how, part] :
         {Case{"twice",
               "part     berth->marks leads to a block that has been freed already (free "
               "heap block of 5608 bytes)"},
          Case{"overrun",
               "part     berth->marks leads to a heap block of 5608 bytes; what lies "
               "behind its end is written over"},
          Case{"inside",
               "part     berth->marks leads not to where a block begins: byte 16 of a "
               "heap block of 5608 bytes"},
          Case{"stack", ", which is no block of the heap (stack of frame "}}) {
        std::string text = diagnosed(how);
        EXPECT_TRUE(has(text, part)) << text;
        EXPECT_TRUE(has(text, "what     SIGABRT: the allocator gave up")) << text;
        EXPECT_TRUE(has(text, "elm-lantern heap contradicts-")) << text;
        bool says_damaged = has(text, " heap     damaged: ");
        EXPECT_EQ(says_damaged, how == std::string("overrun")) << text;
    }
}

// The value of here need not be the one that arrived there.
TEST_P(Contradicts, InOptimisedCodeItIsOnlyLikely) {
    std::string text = diagnosed("twice", "-O2");
    // Where nothing lies behind it (clang makes no other block), it has become the heap's end.
    EXPECT_TRUE(has(text, "part     berth->marks leads to a block that has been freed already") ||
                has(text, "part     berth->marks leads to free memory of the heap, where no block"))
        << text;
    EXPECT_TRUE(has(text, "likely, because the line hands that in")) << text;
    EXPECT_FALSE(has(diagnosed("twice"), "likely"));
}

TEST_P(Contradicts, OfAnAssertionItSaysWhatWasCompared) {
    std::string text = diagnosed("asserts");
    EXPECT_TRUE(has(text,
                    "with     berth->count is 1400, least is 2, berth->limit is 12 and "
                    "berth->marks[0] is 4"))
        << text;
    EXPECT_FALSE(has(text, "allocator")) << text;
}

TEST_P(Contradicts, AnotherAbortIsNoneOfTheAllocator) {
    std::string text = diagnosed("else");
    EXPECT_TRUE(has(text, "the program gave up by itself")) << text;
    EXPECT_FALSE(has(text, "allocator")) << text;
    EXPECT_FALSE(has(text, "elm-lantern heap")) << text;
}

INSTANTIATE_TEST_SUITE_P(Compilers, Contradicts, ::testing::Values("gcc", "clang"),
                         [](const auto& each) { return std::string(each.param); });

using Words = std::vector<std::string>;

TEST(Asserted, TheConditionIsTakenApart) {
    std::string said = "z: lz77.c:36: find: Assertion `n > 0 && !(list[n] == at->limit)' failed.";
    EXPECT_EQ(asserted_condition(said), "n > 0 && !(list[n] == at->limit)");
    EXPECT_EQ(operands_of_condition(asserted_condition(said)),
              (Words{"n", "list[n]", "at->limit"}));
    EXPECT_EQ(operands_of_condition("ready"), Words{"ready"});
    EXPECT_EQ(operands_of_condition("(a < b) || (b >= 1 << 3)"), (Words{"a", "b"}));
    EXPECT_EQ(operands_of_condition("n << 3 < end >> k"), (Words{"n << 3", "end >> k"}));
    EXPECT_EQ(operands_of_condition("p->n != max(a > b, 3) && 'x' == c"),
              (Words{"p->n", "max(a > b, 3)", "c"}));
    EXPECT_EQ(operands_of_condition(asserted_condition("double free or corruption (!prev)")),
              Words{});
    EXPECT_EQ(asserted_condition("Assertion `"), "");
}

TEST(Asserted, WhatAStatementFrees) {
    EXPECT_EQ(what_is_freed_in("free(h->prev);"), "h->prev");
    EXPECT_EQ(what_is_freed_in("if (p) free(list[n(1, 2)]);"), "list[n(1, 2)]");
    EXPECT_EQ(what_is_freed_in("old = realloc(old, 8 * size);"), "old");
    EXPECT_EQ(what_is_freed_in("delete[] rows;"), "rows");
    EXPECT_EQ(what_is_freed_in("free(a); free(a);"), "a");
    EXPECT_EQ(what_is_freed_in("free(a); free(b);"), "") << "which of them is not known";
    EXPECT_EQ(what_is_freed_in("release_free(a); pool.free(a);"), "");
    EXPECT_EQ(what_is_freed_in("return rows;"), "");
}

}  // namespace
}  // namespace lantern::testing
