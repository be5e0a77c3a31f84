// Real programs of Debian with their debug packages, where those are installed: samples held
// against the toolchain.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/symbols/code_query.h"
#include "tests/testing/command.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

struct Package {
    const char* name;
    const char* program;
    bool is_stripped;  // its functions are known from the separate file alone
};
std::ostream& operator<<(std::ostream& out, const Package& package) {
    return out << package.name;
}

class Debian : public ::testing::TestWithParam<Package> {
  protected:
    std::unique_ptr<ModuleSymbols> open() {
        std::string program = GetParam().program;
        if (!std::filesystem::exists(program)) return nullptr;
        auto symbols = std::make_unique<ModuleSymbols>(program);
        return symbols->has_debug_information() ? std::move(symbols) : nullptr;
    }
};

TEST_P(Debian, FunctionsAndLinesAgreeWithTheToolchain) {
    auto symbols = open();
    if (!symbols) GTEST_SKIP() << GetParam().name << " is not installed: its program is NOT tested";
    EXPECT_TRUE(symbols->problems().empty()) << symbols->problems().front();
    // Functions of the linker's table lie where ours do.
    std::string holder = symbols->files().symbol_file().path();
    std::vector<std::pair<std::string, std::uint64_t>> table;
    for (const auto& symbol : symbols->symbol_table().symbols())
        if (symbol.is_function && symbol.size > 0)
            table.emplace_back(symbol.name, symbol.address.value);
    auto witnessed = testing::witness_symbols(holder);
    std::size_t known = 0, at_start = 0, looked = 0;
    std::vector<std::uint64_t> addresses;
    for (std::size_t i = 0; i < table.size(); i += std::max<std::size_t>(1, table.size() / 400)) {
        auto witness = witnessed.find(table[i].first);
        if (witness == witnessed.end() || witness->second != table[i].second) continue;
        ++looked;
        const Function* function = symbols->function_at(FileAddress(table[i].second));
        if (!function) continue;  // assembler, or code without debug information
        ++known;
        for (const FileRange& range : function->ranges)
            at_start += range.low.value == table[i].second;
        addresses.push_back(table[i].second + 3);
    }
    ASSERT_GT(looked, 50u);
    EXPECT_GT(known, looked / 3);
    EXPECT_GE(at_start * 100, known * 95)
        << "symbols start where functions start, but for a few labels";

    // addr2line cannot read what dwz shares ("unable to read alt ref"): there the rows of the line
    // programs are the witness.
    if (symbols->files().shared()) {
        auto rows = testing::witness_lines(symbols->files().dwarf_file().path().string());
        ASSERT_GT(rows.size(), 1000u);
        for (std::uint64_t address : addresses) {
            auto line = symbols->line_at(FileAddress(address));
            ASSERT_TRUE(line) << fmt::format("{:#x}", address);
            bool is_there = rows.count({line->range.low.value, line->line, true}) ||
                            rows.count({line->range.low.value, line->line, false});
            EXPECT_TRUE(is_there) << fmt::format("{:#x} line {}", address, line->line);
        }
        return;
    }
    std::vector<std::string> words{
        "addr2line", "-a", "-i", "-f", "-e", symbols->files().dwarf_file().path().string()};
    for (std::uint64_t address : addresses) words.push_back(fmt::format("{:#x}", address));
    auto lines = testing::lines_of(testing::run(words).output);
    std::size_t next = 0, compared = 0, alike = 0;
    std::string differing;
    for (std::uint64_t address : addresses) {
        ASSERT_LT(next, lines.size());
        ASSERT_TRUE(lines[next].starts_with("0x"));
        std::vector<std::uint32_t> theirs, ours;
        for (++next; next < lines.size() && !lines[next].starts_with("0x"); next += 2) {
            std::string text = lines[next + 1].substr(lines[next + 1].rfind(':') + 1);
            theirs.push_back(std::isdigit(static_cast<unsigned char>(text[0]))
                                 ? static_cast<std::uint32_t>(std::stoul(text))
                                 : 0);
        }
        for (const CodeFrame& frame : frames_at(*symbols, FileAddress(address)))
            ours.push_back(frame.line);
        ++compared;
        if (ours == theirs)
            ++alike;
        else if (differing.size() < 600)
            differing +=
                fmt::format("{:#x}: {} beside {}\n", address, ::testing::PrintToString(ours),
                            ::testing::PrintToString(theirs));
    }
    EXPECT_GE(alike * 100, compared * 97) << alike << " of " << compared << "\n" << differing;
    // Types can all be made, and none is larger than could be.
    std::size_t types = 0;
    for (const NameEntry& entry : symbols->index().names()) {
        if (!is_type(entry.kind) || ++types % 50) continue;
        const Type* type = symbols->types().type_at(entry.position);
        EXPECT_LT(type->size, std::uint64_t{1} << 32);
        for (const Member& member : type->members()) EXPECT_NE(member.type, nullptr);
    }
}

constexpr Package kPackages[] = {
    {"python3-dbg", "/usr/bin/python3.11-dbg", false},
    {"libc6-dbg", "/lib/x86_64-linux-gnu/libc.so.6", true},
    {"libstdc++6-12-dbg", "/usr/lib/x86_64-linux-gnu/debug/libstdc++.so.6", false},
    {"binutils-x86-64-linux-gnu-dbg", "/usr/bin/x86_64-linux-gnu-objdump", true}};
INSTANTIATE_TEST_SUITE_P(Packages, Debian, ::testing::ValuesIn(kPackages), [](const auto& info) {
    std::string name = info.param.name;
    for (char& c : name)
        if (!std::isalnum(static_cast<unsigned char>(c))) c = '_';
    return name;
});

}  // namespace
}  // namespace lantern
