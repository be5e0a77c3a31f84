// became on optimised C++ and Rust, whose lines are mostly calls that were inlined: the
// instructions of each line, held against addr2line, which tells for each instruction the line of
// the function itself from which it came.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>
#include <regex>
#include <set>

#include "core/analysis/became_report.h"
#include "core/analysis/compiler_records.h"
#include "core/session/session.h"
#include "core/symbols/code_query.h"
#include "tests/testing/command.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

using testing::fixture;

struct Inlined {
    const char *program, *source;
    std::vector<const char*> functions;
};

void PrintTo(const Inlined& inlined, std::ostream* out) {
    *out << inlined.program;
}

// What the dumpers say of a program.
struct DumpedCalls {
    explicit DumpedCalls(const std::string& program)
        : code(testing::lines_of(
              testing::run({"objdump", "-d", "-C", "--no-show-raw-insn", program}).output)) {
        for (auto [address, line, is_statement] : testing::witness_lines(program))
            rows.insert(address);
    }
    std::vector<std::string> code;
    std::set<std::uint64_t> rows;  // of the line table, by address
};

// The instructions of a function, its cold part too; filler is left out.
std::vector<std::string> addresses_of(const DumpedCalls& dumped, const std::string& function) {
    const std::regex head(R"(^[0-9a-f]+ <(.*)>:$)"),
        instruction(R"(^\s+([0-9a-f]+):\t(\S+) *(.*)$)"),
        wanted("(.*::)?" + function + R"((\[abi:cxx11\])?(\(.*|::h[0-9a-f]{16})?)");
    std::vector<std::string> addresses;
    bool is_in = false;
    // A cold part may begin before its first row of the line table: whose line that is nobody
    // knows.
    std::uint64_t first_row = 0;
    std::smatch found;
    for (const std::string& line : dumped.code) {
        if (line.starts_with('0') && std::regex_match(line, found, head)) {
            is_in = std::regex_match(std::string(found[1]), wanted);
            auto row = dumped.rows.lower_bound(std::stoull(line, nullptr, 16));
            first_row = row == dumped.rows.end() ? 0 : *row;
        }
        if (!is_in || !std::regex_match(line, found, instruction)) continue;
        std::string name = found[2], operands = found[3];
        bool is_filler = name.starts_with("nop") || name == "data16" || name == "cs" ||
                         (name == "xchg" && operands.find("%ax,%ax") != std::string::npos);
        if (!is_filler && std::stoull(found[1], nullptr, 16) >= first_row)
            addresses.push_back("0x" + std::string(found[1]));
    }
    return addresses;
}

struct Witnessed {
    std::map<std::uint32_t, std::size_t> by_line;
    // addr2line loses the calls around a stretch that lies apart, and then names a header for the
    // function itself.
    std::size_t unknown = 0;
};
Witnessed lines_of_addresses(const std::string& program, const std::string& source,
                             const std::vector<std::string>& addresses) {
    std::vector<std::string> words{"addr2line", "-a", "-i", "-e", program};
    words.insert(words.end(), addresses.begin(), addresses.end());
    Witnessed witnessed;
    std::string outermost;
    auto take = [&] {
        if (outermost.empty()) return;
        std::size_t colon = outermost.rfind(':');
        std::string file = outermost.substr(0, colon), line = outermost.substr(colon + 1);
        bool is_known = file.ends_with("/" + source) && std::isdigit(line[0]);
        if (is_known)
            ++witnessed.by_line[static_cast<std::uint32_t>(std::stoul(line))];
        else
            ++witnessed.unknown;
        outermost.clear();
    };
    for (const std::string& line : testing::lines_of(testing::run(words).output)) {
        if (line.starts_with("0x"))
            take();
        else
            outermost = line;
    }
    take();
    return witnessed;
}

class InlinedCode : public ::testing::TestWithParam<Inlined> {};

TEST_P(InlinedCode, HasTheInstructionsOfEachLineThatTheToolchainCounts) {
    std::string program = fixture(GetParam().program);
    LaunchOptions options;
    options.program = program;
    Session session(options, {}, SymbolSearch{});
    DumpedCalls dumped(program);
    std::size_t compared = 0;
    for (const char* function : GetParam().functions) {
        auto addresses = addresses_of(dumped, function);
        ASSERT_FALSE(addresses.empty()) << function;
        Witnessed witnessed = lines_of_addresses(program, GetParam().source, addresses);
        BecameReport report = report_became(session.moment(), session.place(function), {});
        std::size_t more = 0;
        for (const BecameLine& line : report.lines) {
            std::size_t counted = 0;
            for (std::uint32_t i = line.line; i <= line.last_line; ++i)
                counted += witnessed.by_line[i];
            EXPECT_GE(line.instructions, counted) << function << " line " << line.line;
            more += line.instructions - std::min(line.instructions, counted);
            EXPECT_TRUE(!line.is_gone() || counted == 0)
                << function << " line " << line.line << " is not gone";
            compared += counted;
        }
        // What a line has more must be what the witness does not know.
        EXPECT_LE(more, witnessed.unknown) << function;
    }
    EXPECT_GT(compared, 100u);
}

std::string name_of(const ::testing::TestParamInfo<Inlined>& info) {
    std::string name = info.param.program;
    std::ranges::replace(name, '-', '_');
    return name;
}

const std::vector<const char*> kCpp{"toll_of",     "tolls_of", "longest_name", "draughts_of",
                                    "first_above", "checked",  "by_draught"};
const std::vector<const char*> kRust{"tolls_of", "draughts_above", "obey", "sum_levels", "shrink"};

INSTANTIATE_TEST_SUITE_P(Gcc, InlinedCode,
                         ::testing::Values(Inlined{"day-cpp-gcc-O1", "day.cpp", kCpp},
                                           Inlined{"day-cpp-gcc-O2", "day.cpp", kCpp},
                                           Inlined{"day-cpp-gcc-O3", "day.cpp", kCpp}),
                         name_of);
#if HAVE_CLANG
INSTANTIATE_TEST_SUITE_P(Clang, InlinedCode,
                         ::testing::Values(Inlined{"day-cpp-clang-O1", "day.cpp", kCpp},
                                           Inlined{"day-cpp-clang-O2", "day.cpp", kCpp},
                                           Inlined{"day-cpp-clang-O3", "day.cpp", kCpp}),
                         name_of);
#endif
#if HAVE_RUST
INSTANTIATE_TEST_SUITE_P(Rust, InlinedCode,
                         ::testing::Values(Inlined{"day-rs-1", "day.rs", kRust},
                                           Inlined{"day-rs-2", "day.rs", kRust},
                                           Inlined{"day-rs-3", "day.rs", kRust}),
                         name_of);
#endif

// gcc does not say where a lambda stands that it calls artificial: its class does.
TEST(InlinedLambda, RunsWhereTheToolchainSaysItRuns) {
    std::string program = fixture("tallies-gcc-O3");
    ModuleSymbols symbols{std::filesystem::path(program)};
    std::size_t lambdas = 0;
    for (const std::string& address : addresses_of(DumpedCalls(program), "doubled")) {
        auto frames = frames_at(symbols, FileAddress(std::stoull(address, nullptr, 16)));
        ASSERT_FALSE(frames.empty());
        bool is_lambda = frames.front().function.ends_with("operator()");
        lambdas += is_lambda;
        auto witness =
            testing::lines_of(testing::run({"addr2line", "-i", "-e", program, address}).output);
        bool is_inlined_there = witness.front().ends_with("tallies.cpp:15") && witness.size() == 3;
        EXPECT_EQ(is_lambda, is_inlined_there) << address;
    }
    EXPECT_GE(lambdas, 4u);
}

// ---- loops that came with calls, held against what the compilers wrote down

std::string seen_in(Session& session, const std::string& function) {
    std::string all;
    for (const BecameLine& line :
         report_became(session.moment(), session.place(function), {}).lines)
        for (const BecameFact& fact : line.facts) all += fact.text + "\n";
    return all;
}

bool goes_by_vectors(const std::string& facts) {
    return facts.find("with vectors") != std::string::npos;
}

std::set<std::string> vectorised_by_compiler(const std::string& build) {
    std::set<std::string> functions;
    bool is_gcc = build.find("gcc") != std::string::npos;
    for (const CompilerRecord& record : read_compiler_records(
             fixture(is_gcc ? build + "-tallies.cpp.opt-record.json.gz" : build + ".opt.yaml")))
        if (record.is_done && (record.text.find("loop vectorized") != std::string::npos ||
                               record.text.starts_with("vectorized loop")))
            functions.insert(record.function);
    return functions;
}

class LoopsOfCalls : public ::testing::TestWithParam<const char*> {};

TEST_P(LoopsOfCalls, AreToldAsTheCompilerSaysItMadeThem) {
    std::string build = GetParam();
    std::set<std::string> vectorised = vectorised_by_compiler(build);
    LaunchOptions options;
    options.program = fixture(build);
    Session session(options, {}, SymbolSearch{});
    std::size_t told = 0, all = 0;
    for (const char* function :
         {"sum_of_levels", "doubled", "empty_ones", "products", "flow_of", "numbered", "ranged",
          "raised", "largest", "hashed", "two_of_them"}) {
        std::string seen = seen_in(session, function);
        // gcc vectorises this one, and takes it apart again: the order of its additions counts.
        bool is_vectorised =
            vectorised.contains(function) && std::string_view(function) != "flow_of";
        all += is_vectorised;
        told += is_vectorised && goes_by_vectors(seen);
        EXPECT_TRUE(is_vectorised || !goes_by_vectors(seen)) << function << "\n" << seen;
    }
    EXPECT_GE(told * 10, all * 9) << told << " of " << all;
    std::cout << fmt::format("{}: {} of {} told\n", build, told, all);
    for (auto [function, callee] : {std::pair("sum_of_levels", "std::accumulate"),
                                    {"hashed", "hash_of"},
                                    {"largest", "largest_in"},
                                    {"two_of_them", "largest_in"},
                                    {"numbered", "std::iota"}})
        EXPECT_NE(seen_in(session, function).find(fmt::format("the loop of {}", callee)),
                  std::string::npos)
            << function << "\n"
            << seen_in(session, function);
    // The range's own loop is the function's, though its iterator is inlined.
    for (const char* function : {"ranged", "raised"})
        EXPECT_EQ(seen_in(session, function).find("the loop of "), std::string::npos)
            << seen_in(session, function);
}

std::string name_of_build(const ::testing::TestParamInfo<const char*>& info) {
    std::string name = info.param;
    std::ranges::replace(name, '-', '_');
    return name;
}

INSTANTIATE_TEST_SUITE_P(Gcc, LoopsOfCalls,
                         ::testing::Values("tallies-gcc-O1", "tallies-gcc-O2", "tallies-gcc-O3"),
                         name_of_build);
#if HAVE_CLANG
INSTANTIATE_TEST_SUITE_P(Clang, LoopsOfCalls,
                         ::testing::Values("tallies-clang-O1", "tallies-clang-O2",
                                           "tallies-clang-O3"),
                         name_of_build);
#endif

// rustc names no function when it tells of a loop; that vectors are computed with is in the code.
TEST(LoopsOfIterators, AreToldAsTheCodeHasThem) {
    if (!HAVE_RUST) GTEST_SKIP() << "there is no rustc: Rust is not tested";
    const std::regex packed(R"(\bv?(padd|pmul|psub|addp|mulp|pxor).*%xmm)");
    for (const char* build : {"tallies-rs-2", "tallies-rs-3"}) {
        LaunchOptions options;
        options.program = fixture(build);
        Session session(options, {}, SymbolSearch{});
        for (const char* function : {"sum_of_levels", "raised", "folded", "squares", "first_empty",
                                     "chained", "paired", "stepped"}) {
            std::string code = testing::run({"objdump", "-d", fixture(build), "--no-show-raw-insn",
                                             std::string("--disassemble=") + function})
                                   .output;
            std::string seen = seen_in(session, function);
            EXPECT_EQ(goes_by_vectors(seen), std::regex_search(code, packed))
                << build << " " << function << "\n"
                << seen;
        }
        // Its own loop, though the iterator that leads back is inlined.
        EXPECT_NE(seen_in(session, "sum_of_levels").find("its loop computes"), std::string::npos)
            << seen_in(session, "sum_of_levels");
        EXPECT_NE(seen_in(session, "folded").find("::fold, inlined here,"), std::string::npos)
            << seen_in(session, "folded");
    }
}

}  // namespace
}  // namespace lantern
