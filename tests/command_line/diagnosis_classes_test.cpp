// What diagnose says of each class of crash that `crashes` knows: where, and which part of the
// line. Where no value of the line is to blame, none must be accused.
#include <gtest/gtest.h>

#include <fmt/format.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

struct Class {
    int number;
    const char* where;
    const char* part;  // empty: there is none to be told
};

constexpr Class kClasses[] = {
    {1, "null_read", "b is null"},
    {2, "null_write", "b is null"},
    {3, "null_far", "b is null"},
    {4, "null_call", "f is null, and it is called"},
    {5, "wild_read", "p is 0x123456789000, where nothing is mapped"},
    {6, "wild_write", "p is 0x123456789000, where nothing is mapped"},
    {7, "wild_read", "p is 0xdeadbeefdeadbeef, and that can be no address"},
    {8, "wild_write", "p is 0xdeadbeefdeadbeef, and that can be no address"},
    {9, "wild_call", "f is 0x123456789000, where no code is, and it is called"},
    {10, "wild_call", "f is 0xdeadbeefdeadbeef, where no code is, and it is called"},
    {11, "text_pointer", "words[0] is 0x6b636f6c20656874, which is the text \"the lock\""},
    {12, "misaligned_read", "p is 0x"},
    {13, "misaligned_write", "p is 0x"},
    {14, "kernel_only", ""},
    {15, "alignment_check", "p is 0x"},
    {16, "constant_write", "p is 0x"},
    {17, "code_write", "p is 0x"},
    {18, "endless", ""},
    {19, "huge_frame", ""},
    {20, "wild_stack", ""},
    {21, "impossible_stack", ""},
    {22, "overrun", "the return address of overrun is overwritten with the text"},
    {23, "divide", "b is 0, and it is divided by that"},
    {24, "divide", "b is -1, and the result does not fit"},
    {25, "no_instruction", ""},
    {26, "trap", ""},
    {27, "own_breakpoint", ""},
    {28, "through_gs", ""},
    {29, "interrupt", ""},
    {30, "barred", "p is 0x"},
    {31, "run_data", "f is 0x"},
    {32, "behind_file", "p is 0x"},
    {33, "float_divide", ""},
    {34, "endless", ""},
    {35, "main", ""},
    {36, "main", ""},
    {37, "main", ""},
    {38, "main", ""},
    {39, "behind_end", "p is 0x"},
    {40, "main", ""},
    {41, "push_read_only", ""},
    {42, "divide_long", "b is 0, and it is divided by that"},
    {43, "copy_words", "from is null"},
    {44, "copy_words", "to is null"},
    {45, "raise_in_thread", ""},
};

// What stands behind the label of a row; empty where there is no such row.
std::string row(const Ran& ran, const std::string& label) {
    for (const std::string& line : lines_of(ran.output))
        if (line.starts_with(" " + label + " ")) return line.substr(10);
    return {};
}

void expect_told(const Ran& ran, const Class& each) {
    EXPECT_EQ(ran.status, 1);
    EXPECT_TRUE(row(ran, "where").starts_with(std::string(each.where) + ", ")) << ran.output;
    std::string part = row(ran, "part");
    if (*each.part)
        EXPECT_TRUE(part.starts_with(each.part)) << ran.output;
    else
        EXPECT_EQ(part, "") << ran.output;
}

class DiagnosisOfClasses : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        if (std::string(GetParam()).find("clang") != std::string::npos && !HAVE_CLANG)
            GTEST_SKIP() << "clang is not here: SKIPPED";
    }
};
class DiagnosisOfClassesInCores : public DiagnosisOfClasses {};

TEST_P(DiagnosisOfClasses, NamesThePartOrNone) {
    for (const Class& each : kClasses) {
        SCOPED_TRACE(each.number);
        expect_told(run({LANTERN_PROGRAM, "diagnose", fixture(GetParam()), "--stdout", "/dev/null",
                         "--", std::to_string(each.number)}),
                    each);
    }
}

TEST_P(DiagnosisOfClassesInCores, TellTheSame) {
    TemporaryFolder folder;
    std::string core = (folder.path() / "core").string();
    for (const Class& each : kClasses) {
        SCOPED_TRACE(each.number);
        debug(fixture(GetParam()), {fmt::format("launch {}", each.number), "save core as " + core},
              {"--stdout", "/dev/null"});
        Ran ran = run({LANTERN_PROGRAM, "diagnose", "--core", core});
        std::filesystem::remove(core);
        expect_told(ran, each);
    }
}

std::string as_word(const ::testing::TestParamInfo<const char*>& info) {
    std::string name = info.param;
    for (char& c : name)
        if (c == '-') c = '_';
    return name;
}
INSTANTIATE_TEST_SUITE_P(Builds, DiagnosisOfClasses,
                         ::testing::Values("crashes-gcc-O0", "crashes-gcc-O2", "crashes-clang-O0",
                                           "crashes-clang-O2"),
                         as_word);
INSTANTIATE_TEST_SUITE_P(Builds, DiagnosisOfClassesInCores,
                         ::testing::Values("crashes-gcc-O0", "crashes-clang-O2"), as_word);

TEST(Diagnosis, OfAnOverrunNamesTheArrayThatItBeganIn) {
    Ran ran = run({LANTERN_PROGRAM, "diagnose", fixture("crashes-gcc-O0"), "--confirm", "1",
                   "--stdout", "/dev/null", "--", "22"});
    EXPECT_TRUE(
        ran.says("room (8 bytes) was run over with a text of 41 bytes: \"a lock of a "
                 "length that nobody"))
        << ran.output;
    EXPECT_TRUE(ran.says("likely, because the text that begins in it goes on to there"));
    EXPECT_TRUE(ran.says("written  the return address of overrun is set to 0x")) << ran.output;
    EXPECT_TRUE(ran.says("strcpy")) << "by whom: " << ran.output;
}

TEST(Diagnosis, OfCallsWithoutAnEndTellsHowTheyTurn) {
    Ran ran = run({LANTERN_PROGRAM, "diagnose", fixture("crashes-gcc-O0"), "--stdout", "/dev/null",
                   "--", "18"});
    EXPECT_TRUE(ran.says("turns    endless has called itself about ")) << ran.output;
    EXPECT_TRUE(ran.says("n goes up by 1 each time and is ")) << ran.output;
    Ran again = run({LANTERN_PROGRAM, "diagnose", fixture("failures-beside"), "--stdout",
                     "/dev/null", "--", "turns"});
    EXPECT_TRUE(again.says(" call each other and do not come back")) << again.output;
    EXPECT_TRUE(again.says("given stays 0x")) << again.output;
    EXPECT_TRUE(again.says("level goes down by 2 each time")) << again.output;
}

// Another thread that has the same barge in hand stands first of all.
TEST(Diagnosis, TellsWhoElseHasTheObjectInHand) {
    Ran ran = run({LANTERN_PROGRAM, "diagnose", fixture("failures-beside"), "--", "shared"});
    EXPECT_TRUE(ran.says("sank->next is null")) << ran.output;
    EXPECT_TRUE(ran.says("watch_barge, failures_beside.c:")) << ran.output;
    EXPECT_TRUE(ran.says("has the same in hand: given")) << ran.output;
}

TEST(Diagnosis, TellsWhatIsUnusualAboutTheProcess) {
    Ran ran = run({LANTERN_PROGRAM, "diagnose", fixture("failures-beside"), "--", "unusual"});
    EXPECT_TRUE(ran.says("can be written and executed")) << ran.output;
    EXPECT_TRUE(ran.says("pending: SIGUSR1")) << ran.output;
    EXPECT_TRUE(ran.says("ignored: SIGPIPE")) << ran.output;
    EXPECT_TRUE(ran.says("handled by the program: SIGUSR2")) << ran.output;
    EXPECT_TRUE(ran.says("open files: 1")) << ran.output;
    EXPECT_TRUE(ran.says("/dev/zero")) << ran.output;
}

}  // namespace
}  // namespace lantern::testing
