// Instructions that the compiler gave no line: a step from there goes to the next line, and not to
// the end of the program.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <regex>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

constexpr std::uint64_t kLoadedAt = 0x555555554000;  // where programs of any place lie here

// File addresses of the rows with line 0, as the object dumper reads them.
std::vector<std::uint64_t> rows_without_line(const std::string& program) {
    static const std::regex row(R"(^\S+\s+0\s+0x([0-9a-f]+)(\s.*)?$)");
    std::vector<std::uint64_t> found;
    for (const std::string& line :
         lines_of(run({"objdump", "--dwarf=decodedline", program}).output)) {
        std::smatch parts;
        if (std::regex_match(line, parts, row)) found.push_back(std::stoull(parts[1], nullptr, 16));
    }
    return found;
}

TEST(WithoutLine, AStepGoesToTheNextLine) {
    if (!HAVE_CLANG) GTEST_SKIP() << "clang is not here";
    unsigned met = 0;
    for (const char* name : {"again-clang-O2", "across-clang-O2", "decided-clang-O2"}) {
        std::string program = fixture(name);
        for (std::uint64_t address : rows_without_line(program)) {
            auto ran = debug(program, {"pause at main", "launch",
                                       fmt::format("pause at address {:#x}", kLoadedAt + address),
                                       "continue", "over"});
            if (!ran.says("breakpoint 2 ─")) continue;
            ++met;
            std::string after = ran.output.substr(ran.output.rfind("› over"));
            bool has_arrived = after.find("step done ─") != std::string::npos ||
                               after.find("has returned ─") != std::string::npos;
            EXPECT_TRUE(has_arrived) << name << fmt::format(" {:#x}", address) << after;
            EXPECT_NE(after.find("◆"), std::string::npos) << name << after;
        }
    }
    EXPECT_GE(met, 8u) << "rows that the programs come to";
}

}  // namespace
}  // namespace lantern::testing
