// What is refused before it runs, and what is left to the value: a derived class, a container, an
// owner, a variant.
#include "core/expressions/typing.h"

#include <gtest/gtest.h>

#include "tests/testing/driven.h"

namespace lantern {
namespace {

struct MistypedCase {
    const char* text;
    const char* says;
    unsigned column;
};

// The refusal of a condition on a breakpoint, before the program has been launched.
ExpressionError refusal(Session& session, const std::string& place, const std::string& condition) {
    try {
        session.add_breakpoint(session.place(place), condition);
    } catch (const ExpressionError& error) {
        return error;
    }
    return ExpressionError("it was taken", 0);
}

TEST(Typing, RefusesAConditionBeforeTheProgramRuns) {
    testing::Driven driven("locks-gcc-O0-dwarf5-pie");
    for (const MistypedCase& each :
         {MistypedCase{"chamber->dept > 3", "struct chamber has no member dept", 10},
          MistypedCase{"chamber.depth > 3", "has no members", 9},
          MistypedCase{"2 + chamber->depth->raw", "-> needs a pointer", 21},
          MistypedCase{"*chamber->depth == 1", "* needs a pointer", 1},
          MistypedCase{"chamber->gates[0].opened", "struct gate has no member opened", 19},
          MistypedCase{"-*chamber > 1", "this needs a number", 1},
          MistypedCase{"chamber->depth[2]", "[] needs an array or a pointer", 15}}) {
        ExpressionError error = refusal(driven.session, "fill", each.text);
        EXPECT_NE(std::string(error.what()).find(each.says), std::string::npos)
            << each.text << ": " << error.what();
        EXPECT_EQ(error.column(), each.column) << each.text;
    }
    EXPECT_TRUE(driven.session.breakpoints().empty());
    driven.session.add_breakpoint(driven.session.place("fill"), "chamber->gates[0].open == 1");
    EXPECT_EQ(driven.session.breakpoints().size(), 1u);
}

TEST(Typing, LeavesToTheValueWhatOnlyTheValueKnows) {
    testing::Driven driven("objects-gcc");
    driven.stop_above("canal::look_here");
    for (const char* text : {"craft->sails", "tolls.size() > 1", "*never", "craft->toll(5)"}) {
        Expression expression(text, driven.session.context());
        EXPECT_NO_THROW(type_before_it_runs(expression.tree(), driven.session.context())) << text;
    }
}

}  // namespace
}  // namespace lantern
