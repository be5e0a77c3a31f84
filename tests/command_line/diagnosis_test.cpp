// diagnose, on programs that fail in ways that are known: what it must say of each, and must not.
#include <gtest/gtest.h>

#include <algorithm>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

// What is to be said of one failure: where, the part of the line, and the first step of the way
// back, without and with an optimiser. Empty: nothing is demanded there.
struct Failure {
    const char* how;
    const char* where;
    const char* part;
    const char* part_optimised;
    const char* origin;
    const char* origin_optimised;
    const char* never;  // of what is innocent
};

constexpr Failure kInC[] = {
    {"member", "second_draught, failures.c:41", "queue->next is null", "queue->next is null",
     "it is read from queue->next", "it is read from queue->next", "queue is null"},
    {"returned", "draught_of, failures.c:52", "found is null", "found is null",
     "found is set to what find returned  draught_of, failures.c:50",
     "it is what find returned  draught_of, failures.c:50", "queue is"},
    {"passed", "admit, failures.c:57", "entering is null", "entering is null",
     "open_gate passes arriving as entering  open_gate, failures.c:62",
     "open_gate passes arriving as entering  open_gate, failures.c:62", "argc"},
    {"index", "level_at, failures.c:66", "day is 5000000, and that is used as an index",
     "day is 5000000, and that is used as an index", "level_of_day passes day as day", "",
     "levels is"},
    {"divisor", "average, failures.c:74", "count is 0, and it is divided by that",
     "count is 0, and it is divided by that", "average_of_none passes passed as count", "", "argv"},
    {"called", "toll_at, failures.c:82", "gate->toll is null, and it is called",
     "gate->toll is null, and it is called", "it is read from gate->toll",
     "it is read from gate->toll", "passing is"},
    {"element", "draught_of_waiting, failures.c:86", "flight.gates[3].waiting is null",
     "flight.gates[3].waiting is null", "it is read from flight.gates[3].waiting",
     "it is read from flight.gates[3].waiting", ""},
    {"fourth", "draught_of_fourth, failures.c:89", "flight.gates[3].waiting is null",
     "flight.gates[3].waiting is null", "it is read from flight.gates[3].waiting",
     "it is read from flight.gates[3].waiting", ""},
    {"global", "draught_of_first, failures.c:92", "first_of_day is null", "first_of_day is null",
     "it is read from first_of_day", "", ""},
    {"loop", "pass_until, failures.c:98", "at is null", "at is null", "at is set to at->next",
     "it is read from at->next", "queue is"},
    {"gone", "draught_of_gone, failures.c:109", "gone->next is 0x", "gone->next is 0x",
     "gone leads to a block that has been freed (freed heap block of 24 bytes)", "", ""},
    {"address", "draught_by_address, failures.c:118", "chosen is null", "chosen is null",
     "the address of chosen was given away at line 117", "was given away at",
     "what barge returned"},
    {"library", "length_of, failures.c:122", "label is null", "label is null",
     "length_of passes label", "length_of passes label", ""},
    {"text", "read_label, failures.c:128", "named->next is 0x202c7265626d6974",
     "is 0x202c7265626d69", "it is read from named->next", "", ""},
    {"both", "both, failures.c:133", "missing is null", "missing is null",
     "main passes null as missing", "", "sound is"},
    {"ways", "reset_and_use, failures.c:140", "held is null", "held is null",
     "held is set to null  reset_and_use, failures.c:138", "", "given is"},
    {"known", "draught_of_last, failures.c:16", "last is null", "last is null",
     "last is set to null  draught_of_last, failures.c:161", "draught_of_last, failures.c:1",
     "given is"},
    {"assert", "check_draught, failures.c:144", "", "", "Assertion `given->draught_cm < 50' failed",
     "Assertion `given->draught_cm < 50' failed", ""},
};

constexpr Failure kInCpp[] = {
    {"member", "", " is null", "towed_ is null", "this->towed_", "it is read from this->towed_",
     ""},
    {"virtual", "canal::toll_of, failures.cpp:51", "craft is null", "craft is null",
     "main passes null as craft", "main passes null as craft", ""},
    {"owner", "", " is null", " is null", "canal::Lock::draught passes what std::unique_ptr",
     "it is read from this->inside_", ""},
    {"thrown", "canal::refuse, failures.cpp:59", "", "",
     "threw    canal::TollError: no berth is deep enough",
     "threw    canal::TollError: no berth is deep enough", ""},
    {"key", "canal::toll_by_name, failures.cpp:55", "", "", "threw    std::out_of_range: map::at",
     "threw    std::out_of_range: map::at", ""},
    {"index", "canal::Lock::level_in, failures.cpp:43", "", "chamber is 40000000", "",
     "main passes 40000000 as chamber", ""},
};

// More of C++ and of Rust: what was called on nothing, the library's own refusals, what was freed.
constexpr Failure kMoreInCpp[] = {
    {"third", "canal::third_level, failures.cpp:63",
     "gate * 3 is 150000000, and that is used as an index of levels",
     "gate * 3 is 150000000, and that is used as an index of levels",
     "it is computed from gate, which is 50000000", "it is computed from gate, which is 50000000",
     "levels is"},
    {"reference", "canal::length_of, failures.cpp:71", "berth is null", "berth is null",
     "canal::moored_length passes", "", "berths is"},
    {"method", "canal::Office::label, failures.cpp:80", "this is null", "this is null",
     "canal::office_label passes canal.office as this", "", "part     name_"},
    {"pure", "canal::Signal::", "", "", "a virtual function that has no code (pure virtual)",
     "a virtual function that has no code (pure virtual)", "part  "},
    {"shared", "canal::", " is null", " is null", "canal::draught_of_shared passes what",
     "it is read from ", ""},
    {"emptied", "canal::", " is 0x", " is 0x", "first leads to a block that has been freed",
     "it is read from *first", "is null"},
    {"number", "canal::level_from, failures.cpp:116", "", "",
     "threw    std::invalid_argument: stoi", "threw    std::invalid_argument: stoi", "part  "},
    {"noexcept", "canal::", "threw    canal::TollError: no berth is deep enough",
     "threw    canal::TollError: no berth is deep enough",
     "barred   it would have left a function that is noexcept",
     "barred   it would have left a function that is noexcept", "part  "},
    {"cast", "canal::toll_of_barge, failures.cpp:122", "", "", "threw    std::bad_cast",
     "threw    std::bad_cast", "part  "},
};

constexpr Failure kMoreInRust[] = {
    {"text", "failures::name_of, failures.rs:37", "", "",
     "panic    start byte index 9 is out of bounds of `lock`",
     "panic    start byte index 9 is out of bounds of `lock`", "part  "},
    {"borrowed", "failures::enter, failures.rs:43", "", "", "panic    RefCell already borrowed",
     "panic    RefCell already borrowed", "part  "},
    {"assert", "failures::berth, failures.rs:49", "", "",
     "panic    assertion `left == right` failed: no barge is so long\\n  left: 2200",
     "panic    assertion `left == right` failed: no barge is so long\\n  left: 2200", "part  "},
    {"deep", "failures::deepest, failures.rs:5", "failures::deepest calls itself and does not come",
     "failures::deepest calls itself and does not come", "depth goes up by 1 each time",
     "failures::deepest has called itself about", "part  "},
    {"beyond", "failures::level_beyond, failures.rs:66", "", "gate.beyond is null",
     "panic    null pointer dereference, which nobody may catch", "it is read from gate.beyond",
     "gate is"},
    {"element", "failures::element, failures.rs:71", "", "day is 1099511627776", "",
     "failures::main passes 1099511627776", "levels is"},
};

constexpr Failure kInRust[] = {
    {"unwrap", "failures::draught_of_next, failures.rs:12", "", "",
     "panic    called `Option::unwrap()` on a `None` value",
     "panic    called `Option::unwrap()` on a `None` value", ""},
    {"index", "failures::level_at, failures.rs:17", "", "",
     "panic    index out of bounds: the len is 3 but the index is 7",
     "panic    index out of bounds: the len is 3 but the index is 7", ""},
    {"divisor", "failures::average, failures.rs:22", "", "", "panic    attempt to divide by zero",
     "panic    attempt to divide by zero", ""},
    {"expect", "failures::open, failures.rs:32", "", "", "panic    a level is a number",
     "panic    a level is a number", ""},
    {"raw", "failures::through_raw, failures.rs:27", "", "barge is null", "",
     "failures::main passes null as barge", ""},
};

void expect_said(const Ran& ran, const Failure& failure, bool is_optimised) {
    EXPECT_EQ(ran.status, 1) << "it failed, and the report says how";
    EXPECT_TRUE(ran.says(failure.where)) << ran.output;
    EXPECT_TRUE(ran.says(is_optimised ? failure.part_optimised : failure.part)) << ran.output;
    EXPECT_TRUE(ran.says(is_optimised ? failure.origin_optimised : failure.origin)) << ran.output;
    if (*failure.never) {
        EXPECT_FALSE(ran.says(failure.never)) << ran.output;
    }
}

template <std::size_t kCount>
void expect_all(const std::string& program, const Failure (&failures)[kCount]) {
    if (program.find("clang") != std::string::npos && !HAVE_CLANG)
        GTEST_SKIP() << "clang is not here: SKIPPED";
    if (program.find("rust") != std::string::npos && !HAVE_RUST)
        GTEST_SKIP() << "rustc is not here: SKIPPED";
    for (const Failure& failure : failures) {
        SCOPED_TRACE(program + " " + failure.how);
        expect_said(run({LANTERN_PROGRAM, "diagnose", fixture(program), "--stdout", "/dev/null",
                         "--", failure.how}),
                    failure, program.ends_with("O2"));
    }
}

class DiagnosisInC : public ::testing::TestWithParam<const char*> {};
TEST_P(DiagnosisInC, NamesThePartAndWhereItCameFrom) {
    expect_all(GetParam(), kInC);
}
class DiagnosisInCpp : public ::testing::TestWithParam<const char*> {};
TEST_P(DiagnosisInCpp, NamesThePartAndWhereItCameFrom) {
    expect_all(GetParam(), kInCpp);
}
TEST_P(DiagnosisInCpp, TellsWhatTheLibraryRefusedAndWhatWasCalledOnNothing) {
    expect_all(GetParam(), kMoreInCpp);
}
class DiagnosisInRust : public ::testing::TestWithParam<const char*> {};
TEST_P(DiagnosisInRust, TellsThePanicWhereItBegan) {
    expect_all(GetParam(), kInRust);
}

TEST_P(DiagnosisInRust, TellsWhatWasFollowedOutsideOfTheRules) {
    expect_all(GetParam(), kMoreInRust);
}

std::string failure_as_word(const ::testing::TestParamInfo<const char*>& info) {
    std::string name = info.param;
    for (char& c : name)
        if (c == '-') c = '_';
    return name;
}
INSTANTIATE_TEST_SUITE_P(Builds, DiagnosisInC,
                         ::testing::Values("failures-gcc-O0", "failures-gcc-O2",
                                           "failures-clang-O0", "failures-clang-O2"),
                         failure_as_word);
INSTANTIATE_TEST_SUITE_P(Builds, DiagnosisInCpp,
                         ::testing::Values("failures-cpp-gcc-O0", "failures-cpp-gcc-O2",
                                           "failures-cpp-clang-O2"),
                         failure_as_word);
INSTANTIATE_TEST_SUITE_P(Builds, DiagnosisInRust,
                         ::testing::Values("failures-rust-O0", "failures-rust-O2"),
                         failure_as_word);

TEST(Diagnosis, OfACoreIsThatOfTheProcess) {
    TemporaryFolder folder;
    std::string core = (folder.path() / "core").string();
    debug(fixture("failures-gcc-O0"), {"launch passed", "save core as " + core});
    Ran ran = run({LANTERN_PROGRAM, "diagnose", "--core", core});
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(ran.says("entering is null")) << ran.output;
    EXPECT_TRUE(ran.says("1  open_gate passes arriving as entering")) << ran.output;
    EXPECT_TRUE(ran.says("2  main passes null as arriving")) << ran.output;
}

TEST(Diagnosis, OfAProgramThatEndsWellIsThat) {
    Ran ran = run({LANTERN_PROGRAM, "diagnose", fixture("failures-gcc-O0")});
    EXPECT_EQ(ran.status, 0);
    EXPECT_TRUE(ran.says("the program ended well: its exit status is 0")) << ran.output;
}

TEST(Diagnosis, IsKeptInThreeForms) {
    TemporaryFolder folder;
    Ran ran = run({LANTERN_PROGRAM, "diagnose", fixture("failures-gcc-O0"), "--out",
                   folder.path().string(), "--", "loop"});
    EXPECT_TRUE(ran.says("kept as ")) << ran.output;
    EXPECT_NE(folder.read("diagnosis.txt").find("at is null"), std::string::npos);
    EXPECT_NE(folder.read("diagnosis.json").find("\"part\":\"at\""), std::string::npos)
        << folder.read("diagnosis.json");
    std::string page = folder.read("diagnosis.html");
    EXPECT_NE(page.find("at is null"), std::string::npos);
    EXPECT_NE(page.find("queue-&gt;next") == std::string::npos ? page.find("at-&gt;next")
                                                               : std::string::npos,
              std::string::npos)
        << "what the program says is written so that a page shows it";
}

// Two functions write there, and the second one is to blame.
TEST(Diagnosis, RunAgainTellsWhoWroteLast) {
    Ran ran = run({LANTERN_PROGRAM, "diagnose", fixture("failures-gcc-O0"), "--confirm", "2", "--",
                   "address"});
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(ran.says("it failed in the same way in 2 of 2 further runs")) << ran.output;
    EXPECT_TRUE(ran.says("written  chosen is set to 0  set_to_none, failures.c:113")) << ran.output;
    Ran member = run({LANTERN_PROGRAM, "diagnose", fixture("failures-gcc-O2"), "--confirm", "1",
                      "--", "member"});
    EXPECT_TRUE(member.says("and what queue->next holds never changed in them")) << member.output;
    Ran passed = run({LANTERN_PROGRAM, "diagnose", fixture("failures-gcc-O2"), "--confirm", "1",
                      "--", "passed"});
    EXPECT_TRUE(passed.says("was not run again: what was wrong lies nowhere that can be watched"))
        << passed.output;
}

TEST(Diagnosis, OfAHangTellsTheLoop) {
    Ran ran = run({LANTERN_PROGRAM, "diagnose", fixture("failures-gcc-O0"), "--hang-after", "1",
                   "--", "round"});
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(ran.says("it still runs after 1 s")) << ran.output;
    EXPECT_TRUE(ran.says("thread 1 was in one call of count_queue each time")) << ran.output;
    EXPECT_TRUE(ran.says("counted")) << ran.output;
    EXPECT_TRUE(ran.says("limit and queue do not")) << ran.output;
}

TEST(Diagnosis, OfADeadlockTellsWhoWaitsForWhom) {
    std::string gates = std::string(DEMO_PROGRAM);
    gates = gates.substr(0, gates.rfind('/')) + "/lockgates";
    Ran ran = run({LANTERN_PROGRAM, "diagnose", gates, "--stdout", "/dev/null", "--hang-after", "2",
                   "--", "meet"});
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(ran.says("it still runs after 2 s")) << ran.output;
    EXPECT_TRUE(ran.says("waits for")) << ran.output;
    EXPECT_FALSE(ran.says("was in one call of")) << "nothing goes round: " << ran.output;
}

// Somebody else may have set it: what the source says of it here is no answer.
TEST(Diagnosis, TheSourceIsNotAskedWhereTheAddressWasGivenAway) {
    for (const char* build : {"failures-gcc-O0", "failures-gcc-O2"}) {
        Ran ran = run({LANTERN_PROGRAM, "diagnose", fixture(build), "--stdout", "/dev/null", "--",
                       "address"});
        EXPECT_TRUE(ran.says("was given away at")) << ran.output;
        EXPECT_FALSE(ran.says("only the source says so")) << ran.output;
    }
}

TEST(Diagnosis, WrongUseIsTold) {
    EXPECT_EQ(run({LANTERN_PROGRAM, "diagnose"}).status, 2);
    EXPECT_EQ(run({LANTERN_PROGRAM, "debug", "--core", "x", "y"}).status, 2);
    Ran ran = debug(fixture("failures-gcc-O0"), {"-diagnose", "pause at second_draught",
                                                 "launch member", "diagnose", "-diagnose x"});
    EXPECT_TRUE(ran.says("nothing has failed here: it stands where it was stopped")) << ran.output;
}

// A further run is gone through line by line: from where the null was returned, call by call.
class HandedBack : public ::testing::TestWithParam<const char*> {};

TEST_P(HandedBack, IsToldFromWhichLineTheNullCameBack) {
    std::string build = GetParam();
    if (!HAVE_CLANG && build.starts_with("clang")) GTEST_SKIP() << "clang is not here";
    std::string program = fixture("handed-back-" + build);
    EXPECT_EQ(lines_of(run({program}).output).back(), "Birch 2");
    Ran ran =
        run({LANTERN_PROGRAM, "diagnose", program, "--stdout", "/dev/null", "--confirm", "1"});
    auto place = [](const char* text) { return place_of_text("handed_back.c", text); };
    std::string from_choose = "choose, " + place("return found;");
    EXPECT_TRUE(ran.says("berth is null")) << ran.output;
    EXPECT_TRUE(ran.says("it failed in the same way")) << ran.output;
    bool is_optimised = build.ends_with("O2");
    if (is_optimised && !ran.says(from_choose))
        from_choose = "choose, " + place("struct berth *found");
    EXPECT_TRUE(ran.says(from_choose)) << ran.output;
    if (!is_optimised || !ran.says("ends here with what find returns")) {
        EXPECT_TRUE(ran.says(std::string("find comes back ") + (is_optimised ? "behind" : "from") +
                             " here  find, " + place("return NULL; /* of no berth */")))
            << ran.output;
    }
    EXPECT_FALSE(ran.says(place("return &berths[0]"))) << ran.output;
}

INSTANTIATE_TEST_SUITE_P(Builds, HandedBack,
                         ::testing::Values("gcc-O0", "gcc-O2", "clang-O0", "clang-O2"),
                         [](const auto& info) { return as_test_name(info.param); });

}  // namespace
}  // namespace lantern::testing
