// became on optimised C++ and Rust, whose lines are mostly calls that were inlined: the
// instructions of each line, held against addr2line, which tells for each instruction the line of
// the function itself from which it came.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>
#include <regex>
#include <set>

#include "core/analysis/became_report.h"
#include "core/session/session.h"
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
struct Dumped {
    explicit Dumped(const std::string& program)
        : code(testing::lines_of(
              testing::run({"objdump", "-d", "-C", "--no-show-raw-insn", program}).output)) {
        for (auto [address, line, is_statement] : testing::witness_lines(program))
            rows.insert(address);
    }
    std::vector<std::string> code;
    std::set<std::uint64_t> rows;  // of the line table, by address
};

// The instructions of a function, its cold part too; filler is left out.
std::vector<std::string> addresses_of(const Dumped& dumped, const std::string& function) {
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
    Dumped dumped(program);
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

}  // namespace
}  // namespace lantern
