#include "core/analysis/became_report.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>
#include <regex>
#include <set>

#include "core/session/session.h"
#include "core/support/error.h"
#include "tests/testing/command.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

using testing::fixture;
using Ground = BecameFact::Ground;

class Became {
  public:
    explicit Became(const std::string& program)
        : session_(options_for(program), {}, SymbolSearch{}) {}
    BecameReport of(const std::string& function, const std::vector<CompilerRecord>& records = {}) {
        return report_became(session_.moment(), session_.place(function), records);
    }

  private:
    static LaunchOptions options_for(const std::string& program) {
        LaunchOptions options;
        options.program = program;
        return options;
    }
    Session session_;
};

std::string facts_of(const BecameReport& report, Ground ground) {
    std::string all;
    for (const BecameFact& fact : report.facts)
        if (fact.ground == ground) all += fact.text + "\n";
    for (const BecameLine& line : report.lines)
        for (const BecameFact& fact : line.facts)
            if (fact.ground == ground) all += fmt::format("{}: {}\n", line.line, fact.text);
    return all;
}

// ---- loops, held against what the compilers wrote down

class LoopsOf : public ::testing::TestWithParam<const char*> {};

struct Truth {
    bool is_vectorised = false, is_unrolled = false;
    // Of the source in one pass of the code's loop, where the compiler says it, and by how much
    // that loop was unrolled besides.
    std::uint64_t passes = 0, unrolled = 1;
};

std::map<std::string, Truth> truths(const std::vector<CompilerRecord>& records) {
    std::map<std::string, Truth> truths;
    std::smatch found;
    const std::regex width("vectorization width: ([0-9]+), interleaved count: ([0-9]+)"),
        unrolled("unrolled loop by a factor of ([0-9]+)|loop unrolled ([0-9]+) times");
    for (const CompilerRecord& record : records) {
        if (!record.is_done) continue;
        Truth& truth = truths[record.function];
        if (record.text.find("loop vectorized") != std::string::npos) truth.is_vectorised = true;
        if (std::regex_search(record.text, found, width)) {
            truth.is_vectorised = true;
            truth.passes = std::stoull(found[1]) * std::stoull(found[2]);
        }
        if (std::regex_search(record.text, found, unrolled)) {
            truth.is_unrolled = true;
            truth.unrolled = std::stoull(found[1].matched ? found[1] : found[2]);
        }
    }
    return truths;
}

std::string records_of(const std::string& build) {
    return build.find("gcc") != std::string::npos ? fixture(build + "-loops.c.opt-record.json.gz")
                                                  : fixture(build + ".opt.yaml");
}

TEST_P(LoopsOf, AreToldAsTheCompilerSaysItMadeThem) {
    std::string build = GetParam();
    auto records = read_compiler_records(records_of(build));
    ASSERT_FALSE(records.empty());
    auto truth_of = truths(records);
    Became became(fixture(build));
    unsigned vectorised = 0, told = 0, passes_told = 0;
    for (const char* function :
         {"sum_of_ints", "sum_of_floats", "doubled",  "added",       "widened",     "copied",
          "filled",      "emptied",       "largest",  "first_above", "every_other", "backwards",
          "smoothed",    "chained",       "flow_of",  "moved",       "copied_wide", "four_times",
          "both",        "walked",        "hashed",   "by_hand",     "scaled",      "chosen",
          "cut_off",     "strided",       "skipping", "counted"}) {
        std::string seen = facts_of(became.of(function), Ground::seen);
        const Truth& truth = truth_of[function];
        bool says_vectors = seen.find("with vectors") != std::string::npos,
             says_several = seen.find("one pass of its loop does") != std::string::npos,
             says_unrolled = seen.find("unrolled") != std::string::npos;
        vectorised += truth.is_vectorised;
        told += truth.is_vectorised && says_vectors;
        EXPECT_TRUE(truth.is_vectorised || !says_vectors || !says_several) << function << "\n"
                                                                           << seen;
        // What is vectorised first may be taken apart again.
        EXPECT_TRUE(truth.is_unrolled || truth.is_vectorised || !says_unrolled) << function << "\n"
                                                                                << seen;
        std::smatch found;
        bool both =
            truth.passes &&
            std::regex_search(seen, found, std::regex("one pass of its loop does ([0-9]+) of"));
        if (!both) continue;
        ++passes_told;
        std::uint64_t passes = std::stoull(found[1]);
        EXPECT_TRUE(passes == truth.passes || passes == truth.passes * truth.unrolled)
            << function << "\n"
            << seen;
    }
    EXPECT_GE(told * 10, vectorised * 9) << told << " of " << vectorised;
    std::cout << fmt::format("{}: {} of {} vectorised loops told, passes of {} told\n", build, told,
                             vectorised, passes_told);
}

// ---- instructions of each line, held against the dumpers

// How many instructions of the function each line has: addresses as objdump lists them, lines as
// readelf does.
std::map<std::uint32_t, std::size_t> counts_of_dumpers(const std::string& program,
                                                       const std::string& function) {
    std::map<std::uint64_t, std::uint32_t> rows;
    for (auto [address, line, is_statement] : testing::witness_lines(program)) rows[address] = 0;
    // Of several rows at one address the last holds, and that is the order they are dumped in.
    std::string dump = testing::run({"objdump", "--dwarf=decodedline", program}).output;
    std::smatch found;
    const std::regex row(R"(^\S+\.c\s+([0-9]+)\s+0x([0-9a-f]+).*)"),
        instruction(R"(^\s+([0-9a-f]+):\t(\S+)(.*)$)");
    for (const std::string& line : testing::lines_of(dump))
        if (std::regex_match(line, found, row))
            rows[std::stoull(found[2], nullptr, 16)] =
                static_cast<std::uint32_t>(std::stoul(found[1]));
    std::map<std::uint32_t, std::size_t> counts;
    std::string code =
        testing::run({"objdump", "-d", "--no-show-raw-insn", "--disassemble=" + function, program})
            .output;
    for (const std::string& line : testing::lines_of(code)) {
        if (!std::regex_match(line, found, instruction)) continue;
        std::string name = found[2], rest = found[3];
        bool is_filler = name.starts_with("nop") || name == "data16" || name == "cs" ||
                         (name == "xchg" && rest.find("%ax,%ax") != std::string::npos);
        auto at = rows.upper_bound(std::stoull(found[1], nullptr, 16));
        if (is_filler || at == rows.begin()) continue;
        ++counts[std::prev(at)->second];
    }
    return counts;
}

TEST_P(LoopsOf, HaveTheInstructionsThatTheDumpersCount) {
    std::string build = GetParam();
    Became became(fixture(build));
    for (const char* function : {"sum_of_ints", "widened", "largest", "moved", "both", "by_hand",
                                 "smoothed", "four_times", "walked", "chosen"}) {
        auto truth = counts_of_dumpers(fixture(build), function);
        truth.erase(0);
        BecameReport report = became.of(function);
        EXPECT_TRUE(report.has_source);
        ASSERT_GE(report.lines.size(), 3u);
        for (const BecameLine& line : report.lines) {
            std::size_t counted = 0;
            for (std::uint32_t i = line.line; i <= line.last_line; ++i) {
                counted += truth[i];
                truth.erase(i);
            }
            EXPECT_EQ(line.instructions, counted) << function << " line " << line.line;
            EXPECT_EQ(line.is_gone(), line.is_expected && counted == 0);
        }
        for (auto [line, count] : truth)
            EXPECT_EQ(count, 0u) << function << " line " << line << " is not told";
    }
}

std::string as_name(const ::testing::TestParamInfo<const char*>& info) {
    return std::regex_replace(std::string(info.param), std::regex("[^A-Za-z0-9]"), "_");
}

INSTANTIATE_TEST_SUITE_P(Gcc, LoopsOf,
                         ::testing::Values("loops-gcc-O1", "loops-gcc-O2", "loops-gcc-O3"),
                         as_name);
#if HAVE_CLANG
INSTANTIATE_TEST_SUITE_P(Clang, LoopsOf,
                         ::testing::Values("loops-clang-O1", "loops-clang-O2", "loops-clang-O3"),
                         as_name);
#endif

// ---- what became of statements

bool tells(const BecameReport& report, std::uint32_t line, const std::string& text) {
    for (const BecameLine& each : report.lines)
        for (const BecameFact& fact : each.facts)
            if (each.line == line && fact.text.find(text) != std::string::npos) return true;
    return false;
}

const BecameLine* line_of(const BecameReport& report, const std::string& source) {
    for (const BecameLine& line : report.lines)
        if (line.source.find(source) != std::string::npos) return &line;
    return nullptr;
}

// The demo's weir has lost a check, a variable and a call at -O2.
TEST(Became, ACheckBehindTheUseIsGoneAndItsGroundIsToldAsPossible) {
    Became became(DEMO_FOLDER "/weir");
    BecameReport report = became.of("headroom");
    std::string code = testing::run({"objdump", "-d", DEMO_FOLDER "/weir"}).output;
    std::size_t at = code.find("<headroom");
    at = code.find(">:", at);
    std::string own = code.substr(at, code.find("\n\n", at) - at);
    ASSERT_EQ(own.find("test "), std::string::npos) << "the compiler has kept the check: " << own;
    const BecameLine* check = line_of(report, "if (gauge == NULL)");
    ASSERT_NE(check, nullptr);
    EXPECT_TRUE(check->is_gone());
    EXPECT_TRUE(tells(report, check->line, "follows gauge before it is checked here"));
    for (const BecameFact& fact : check->facts) {
        bool is_it = fact.text.find("follows gauge") != std::string::npos;
        EXPECT_EQ(is_it, fact.ground == Ground::possible) << "nobody has said so: " << fact.text;
    }
    const BecameLine* shown = line_of(report, "rounded(level)");
    ASSERT_NE(shown, nullptr);
    EXPECT_TRUE(shown->is_gone());
    EXPECT_TRUE(tells(report, shown->line, "nothing is left of the statements that name shown"));
    EXPECT_NE(facts_of(report, Ground::seen).find("the parameter scale is always 1"),
              std::string::npos);
}

TEST(Became, NothingIsGoneWhereNothingWasOptimised) {
    Became became(DEMO_PROGRAM);
    for (const char* function : {"wait_minutes", "take_through", "print_day", "main"})
        for (const BecameLine& line : became.of(function).lines)
            EXPECT_FALSE(line.is_gone()) << function << ": " << line.line << " " << line.source;
}

TEST(Became, WithoutItsSourceTellsTheLinesThatHaveCode) {
    testing::TemporaryFolder folder;
    auto source = folder.write("lock.c",
                               "int lock(int n) {\n    int twice = n * 2;\n    return "
                               "twice;\n}\nint main(void) { return lock(0); }\n");
    auto program = (folder.path() / "lock").string();
    ASSERT_EQ(testing::run({"gcc", "-g", "-O0", "-o", program, source.string()}).status, 0);
    std::filesystem::remove(source);
    BecameReport report = Became(program).of("lock");
    EXPECT_FALSE(report.has_source);
    ASSERT_FALSE(report.lines.empty());
    for (const BecameLine& line : report.lines) {
        EXPECT_GT(line.instructions, 0u);
        EXPECT_TRUE(line.source.empty());
    }
}

// Names of Rust's may look like what a compiler appends to a copy's.
TEST(Became, ANameWithPartInItIsNoPartialCopy) {
    testing::TemporaryFolder folder;
    auto source = folder.write("lock.c",
                               "int lock(int) __asm__(\"core..slice..partition.isra\");\n"
                               "int lock(int n) { return n * 2; }\n"
                               "int main(void) { return lock(0); }\n");
    auto program = (folder.path() / "lock").string();
    ASSERT_EQ(testing::run({"gcc", "-g", "-O0", "-o", program, source.string()}).status, 0);
    BecameReport report = Became(program).of("lock");
    EXPECT_EQ(report.symbol, "");
    EXPECT_TRUE(report.facts.empty());
}

// ---- what compilers wrote

TEST(CompilerRecords, AreReadAsGccWroteThem) {
    std::string file = records_of("loops-gcc-O3");
    auto records = read_compiler_records(file);
    // Another reader of both formats: gzip and grep.
    std::string lines =
        testing::run({"sh", "-c", "gzip -dc " + file + " | grep -c 'loop vectorized using'"})
            .output;
    std::size_t told = 0;
    for (const CompilerRecord& record : records)
        told += record.is_done && record.text.find("loop vectorized using") == 0;
    EXPECT_GT(told, 10u);
    EXPECT_NE(lines, "0\n");
    for (const CompilerRecord& record : records) {
        EXPECT_GT(record.line, 0u);
        EXPECT_FALSE(record.text.empty());
    }
}

#if HAVE_CLANG
TEST(CompilerRecords, AreReadAsClangWroteThem) {
    std::string file = records_of("loops-clang-O2");
    auto records = read_compiler_records(file);
    std::string lines = testing::run({"sh", "-c", "grep -c 'Name: *Vectorized$' " + file}).output;
    std::size_t told = 0;
    for (const CompilerRecord& record : records)
        told += record.is_done && record.text.starts_with("vectorized loop");
    EXPECT_EQ(std::to_string(told) + "\n", lines);
}
#endif

TEST(CompilerRecords, OfAFolderAreAllThatLieBelowIt) {
    testing::TemporaryFolder folder;
    std::filesystem::create_directories(folder.path() / "objects" / "deep");
    std::filesystem::copy(records_of("loops-gcc-O3"),
                          folder.path() / "objects" / "deep" / "a.c.opt-record.json.gz");
    EXPECT_EQ(read_compiler_records(folder.path()).size(),
              read_compiler_records(records_of("loops-gcc-O3")).size());
}

TEST(CompilerRecords, WhatIsNoneIsRefusedWithWhatToDo) {
    testing::TemporaryFolder folder;
    EXPECT_THROW(read_compiler_records(folder.path()), FileError);
    EXPECT_THROW(read_compiler_records(folder.path() / "missing.opt.yaml"), FileError);
    for (const char* name : {"a.opt.yaml", "a.opt-record.json", "b.opt-record.json.gz"}) {
        auto file = folder.write(name, "{[ : no record");
        EXPECT_THROW(read_compiler_records(file), FormatError) << name;
    }
    EXPECT_THROW(read_compiler_records(folder.write("c.opt-record.json", "[1, 2, [3]]")),
                 FormatError);
    EXPECT_THROW(read_compiler_records(folder.write("d.opt-record.json", "{}")), FormatError);
}

}  // namespace
}  // namespace lantern
