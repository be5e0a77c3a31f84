#include "core/session/line_plan.h"

#include <gtest/gtest.h>

#include "core/session/place.h"
#include "core/support/error.h"
#include "core/target/program_file.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"

namespace lantern {
namespace {

struct Planned {
    explicit Planned(const std::string& name) : symbols(std::make_shared<ModuleSymbols>(testing::fixture(name))), file(testing::fixture(name), symbols) {}
    LinePlan plan(const std::string& function, std::uint32_t line) {
        return plan(*symbols->functions_named(function).front(), line);
    }
    LinePlan plan(const Function& function, std::uint32_t line) {
        SourceLine wanted;
        wanted.line = line;
        wanted.file = symbols->line_at(function.low())->file;
        return plan_ranges(file, file.modules().front(), ranges_of_line(*symbols, function, wanted));
    }
    std::uint32_t line_of(RunAddress address) {
        auto line = symbols->line_at(file.modules().front().to_file(address));
        return line ? line->line : 0;
    }
    std::set<std::uint32_t> exit_lines(const LinePlan& plan) {
        std::set<std::uint32_t> lines;
        for (RunAddress exit : plan.exits) lines.insert(line_of(exit));
        return lines;
    }
    std::shared_ptr<const ModuleSymbols> symbols;
    ProgramFile file;
};

using Lines = std::set<std::uint32_t>;

TEST(LinePlan, AStraightLineLeavesToTheNextOne) {
    Planned planned("locks-gcc-O0-dwarf5-pie");
    LinePlan plan = planned.plan("shadowed", 46);
    EXPECT_EQ(planned.exit_lines(plan), Lines{47});
    EXPECT_TRUE(plan.calls.empty());
    EXPECT_TRUE(plan.is_complete);
}

TEST(LinePlan, ABranchLeavesBothWays) {
    Planned planned("locks-gcc-O0-dwarf5-pie");
    EXPECT_EQ(planned.exit_lines(planned.plan("fill", 67)), (Lines{68, 70}));
    EXPECT_EQ(planned.exit_lines(planned.plan("factorial", 40)), (Lines{41, 42}));
}

TEST(LinePlan, ALoopsHeadHasAllItsBlocks) {
    Planned planned("locks-gcc-O0-dwarf5-pie");
    LinePlan plan = planned.plan("shadowed", 47);
    EXPECT_GE(plan.ranges.size(), 2u) << "the start, and the step with the test behind the body";
    EXPECT_EQ(planned.exit_lines(plan), (Lines{48, 51}));
}

TEST(LinePlan, CallsAreListedAndAreNoExits) {
    Planned planned("locks-gcc-O0-dwarf5-pie");
    LinePlan plan = planned.plan("main", 89);  // one printf
    EXPECT_EQ(plan.calls.size(), 1u);
    EXPECT_EQ(planned.exit_lines(plan), Lines{90});
    plan = planned.plan("fill", 72);  // through a pointer
    EXPECT_EQ(plan.calls.size(), 1u);
    EXPECT_TRUE(plan.computed_jumps.empty());
}

TEST(LinePlan, OfEveryLineOfEveryBuildIsComplete) {
    for (const char* name : {"locks-gcc-O0-dwarf5-pie", "locks-gcc-O2-dwarf5-pie", "trouble-O2", "barges-dwarf5"}) {
        Planned planned(name);
        unsigned lines = 0;
        for (const Function& function : testing::functions_in(*planned.symbols)) {
            if (!function.has_code()) continue;
            for (const LineEntry& entry : planned.symbols->lines_of(*function.unit).entries()) {
                if (!any_contains(function.ranges, entry.range.low) || entry.line == 0) continue;
                LinePlan plan = planned.plan(function, entry.line);
                EXPECT_TRUE(plan.is_complete) << name << " " << function.name << ":" << entry.line;
                ++lines;
            }
        }
        EXPECT_GT(lines, 20u);
    }
}

TEST(Place, IsReadInItsForms) {
    EXPECT_EQ(parse_place("lock.c:42", "").line, 42u);
    EXPECT_EQ(parse_place("lock.c:42", "").file, "lock.c");
    EXPECT_EQ(parse_place(" 7 ", "/x/gate.c").file, "/x/gate.c");
    EXPECT_EQ(parse_place("7", "/x/gate.c").text, "gate.c:7");
    EXPECT_EQ(parse_place("canal::pass", "").kind, Place::Kind::function);
    EXPECT_EQ(parse_place("address main + 4", "").expression, "main + 4");
    for (const char* wrong : {"", "7", "lock.c:", "lock.c:x", "lock.c:0", "two words", "lock.c:99999999999"}) EXPECT_THROW(parse_place(wrong, ""), RequestError) << wrong;
}

}  // namespace
}  // namespace lantern
