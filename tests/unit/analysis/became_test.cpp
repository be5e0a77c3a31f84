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

struct DumpedInstruction {
    std::uint64_t address = 0, target = 0;  // of a jump or call; 0: none
    std::string name, operands;
    std::uint32_t line = 0;
    bool is_conditional() const { return name.starts_with('j') && name != "jmp"; }
    bool stores() const { return operands.ends_with(')') && !name.starts_with("cmp"); }
};

// A function's instructions: addresses as objdump lists them, lines as its line table has them.
// Filler is left out.
std::vector<DumpedInstruction> dumped(const std::string& program, const std::string& function) {
    std::map<std::uint64_t, std::uint32_t> rows;
    for (auto [address, line, is_statement] : testing::witness_lines(program)) rows[address] = 0;
    // Of several rows at one address the last holds, and that is the order they are dumped in.
    std::string dump = testing::run({"objdump", "--dwarf=decodedline", program}).output;
    std::smatch found;
    const std::regex row(R"(^\S+\.c\s+([0-9]+)\s+0x([0-9a-f]+).*)"),
        instruction(R"(^\s+([0-9a-f]+):\t(\S+) *(.*?)( <.*)?$)");
    for (const std::string& line : testing::lines_of(dump))
        if (std::regex_match(line, found, row))
            rows[std::stoull(found[2], nullptr, 16)] =
                static_cast<std::uint32_t>(std::stoul(found[1]));
    std::vector<DumpedInstruction> all;
    std::string code =
        testing::run({"objdump", "-d", "--no-show-raw-insn", "--disassemble=" + function, program})
            .output;
    for (const std::string& line : testing::lines_of(code)) {
        if (!std::regex_match(line, found, instruction)) continue;
        DumpedInstruction one;
        one.address = std::stoull(found[1], nullptr, 16);
        one.name = found[2];
        one.operands = found[3];
        bool is_filler = one.name.starts_with("nop") || one.name == "data16" || one.name == "cs" ||
                         (one.name == "xchg" && one.operands.find("%ax,%ax") != std::string::npos);
        auto at = rows.upper_bound(one.address);
        if (is_filler || at == rows.begin()) continue;
        one.line = std::prev(at)->second;
        bool goes = one.name.starts_with('j') || one.name == "call";
        if (goes && std::isxdigit(static_cast<unsigned char>(one.operands[0])))
            one.target = std::stoull(one.operands, nullptr, 16);
        all.push_back(one);
    }
    return all;
}

std::map<std::uint32_t, std::size_t> counts_of_dumpers(const std::string& program,
                                                       const std::string& function) {
    std::map<std::uint32_t, std::size_t> counts;
    for (const DumpedInstruction& one : dumped(program, function)) ++counts[one.line];
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

// The jumps back that test what the head of the source's loop does, as the dumper shows them.
struct DumpedLoops {
    std::vector<std::pair<std::uint64_t, std::uint64_t>> turned;  // from the target to the jump
    bool is_left_elsewhere = false;  // a jump of the head leaves one from its middle
    bool has_test_outside = false;
    bool is_within(std::uint64_t address) const {
        for (auto [low, high] : turned)
            if (low <= address && address <= high) return true;
        return false;
    }
};

DumpedLoops dumped_loops(const std::vector<DumpedInstruction>& code, std::uint32_t head) {
    DumpedLoops loops;
    auto returns = [&](std::uint64_t address) {  // which may stand anywhere
        for (const DumpedInstruction& one : code)
            if (one.address == address) return one.name == "ret";
        return false;
    };
    for (const DumpedInstruction& one : code)
        if (one.is_conditional() && one.line == head && one.target && one.target <= one.address &&
            !returns(one.target))
            loops.turned.push_back({one.target, one.address});
    for (const DumpedInstruction& one : code) {
        if (!one.is_conditional() || one.line != head || !one.target) continue;
        if (!loops.is_within(one.address))
            loops.has_test_outside = true;
        else if (one.target > one.address && !loops.is_within(one.target))
            loops.is_left_elsewhere = true;
    }
    return loops;
}

TEST_P(LoopsOf, AreTurnedAndPeeledAsTheDumperShows) {
    std::string build = GetParam();
    Became became(fixture(build));
    unsigned turned = 0, peeled = 0;
    for (const char* function :
         {"sum_of_ints", "doubled",  "added",   "widened", "filled",  "largest",  "every_other",
          "backwards",   "smoothed", "chained", "flow_of", "moved",   "walked",   "hashed",
          "by_hand",     "scaled",   "chosen",  "cut_off", "strided", "skipping", "counted"}) {
        BecameReport report = became.of(function);
        const BecameLine* head = nullptr;
        std::string seen;
        for (const BecameLine& line : report.lines) {
            bool is_head = line.source.find("for (") != std::string::npos ||
                           line.source.find("while (") != std::string::npos;
            if (is_head) head = &line;
        }
        ASSERT_NE(head, nullptr) << function;
        for (const BecameFact& fact : head->facts) seen += fact.text + "\n";
        auto code = dumped(fixture(build), function);
        DumpedLoops loops = dumped_loops(code, head->line);
        if (seen.find("turned around") != std::string::npos) {
            ++turned;
            EXPECT_FALSE(loops.turned.empty()) << function << "\n" << seen;
            EXPECT_FALSE(loops.is_left_elsewhere) << function << "\n" << seen;
            bool says_copy = seen.find("a copy of it before the first") != std::string::npos;
            EXPECT_EQ(says_copy, loops.has_test_outside) << function << "\n" << seen;
        }
        if (seen.find("peeled") != std::string::npos) {
            ++peeled;
            bool stores_outside =
                std::any_of(code.begin(), code.end(), [&](const DumpedInstruction& one) {
                    return one.stores() && one.line > head->line && !loops.is_within(one.address);
                });
            EXPECT_TRUE(stores_outside) << function << "\n" << seen;
        }
    }
    EXPECT_GE(turned, 15u);
    std::cout << fmt::format("{}: {} turned, {} peeled\n", build, turned, peeled);
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

class MergesOf : public ::testing::TestWithParam<const char*> {};

TEST_P(MergesOf, AreToldWhereTheDumperHasLessThanTheSource) {
    std::string program = fixture(GetParam());
    Became became(program);
    auto merged_in = [&](const char* function) {
        return facts_of(became.of(function), Ground::possible).find("merged with line") !=
               std::string::npos;
    };
    std::size_t calls = 0, refusals = 0;
    for (const DumpedInstruction& one : dumped(program, "passed"))
        calls += one.target == testing::witness_symbols(program)["note"];
    EXPECT_EQ(merged_in("passed"), calls < 4) << calls;
    for (const DumpedInstruction& one : dumped(program, "refused"))
        refusals += one.operands.starts_with("$0xffffffff,");
    // A statement may have none of its own where the compiler has put two conditions into one.
    EXPECT_TRUE(merged_in("refused") || refusals == 3) << refusals;
    BecameReport report = became.of("sorted");
    auto code = dumped(program, "sorted");  // without a jump
    for (const BecameLine& line : report.lines)
        for (const BecameFact& fact : line.facts) {
            std::smatch found;
            if (!std::regex_search(fact.text, found,
                                   std::regex("all of it runs before what is left of line (.+)")))
                continue;
            std::uint64_t last = 0, first = ~std::uint64_t{0};
            for (const DumpedInstruction& one : code) {
                if (one.line == line.line) last = std::max(last, one.address);
                if (one.line == std::stoul(found[1])) first = std::min(first, one.address);
            }
            EXPECT_LT(last, first) << line.line << ": " << fact.text;
        }
}

INSTANTIATE_TEST_SUITE_P(Gcc, MergesOf,
                         ::testing::Values("merges-gcc-O1", "merges-gcc-O2", "merges-gcc-O3"),
                         as_name);
#if HAVE_CLANG
INSTANTIATE_TEST_SUITE_P(Clang, MergesOf,
                         ::testing::Values("merges-clang-O1", "merges-clang-O2", "merges-clang-O3"),
                         as_name);
#endif

TEST(Became, AStatementThatRunsBeforeTheOneAboveIsToldSo) {
    Became became(fixture("merges-gcc-O1"));
    BecameReport report = became.of("sorted");
    const BecameLine* early = line_of(report, "seen[0] = boats");
    ASSERT_NE(early, nullptr);
    EXPECT_TRUE(tells(report, early->line,
                      fmt::format("runs before what is left of line {}", early->line - 1)));
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
