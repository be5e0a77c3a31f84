// The whole of what each view prints, held against a file of `tests/golden/` that a person has
// read. Addresses, process numbers and folders differ from run to run; they are masked. To write
// the files anew: LANTERN_GOLDEN=write, then read the change.
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>
#include <regex>
#include <sstream>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

// What nothing has set is one thing here and another there.
std::string with_unset_masked(const std::string& text) {
    return std::regex_replace(text, std::regex("\\n( +[^ ]+ +)[^\\n]*?  +([^\\n]*  not set yet)"),
                              "\n$1~  $2");
}

// Of the same width, so that columns stay where they are.
std::string with_digits_masked(const std::string& text, const std::regex& number) {
    std::string out;
    std::size_t from = 0;
    for (std::sregex_iterator match(text.begin(), text.end(), number), end; match != end; ++match) {
        auto start = static_cast<std::size_t>(match->position());
        out += text.substr(from, start - from);
        std::string masked = match->str();
        for (std::size_t i = masked.starts_with("0x") ? 2 : 0; i < masked.size(); ++i)
            if (std::isxdigit(static_cast<unsigned char>(masked[i]))) masked[i] = '~';
        out += masked;
        from = start + masked.size();
    }
    return out + text.substr(from);
}

std::string without_what_differs(std::string text) {
    for (const std::string& folder : {std::string(FIXTURES), std::string(SOURCE_FOLDER)})
        for (std::size_t at; (at = text.find(folder)) != std::string::npos;)
            text.replace(at, folder.size(), "HERE");
    text = with_digits_masked(
        text, std::regex("0x[0-9a-f]{5,}"));  // addresses, not the numbers of the fixtures
    text = with_digits_masked(text, std::regex("process [0-9]+"));
    text = std::regex_replace(text, std::regex("  and [0-9 ]+ of the system's libraries[^\n]*\n"),
                              "");  // only where their debug files are here
    text = std::regex_replace(text, std::regex("( files    )[^\n]*(\n          [0-9][^\n]*)*"),
                              "$1~");  // whoever runs the tests has open ones too
    text = with_unset_masked(text);
    return text;
}

void expect_golden(const std::string& name, const std::string& output) {
    std::filesystem::path file =
        std::filesystem::path(SOURCE_FOLDER) / "tests/golden" / (name + ".txt");
    std::string text = without_what_differs(output);
    if (std::getenv("LANTERN_GOLDEN")) {
        std::ofstream(file) << text;
        return;
    }
    std::stringstream golden;
    golden << std::ifstream(file).rdbuf();
    auto expected = lines_of(golden.str()), got = lines_of(text);
    for (std::size_t i = 0; i < std::max(expected.size(), got.size()); ++i) {
        std::string wanted = i < expected.size() ? expected[i] : "(the end)",
                    is = i < got.size() ? got[i] : "(the end)";
        ASSERT_EQ(is, wanted) << name << ".txt:" << i + 1;
    }
}

void expect_golden_session(const std::string& name, const std::string& program,
                           const std::vector<std::string>& commands,
                           std::vector<std::string> options = {}) {
    options.insert(options.end(), {"--stdout", "/dev/null"});
    Ran ran = debug(fixture(program), commands, options);
    expect_golden(name, ran.output + ran.errors);
}

TEST(Golden, Help) {
    expect_golden_session("help", "questions-gcc",
                          {"help", "help over", "help stack", "help value"});
}

TEST(Golden, Settings) {
    TemporaryFolder home;
    setenv("XDG_CONFIG_HOME", home.path().c_str(), 1);
    std::string written = run({LANTERN_PROGRAM, "settings"}).output +
                          home.read("elm-lantern/config.toml"),
                again = run({LANTERN_PROGRAM, "settings"}).output;
    unsetenv("XDG_CONFIG_HOME");
    for (std::string* text : {&written, &again})
        for (std::size_t at; (at = text->find(home.path().string())) != std::string::npos;)
            text->replace(at, home.path().string().size(), "HOME");
    expect_golden("settings", written + again);
}

TEST(Golden, StopsAndLooksInC) {
    expect_golden_session("looks_in_c", "locks-gcc-O0-dwarf5-pie",
                          {"source main",
                           "pause at fill when rate > 1",
                           "note at mean count",
                           "breakpoints",
                           "launch",
                           "locals",
                           "explain rate",
                           "stack",
                           "stack 0..2",
                           "caller",
                           "locals",
                           "pin result",
                           "over",
                           "globals",
                           "value lower",
                           "value upper.next",
                           "value &lower.gates[1]",
                           "type struct chamber",
                           "find functions",
                           "find types",
                           "pause at mean",
                           "restart",
                           "-drop 2",
                           "-out",
                           "value @"});
}

TEST(Golden, TheMachineInC) {
    expect_golden_session("machine_in_c", "locks-gcc-O0-dwarf5-pie",
                          {"reach locks.c:72", "disassembly fill", "disassembly fill by source",
                           "disassembly fill counts", "memory &lower count 3 as i16",
                           "memory &global_count count 1", "memory lower.gates all", "words"});
}

TEST(Golden, PointersIndexesAndFoldedLibraries) {
    expect_golden_session(
        "everyday", "everyday",
        {"pause at everyday.cpp:64", "pause at Lock::toll", "pause at deepest", "launch", "locals",
         "value local[5]", "value count::calls", "value *behind", "out", "locals", "continue",
         "stack", "stack 0..9", "out"});
}

TEST(Golden, MacrosInC) {
    expect_golden_session(
        "macros", "macros-gcc5",
        {"value MOST", "pause at macros.c:13", "launch", "explain MOST", "explain SHARE",
         "value SHARE(draught, 120)", "value LEVEL", "-value PRINT(1)", "-value SHARE(1)"});
}

TEST(Golden, ContainersInCpp) {
    expect_golden_session(
        "containers_in_cpp", "questions-gcc",
        {"reach stand_here", "caller", "locals", "value levels.size()", "value levels.at(1)",
         "-value levels.at(9)", "value *second", "value keepers", "-value levels.push_back(3)",
         "find functions Barge", "-pause at Barge::nothing", "value name + 1"});
}

TEST(Golden, ACrash) {
    expect_golden_session("crash", "crashes-gcc-O0",
                          {"launch 3", "stack", "locals", "caller", "locals"});
}

TEST(Golden, WhyItFailed) {
    expect_golden_session("diagnosis", "crashes-gcc-O0", {"launch 3", "diagnose"});
}

TEST(Golden, TheHeap) {
    expect_golden_session(
        "heap", "heap",
        {"pause at look_here", "launch leak", "heap", "heap types", "heap check", "heap leaks"});
}

TEST(Golden, WhatBecameOfAFunction) {
    expect_golden_session("became", "merges-gcc-O1",
                          {"became passed", "became refused", "became sorted"});
    expect_golden_session("became_loops", "loops-gcc-O3",
                          {"became doubled", "became largest", "became copied"});
}

TEST(Golden, ValuesOfOptimisedCode) {
    expect_golden_session("optimised", "unseen-gcc-O2",
                          {"pause at unseen.c:98", "launch", "locals", "explain kept", "stack",
                           "breakpoints", "pin kept", "pin", "signals", "threads"});
}

TEST(Golden, DrawnInATerminal) {
    expect_golden_session(
        "drawn", "drawn-gcc",
        {"pause at stop_here", "launch", "out", "draw head keep early", "draw keepers",
         "draw bad limit 3", "draw field", "draw readings", "draw tallies histogram",
         "pause at stop_later", "continue", "out", "draw head since early",
         "note at basin levels, depth", "restart", "continue", "plot"});
}

TEST(Golden, SmallPictures) {
    TemporaryFolder folder;
    std::string craft = (folder.path() / "craft.svg").string(),
                ragged = (folder.path() / "ragged.svg").string();
    debug(fixture("drawn-gcc"), {"pause at stop_here", "launch", "out", "draw craft as " + craft,
                                 "draw ragged as " + ragged});
    for (const char* name : {"craft", "ragged"}) {
        std::string svg = folder.read(std::string(name) + ".svg");
        svg = std::regex_replace(svg, std::regex("[0-9]{4}-[0-9]{2}-[0-9]{2} [0-9:]{8}"), "WHEN");
        expect_golden(std::string("picture_") + name, svg);
    }
}

TEST(Golden, AScriptThatStops) {
    expect_golden_session("script_stops", "locks-gcc-O0-dwarf5-pie",
                          {"reach fill", "value no_such_name", "locals", "stack"});
}

}  // namespace
}  // namespace lantern::testing
