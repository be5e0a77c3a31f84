// Which variables are set where a table of jumps or a handler of exceptions lies on the way.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

const char kNotSet[] = "not set yet: nothing on the way here assigns it";
const char kPerhapsSet[] = "perhaps not set: only some of the ways here assign it";

class WaysOf : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (!HAVE_CLANG && std::string(GetParam()) == "clang") GTEST_SKIP() << "clang is not here";
    }
    // What is said of each variable the first time the line is met.
    static std::string said_of(const std::string& name, const std::string& locals) {
        for (const std::string& line : lines_of(locals))
            if (line.starts_with("  " + name + " ")) return line;
        return "nothing of " + name + " in\n" + locals;
    }
    static std::string locals_at(const std::string& text) {
        return debug(fixture(std::string("ways-") + GetParam()),
                     {"pause at " + place_of_text("ways.cpp", text), "launch", "locals"})
            .output;
    }
};

void expect_says(const std::string& line, const std::string& wanted) {
    EXPECT_NE(line.find(wanted), std::string::npos) << line;
}
void expect_is_set(const std::string& line) {
    EXPECT_EQ(line.find("not set"), std::string::npos) << line;
    EXPECT_EQ(line.find("not stored"), std::string::npos) << line;
}

TEST_P(WaysOf, BeforeASwitchNothingIsSet) {
    std::string locals = locals_at("before the switch");
    for (const char* name : {"level", "toll", "rest", "gate"})
        expect_says(said_of(name, locals), kNotSet);
    expect_is_set(said_of("number", locals));
}

TEST_P(WaysOf, InACaseOnlyWhatThatCaseSets) {
    std::string locals = locals_at("in one case");
    for (const char* name : {"toll", "rest", "gate"}) expect_says(said_of(name, locals), kNotSet);
}

TEST_P(WaysOf, BehindASwitchWhatEachCaseSetsIsSet) {
    std::string locals = locals_at("all but two are set");
    expect_says(said_of("level", locals), "9");
    expect_is_set(said_of("level", locals));
    expect_is_set(said_of("rest", locals));
    expect_says(said_of("toll", locals), kPerhapsSet);
    expect_says(said_of("gate", locals), "{width = 2, depth = (not set)}");
}

TEST_P(WaysOf, BehindAHandlerWhatOnlyItSetsIsPerhapsSet) {
    std::string locals = locals_at("behind both");
    for (const char* name : {"level", "mark"}) expect_says(said_of(name, locals), kPerhapsSet);
    expect_says(said_of("never", locals), kNotSet);
}

TEST_P(WaysOf, InAHandlerItsOwnAreSetAndThoseBehindTheThrowingCallAreNot) {
    std::string locals = locals_at("in the handler");
    expect_is_set(said_of("level", locals));
    expect_is_set(said_of("error", locals));
    expect_says(said_of("mark", locals), kNotSet);
    expect_says(said_of("never", locals), kNotSet);
}

INSTANTIATE_TEST_SUITE_P(Compilers, WaysOf, ::testing::Values("gcc", "clang"));

}  // namespace
}  // namespace lantern::testing
