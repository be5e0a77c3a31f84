// How far down the stack functions reach, held against what the compiler says of each of them
// (-fstack-usage).
#include "core/code/stack_depth.h"

#include <gtest/gtest.h>

#include <fstream>
#include <iterator>
#include <sstream>

#include "tests/testing/command.h"

namespace lantern {
namespace {

std::vector<std::string> words_in(const std::string& text) {
    std::istringstream in(text);
    return {std::istream_iterator<std::string>(in), {}};
}

struct Said {
    std::uint64_t bytes = 0;  // with the return address
    bool is_fixed = false;
};

// "lockflow.c:35:12:wait_minutes	48	static"
std::map<std::string, Said> said_by_compiler(const std::filesystem::path& file) {
    std::map<std::string, Said> all;
    std::ifstream in(file);
    for (std::string line; std::getline(in, line);) {
        auto words = words_in(line);
        if (words.size() < 3) continue;
        all[words[0].substr(words[0].rfind(':') + 1)] = {std::stoull(words[1]),
                                                         words[2] == "static"};
    }
    return all;
}

class StackDepth : public ::testing::TestWithParam<const char*> {};

TEST_P(StackDepth, IsWhatTheCompilerSays) {
    testing::TemporaryFolder folder;
    unsigned compared = 0;
    for (const char* source : {"demo/lockflow.c", "tests/programs/day.c"}) {
        auto object = folder.path() / "canal.o";
        std::vector<std::string> command{"gcc", "-g", "-c", "-fstack-usage"};
        for (const std::string& option : words_in(GetParam())) command.push_back(option);
        command.insert(command.end(), {"-o", object, SOURCE_FOLDER "/" + std::string(source)});
        ASSERT_EQ(testing::run(command).status, 0);
        auto program = folder.path() / "canal";
        ASSERT_EQ(testing::run({"gcc", "-o", program, object, "-lm"}).status, 0);
        ModuleSymbols symbols(program);
        for (const auto& [name, said] : said_by_compiler(folder.path() / "canal.su")) {
            std::string plain = name.substr(0, name.find('.'));
            for (const Function* function : symbols.functions_named(plain)) {
                if (!function->has_code() || name != plain) continue;
                auto depth = stack_depth(FlowGraph(symbols, *function), symbols);
                if (!said.is_fixed) continue;
                ASSERT_TRUE(depth) << name;
                EXPECT_EQ(*depth + 8, said.bytes) << name;
                ++compared;
            }
        }
    }
    EXPECT_GE(compared, 10u);
}

INSTANTIATE_TEST_SUITE_P(Options, StackDepth,
                         ::testing::Values("-O0", "-O0 -fomit-frame-pointer",
                                           "-O1 -fno-omit-frame-pointer", "-O2",
                                           "-O2 -fno-omit-frame-pointer", "-O3"));

TEST(StackDepth, OfAnAmountThatIsComputedIsNotKnown) {
    testing::TemporaryFolder folder;
    auto source = folder.write("alloca.c",
                               "int fill(int n) { volatile char water[n]; water[0] = 1; return "
                               "water[0]; }\nint main(void) { return fill(9); }\n");
    auto program = folder.path() / "alloca";
    ASSERT_EQ(testing::run({"gcc", "-g", "-O0", "-o", program, source}).status, 0);
    ModuleSymbols symbols(program);
    const Function* fill = symbols.functions_named("fill").front();
    EXPECT_FALSE(stack_depth(FlowGraph(symbols, *fill), symbols));
}

}  // namespace
}  // namespace lantern
