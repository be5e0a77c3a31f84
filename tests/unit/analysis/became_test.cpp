#include "core/analysis/became_report.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>
#include <regex>
#include <set>

#include "core/session/session.h"
#include "tests/testing/command.h"
#include "tests/testing/launching.h"

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
         {"sum_of_ints", "sum_of_floats", "doubled",    "added",   "widened",
          "copied",      "filled",        "emptied",    "largest", "first_above",
          "every_other", "backwards",     "smoothed",   "chained", "flow_of",
          "moved",       "copied_wide",   "four_times", "both",    "walked",
          "hashed",      "by_hand",       "scaled",     "chosen",  "cut_off"}) {
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

}  // namespace
}  // namespace lantern
