// Where the ways of a choice meet again, the end of the one that falls in there stands at the same
// address as what the others jump to. Each line is met as often as its way is gone, which the
// program prints; and a step shows the lines of one way only.
#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <map>
#include <set>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

class JumpedPast : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()).starts_with("clang"))
            GTEST_SKIP() << "clang is not here";
    }
    std::string program() const { return fixture(std::string("sluices-") + GetParam()); }
};

// Three lines for each: `case`, what it does, and its `break`.
unsigned first_line() {
    std::string place = place_of_text("sluices.c", "case 0:");
    return static_cast<unsigned>(std::stoul(place.substr(place.find(':') + 1)));
}

std::map<unsigned, unsigned> printed_times(const std::string& program) {
    std::map<unsigned, unsigned> times;
    for (const std::string& line : lines_of(run({program}).output)) {
        unsigned kind = 0, count = 0;
        if (std::sscanf(line.c_str(), "kind %u: %u times", &kind, &count) == 2) times[kind] = count;
    }
    return times;
}

std::vector<unsigned> lines_stopped_at(const Ran& ran) {
    std::vector<unsigned> stopped;
    for (const std::string& line : lines_of(ran.output))
        if (std::size_t at = line.find("◆ "); at != std::string::npos)
            stopped.push_back(static_cast<unsigned>(std::atoi(line.c_str() + at + 4)));
    return stopped;
}

TEST_P(JumpedPast, EachLineIsMetAsOftenAsItsWayIsGone) {
    auto times = printed_times(program());
    ASSERT_EQ(times.size(), 5u);
    unsigned with_code = 0;
    for (auto [kind, count] : times)
        for (unsigned part : {1u, 2u}) {
            unsigned line = first_line() + 3 * kind + part;
            std::vector<std::string> commands{"pause at sluices.c:" + std::to_string(line),
                                              "launch"};
            for (int i = 0; i < 12; ++i) commands.push_back("continue");
            Ran ran = debug(program(), commands);
            if (!ran.says("▪1 breakpoint 1")) continue;  // nothing of the line is left
            ++with_code;
            auto stopped = lines_stopped_at(ran);
            EXPECT_EQ(static_cast<unsigned>(std::ranges::count(stopped, line)), count)
                << "line " << line << "\n"
                << ran.output;
        }
    EXPECT_GE(with_code, 5u);
}

TEST_P(JumpedPast, AStepShowsTheLinesOfOneWay) {
    std::vector<std::string> commands{"pause at level_of", "launch"};
    for (int call = 0; call < 12; ++call) {
        commands.insert(commands.end(), 12, "over");
        commands.push_back("continue");
    }
    Ran ran = debug(program(), commands);
    std::string head = place_of_text("sluices.c", "int level = 0;");
    std::vector<std::set<unsigned>> calls;
    unsigned last = 0;
    for (unsigned line : lines_stopped_at(ran)) {
        bool is_in_choice = line > first_line() && line < first_line() + 15;
        bool begins = line < first_line() && last >= first_line();
        if (begins || calls.empty()) calls.emplace_back();
        if (is_in_choice) calls.back().insert((line - first_line()) / 3);
        last = line;
    }
    unsigned with_lines = 0;
    for (const auto& kinds : calls) {
        EXPECT_LE(kinds.size(), 1u) << ran.output;
        with_lines += !kinds.empty();
    }
    EXPECT_GE(with_lines, 8u) << ran.output;
}

// A line that ends the block above may be that of the goal too: it is met, and its variables are
// looked at as those who jump there have them. An empty list falls in there, with a result of 0.
TEST(JumpedPastLast, TheVariablesAreThoseOfTheWayThatWasTaken) {
    std::string line = place_of_text("day.cpp", "return done;");
    Ran ran = debug(fixture("day-cpp-gcc-O1"),
                    {"pause at " + line, "launch", "value done", "value orders", "out"});
    EXPECT_TRUE(ran.says("◆ " + line.substr(line.find(':') + 1))) << ran.output;
    EXPECT_TRUE(ran.says("returned  679")) << ran.output;
    EXPECT_FALSE(ran.says("done = 0")) << ran.output;
    EXPECT_FALSE(ran.says("broken")) << ran.output;
    EXPECT_TRUE(ran.says("int(40)")) << ran.output;
}

// A source that was changed since says nothing of the program: here the line is made to read as one
// that no jump comes to.
TEST(JumpedPastLast, IsNotPassedByForTheTextOfANewerSource) {
    TemporaryFolder folder;
    std::ifstream in(std::string(SOURCE_FOLDER) + "/tests/programs/day.cpp");
    std::string text((std::istreambuf_iterator<char>(in)), {});
    std::string source = folder.write("day.cpp", text), program = folder.path() / "day";
    Ran built = run({"g++", "-std=c++17", "-g", "-O1", "-o", program, source});
    ASSERT_EQ(built.status, 0) << built.output << built.errors;
    std::string line = place_of_text("day.cpp", "return done;");
    std::size_t at = text.find("return done;");
    ASSERT_NE(at, text.npos);
    folder.write("day.cpp", text.replace(at, 12, "break ;     "));
    std::filesystem::last_write_time(
        source, std::filesystem::last_write_time(program) + std::chrono::hours(1));
    Ran ran = debug(program, {"pause at " + line, "launch"});
    EXPECT_TRUE(ran.says("◆ " + line.substr(line.find(':') + 1))) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Compilers, JumpedPast,
                         ::testing::Values("gcc-O0", "gcc-O1", "gcc-O2", "gcc-O3", "clang-O1",
                                           "clang-O2", "clang-O3"),
                         [](const auto& each) {
                             std::string name = each.param;
                             std::ranges::replace(name, '-', '_');
                             return name;
                         });

}  // namespace
}  // namespace lantern::testing
