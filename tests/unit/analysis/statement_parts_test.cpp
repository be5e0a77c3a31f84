// What of a statement's text is a pointer that it follows, and what is a name.
#include "core/analysis/statement_parts.h"

#include <gtest/gtest.h>

#include "core/analysis/source_assignment.h"

namespace lantern {
namespace {

using Words = std::vector<std::string>;

TEST(StatementParts, PointersAreThoseThatAreFollowed) {
    EXPECT_EQ(pointers_followed_in("return queue->next->draught_cm;"),
              (Words{"queue", "queue->next"}));
    EXPECT_EQ(pointers_followed_in("while ( *q ) {"), (Words{"q"}));
    EXPECT_EQ(pointers_followed_in("level = *at * 2;"), (Words{"at"}));
    EXPECT_EQ(pointers_followed_in("level = width * depth;"), Words()) << "that multiplies";
    EXPECT_EQ(pointers_followed_in("sum = rows[3] * depth->cm;"), (Words{"depth"}));
    EXPECT_EQ(pointers_followed_in("tolls[first->number].next->name"),
              (Words{"tolls[first->number].next", "first"}));
    EXPECT_EQ(pointers_followed_in("puts(\"a->b\"); // c->d"), Words()) << "words for people";
    EXPECT_EQ(pointers_followed_in("canal::first->next = '*';"), (Words{"canal::first"}));
}

TEST(StatementParts, NamesAreNeitherMembersNorFunctions) {
    EXPECT_EQ(names_in("gate * 3 + level_of(day)"), (Words{"gate", "day"}));
    EXPECT_EQ(names_in("barge->next.name[i]"), (Words{"barge", "i"}));
    EXPECT_EQ(names_in("f(x)->next = 0x1f;"), (Words{"x"}));
    EXPECT_EQ(names_in("text = \"a \\\" b\" + c;"), (Words{"text", "c"}));
    EXPECT_EQ(names_in(""), Words());
    EXPECT_EQ(names_in("a[b[c]"), (Words{"a", "b", "c"}))
        << "a line may end before its brackets do";
}

TEST(SourceAssignment, IsOfJustTheNumber) {
    for (const char* line :
         {"at = NULL;", "struct barge *at = NULL;", "if (n) at = 0;", "at = n ? 0 : first;",
          "at = n ? first : nullptr;", "at = (struct barge *)0, n = 3;", "at=0"})
        EXPECT_TRUE(assigns_number(line, "at", 0)) << line;
    for (const char* line : {"at = barge(1, NULL);", "at = rows[0];", "at == NULL;", "at = 0 + n;",
                             "at = n - 0;", "b.at = NULL;", "p->at = NULL;", "flat = NULL;",
                             "at = first; n = 0;", "at = NULLS;", "at = 0.5;", "", "at ="})
        EXPECT_FALSE(assigns_number(line, "at", 0)) << line;
    EXPECT_TRUE(assigns_number("level = 200000000;", "level", 200000000));
    EXPECT_TRUE(assigns_number("flag = (const bool*)0x10;", "flag", 16));
    EXPECT_FALSE(assigns_number("level = 20;", "level", 200000000));
}

}  // namespace
}  // namespace lantern
