// Variables of optimised builds, at each line of programs that say themselves what they are: their
// builds without optimisation print them (unseen.c, chance.c).
#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

using Json = nlohmann::json;
using CalledLine = std::pair<unsigned, unsigned>;  // the number of the call, and the line
using ToldValues = std::map<CalledLine, std::map<std::string, std::string>>;

ToldValues told_values(const std::string& name) {
    ToldValues made;
    for (const std::string& text : lines_of(run({fixture(name + "-told")}).output)) {
        if (!text.starts_with('@')) continue;
        std::istringstream words(text.substr(1));
        CalledLine line;
        words >> line.first >> line.second;
        for (std::string word; words >> word;)
            made[line][word.substr(0, word.find('='))] = word.substr(word.find('=') + 1);
    }
    return made;
}

// Stops at every line, once for each call, with all variables.
std::vector<Json> unseen_stops(const std::string& name, const std::string& build,
                               const ToldValues& truth) {
    std::vector<std::string> commands;
    std::set<unsigned> lines;
    for (const auto& [line, values] : truth) lines.insert(line.second);
    for (unsigned line : lines)
        commands.push_back("-pause at " + name + ".c:" + std::to_string(line));
    commands.push_back("launch");
    for (std::size_t i = 0; i < truth.size() + lines.size(); ++i)
        for (const char* command : {"-value calls", "-locals", "-continue"})
            commands.push_back(command);
    std::vector<Json> found;
    std::string output =
        debug(fixture(name + "-" + build), commands, {"--format", "json", "--stdout", "/dev/null"})
            .output;
    for (const std::string& text : lines_of(output))
        if (text.starts_with('{')) found.push_back(Json::parse(text));
    return found;
}

// The variables of a stop and the members of structures, by what the source calls them.
std::map<std::string, Json> unseen_by_name(const Json& locals) {
    std::map<std::string, Json> found;
    for (const Json& variable : locals["variables"]) {
        std::string name = variable["name"];
        found[name] = variable;
        for (const Json& member : variable.value("children", Json::array()))
            found[name + "." + member["name"].get<std::string>()] = member;
    }
    return found;
}

struct UnseenCounts {
    unsigned right = 0, wrong = 0, right_doubted = 0, wrong_doubted = 0, none = 0, recovered = 0,
             last = 0;
};

// "as of line 14 or 17, still in rbx": the program said so before one of them.
void expect_last_of_its_line(const Json& shown, const std::string& variable, unsigned call,
                             const ToldValues& truth) {
    std::string from = shown["last_from"], lines = from.substr(0, from.find(','));
    std::set<std::string> then;
    for (std::size_t at = lines.find_first_of("0123456789"); at < lines.size();
         at = lines.find_first_of("0123456789", lines.find(' ', at))) {
        auto told = truth.find({call, static_cast<unsigned>(std::stoul(lines.substr(at)))});
        if (told == truth.end()) return;  // of a line that the program says nothing of
        auto value = told->second.find(variable);
        then.insert(value == told->second.end() ? "not there" : value->second);
    }
    EXPECT_TRUE(then.contains(shown["last"])) << variable << ": " << shown.dump();
}

UnseenCounts count_unseen(const std::string& name, const std::string& build) {
    ToldValues truth = told_values(name);
    UnseenCounts counts;
    unsigned call = 0;
    std::set<CalledLine> seen;
    for (const Json& told : unseen_stops(name, build, truth)) {
        if (told["kind"] == "value")
            call = static_cast<unsigned>(std::stoul(told["value"]["text"].get<std::string>()));
        if (told["kind"] != "locals") continue;
        CalledLine line{call, told["line"].get<unsigned>()};
        auto values = truth.find(line);
        if (values == truth.end() || !seen.insert(line).second) continue;
        std::map<std::string, Json> variables = unseen_by_name(told);
        for (const auto& [variable, value] : values->second) {
            if (!variables.contains(variable)) continue;
            const Json& shown = variables[variable];
            std::string recovered = shown.value("recovered", "");
            EXPECT_TRUE(recovered.empty() || recovered == value)
                << variable << " in line " << line.second << ", call " << call << ": "
                << shown.dump();
            if (shown.contains("unavailable")) {
                ++counts.none;
                counts.recovered += !recovered.empty();
                counts.last += shown.contains("last");
                if (shown.contains("last")) expect_last_of_its_line(shown, variable, call, truth);
                continue;
            }
            bool is_right = shown["text"] == value, is_doubted = shown.contains("doubt");
            ++(is_right     ? is_doubted ? counts.right_doubted : counts.right
               : is_doubted ? counts.wrong_doubted
                            : counts.wrong);
        }
    }
    return counts;
}

struct UnseenBuild {
    const char* name;
    const char* build;
    unsigned right, doubted, recovered;  // at least
    unsigned wrong;                      // and not doubted: at most
    unsigned last = 0;                   // last values: at least
};

class Unseen : public ::testing::TestWithParam<UnseenBuild> {};

TEST_P(Unseen, IsRecoveredOrDoubtedAndRarelyFalse) {
    const UnseenBuild& build = GetParam();
    if (!HAVE_CLANG && std::string(build.build).starts_with("clang"))
        GTEST_SKIP() << "clang is not here: SKIPPED";
    UnseenCounts counts = count_unseen(build.name, build.build);
    EXPECT_GE(counts.right, build.right);
    EXPECT_GE(counts.wrong_doubted, build.doubted);
    EXPECT_GE(counts.recovered, build.recovered) << "of " << counts.none;
    EXPECT_LE(counts.wrong, build.wrong);
    EXPECT_GE(counts.last, build.last) << "of " << counts.none;
    EXPECT_LE(counts.right_doubted * 50, counts.right);
}

// The statement of the last assignment is not there, and nothing tells that its way was taken: two
// values of clang's builds, of more than three hundred, are of before it. gcc tells one value of a
// loop before it begins.
constexpr UnseenBuild kUnseenBuilds[] = {
    {"unseen", "gcc-O1", 900, 25, 15, 0},   {"unseen", "gcc-O2", 900, 25, 60, 1},
    {"unseen", "gcc-O3", 900, 25, 15, 1},   {"unseen", "clang-O1", 550, 18, 45, 0},
    {"unseen", "clang-O2", 550, 18, 45, 0}, {"unseen", "clang-O3", 550, 18, 45, 0},
    {"chance", "gcc-O1", 600, 0, 6, 0},     {"chance", "gcc-O2", 500, 0, 12, 0, 20},
    {"chance", "gcc-O3", 500, 0, 12, 0},    {"chance", "clang-O1", 250, 0, 28, 2, 2},
    {"chance", "clang-O2", 250, 0, 28, 2},  {"chance", "clang-O3", 250, 0, 28, 2},
};
INSTANTIATE_TEST_SUITE_P(Builds, Unseen, ::testing::ValuesIn(kUnseenBuilds), [](const auto& info) {
    std::string name = std::string(info.param.name) + "_" + info.param.build;
    std::replace(name.begin(), name.end(), '-', '_');
    return name;
});

TEST(UnseenText, SaysOnWhichGround) {
    Ran ran = debug(
        fixture("unseen-gcc-O2"),
        {"pause at unseen.c:98", "launch", "locals", "draw kept", "value kept", "explain kept"},
        {"--stdout", "/dev/null"});
    std::string doubt = ": line 96 sets it to (both ^ (both << 3)) + (both >> 2), with both = ";
    EXPECT_TRUE(ran.says(doubt)) << ran.output;
    EXPECT_NE(ran.output.find("perhaps ", ran.output.find("kept  ")), std::string::npos);
    std::size_t drawn = ran.output.find("› draw kept");
    std::string box = ran.output.substr(drawn, ran.output.find("› value kept") - drawn);
    EXPECT_NE(box.find("× perhaps "), std::string::npos) << box;
}

TEST(UnseenText, TellsWhyAVariableIsNowhere) {
    Ran ran = debug(DEMO_FOLDER "/daybook", {"pause at daybook.cpp:32", "launch", "explain pence"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("why       it begins with line 32, and has no value before that has run"))
        << ran.output;
    Ran gone = debug(fixture("chance-gcc-O2"),
                     {"pause at chance.c:140", "launch", "explain p1", "explain v2"},
                     {"--stdout", "/dev/null"});
    EXPECT_TRUE(gone.says("last      928871161 as of line 130, still in rsi")) << gone.output;
    EXPECT_TRUE(gone.says("why       line 132 sets it to (table[p1 & 15] + p2)")) << gone.output;
    EXPECT_TRUE(gone.says("why       it begins with line ")) << gone.output;
}

TEST(UnseenText, TellsOfALoopThatIsGone) {
    Ran ran = debug(fixture("unseen-gcc-O1"), {"reach emptied", "over", "over", "locals"},
                    {"--stdout", "/dev/null"});
    EXPECT_TRUE(ran.says("perhaps of before the loop at line 188: what is set there has no code"))
        << ran.output;
}

TEST(UnseenText, IsToldOfTheDemosVariableToo) {
    TemporaryFolder folder;
    std::string svg = (folder.path() / "half.svg").string(),
                png = (folder.path() / "half.png").string();
    Ran ran = debug(
        DEMO_FOLDER "/weir",
        {"pause at lower", "launch", "value half", "explain half", "save explain half as " + svg,
         "save explain half as " + png, "save explain nobody as " + svg, "save explain as " + png},
        {"--stdout", "/dev/null"});
    EXPECT_TRUE(
        ran.says("half: no value here; by the source 6 (line 38 sets it to by_cm / 2, with "
                 "by_cm = 12)"))
        << ran.output;
    EXPECT_TRUE(ran.says("source    6 (line 38 sets it to by_cm / 2")) << ran.output;
    EXPECT_NE(folder.read("half.svg").find("<svg"), std::string::npos);
    EXPECT_TRUE(folder.read("half.png").starts_with("\x89PNG"));
    EXPECT_TRUE(ran.says("no local variable is called") ||
                ran.errors.find("no local variable is called") != std::string::npos)
        << ran.output << ran.errors;
}

}  // namespace
}  // namespace lantern::testing
