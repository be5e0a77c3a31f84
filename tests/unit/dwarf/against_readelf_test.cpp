// Our decoding against readelf's account of the same file: every line row, every function, every
// location.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/symbols/module_symbols.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"
#include "tests/testing/witness.h"

namespace lantern {
namespace {

using testing::fixture;

std::vector<std::string> fixtures() {
    std::vector<std::string> names;
    for (const char* compiler : {"gcc", "clang"}) {
        if (std::string(compiler) == "clang" && !HAVE_CLANG) continue;
        for (const char* optimisation : {"O0", "O2"})
            for (const char* version : {"4", "5"})
                for (const char* position : {"pie", "nopie"})
                    names.push_back(fmt::format("locks-{}-{}-dwarf{}-{}", compiler, optimisation,
                                                version, position));
    }
    names.insert(names.end(),
                 {"locks-dwarf2", "locks-dwarf3", "locks-compressed", "trouble-O2", "returns-gcc"});
    return names;
}

class AgainstReadelf : public ::testing::TestWithParam<std::string> {};

TEST_P(AgainstReadelf, EveryLineRow) {
    ModuleSymbols symbols(fixture(GetParam()));
    std::multiset<testing::LineFact> ours;
    for (const auto& unit : symbols.debug_info().units())
        for (const dwarf::LineRow& row : dwarf::read_line_program(*unit).rows)
            if (!row.end_sequence) ours.emplace(row.address.value, row.line, row.is_statement);
    auto witness = testing::witness_lines(fixture(GetParam()));
    ASSERT_GT(witness.size(), 20u);
    EXPECT_EQ(ours, witness);
}

TEST_P(AgainstReadelf, EveryFunctionRange) {
    ModuleSymbols symbols(fixture(GetParam()));
    auto witness = testing::witness_functions(fixture(GetParam()));
    ASSERT_FALSE(witness.empty());
    for (const auto& [name, range] : witness) {
        bool found = false;
        for (const Function& function : testing::functions_in(symbols))
            for (const FileRange& ours : function.ranges)
                found |= function.name == name && ours.low.value == range.low &&
                         (range.high == 0 || ours.high.value == range.high);
        EXPECT_TRUE(found) << name << " at " << range.low;
        const Function* at_entry = symbols.function_at(FileAddress(range.low));
        ASSERT_NE(at_entry, nullptr) << name;
        EXPECT_EQ(at_entry->name, name);
    }
}

struct Locations {
    std::multiset<std::string> in_place;
    std::set<testing::RowRange> ranges;

    void add(const dwarf::LocationRange& each) {
        ranges.insert({each.range->low.value, each.low_row, each.range->high.value, each.high_row});
    }
};

void collect(const dwarf::Entry& entry, Locations& out) {
    bool is_variable =
        entry.tag() == dwarf::DW_TAG_variable || entry.tag() == dwarf::DW_TAG_formal_parameter;
    for (const dwarf::LocationRange& location : dwarf::locations_of(entry, dwarf::DW_AT_location)) {
        if (location.range) {
            out.add(location);
            continue;
        }
        if (!is_variable) continue;
        std::string bytes;
        for (std::byte b : location.expression)
            bytes += fmt::format("{:02x}", static_cast<unsigned>(b));
        out.in_place.insert(bytes);
    }
    for (dwarf::At attribute :
         {static_cast<dwarf::At>(0x7e), static_cast<dwarf::At>(0x40)})  // call values, frame bases
        for (const dwarf::LocationRange& location : dwarf::locations_of(entry, attribute))
            if (location.range) out.add(location);
    dwarf::for_each_child(entry, [&](const dwarf::Entry& child) { collect(child, out); });
}

TEST_P(AgainstReadelf, EveryLocation) {
    ModuleSymbols symbols(fixture(GetParam()));
    Locations ours;
    for (const auto& unit : symbols.debug_info().units())
        collect(*dwarf::Entry::at(*unit, unit->first_entry), ours);
    auto witness = testing::witness_locations(fixture(GetParam()));
    EXPECT_EQ(ours.in_place, witness);
    auto ranges = testing::witness_location_ranges(
        fixture(GetParam()), symbols.debug_info().units().front()->root().low_pc.value);
    EXPECT_EQ(ours.ranges, ranges);
    EXPECT_GE(ranges.size() + witness.size(), 4u);
}

// readelf --debug-dump=frames-interp prints each row's address and CFA: "0000000000001131 rsp+16".
TEST_P(AgainstReadelf, EveryCallFrameRow) {
    ModuleSymbols symbols(fixture(GetParam()));
    std::size_t compared = 0;
    bool in_eh_frame = false;
    for (const std::string& line : testing::lines_of(
             testing::run({"readelf", "-W", "--debug-dump=frames-interp", fixture(GetParam())})
                 .output)) {
        if (line.starts_with("Contents of the"))
            in_eh_frame = line.find(".eh_frame") != std::string::npos;
        if (!in_eh_frame || line.size() < 20 || line.find_first_not_of("0123456789abcdef") != 16 ||
            line[16] != ' ')
            continue;
        std::string cfa = line.substr(17, line.find(' ', 17) - 17);
        std::size_t plus = cfa.find('+');
        if (plus == std::string::npos) continue;  // an expression
        FileAddress pc(std::stoull(line.substr(0, 16), nullptr, 16));
        auto description = symbols.frame_description(pc);
        if (!description) continue;  // the rows of a CIE stand at address 0
        bool found = false;
        for (const dwarf::FrameRow& row : description->rows) {
            if (!row.range.contains(pc)) continue;
            found = true;
            EXPECT_EQ(row.cfa_offset, std::stoll(cfa.substr(plus + 1))) << line;
            EXPECT_EQ(row.cfa_register, cfa.substr(0, plus) == "rsp"   ? 7u
                                        : cfa.substr(0, plus) == "rbp" ? 6u
                                                                       : 99u)
                << line;
        }
        EXPECT_TRUE(found) << line;
        ++compared;
    }
    EXPECT_GE(compared, 5u);
}

INSTANTIATE_TEST_SUITE_P(Fixtures, AgainstReadelf, ::testing::ValuesIn(fixtures()),
                         [](const auto& info) {
                             std::string name = info.param;
                             for (char& c : name) c = c == '-' ? '_' : c;
                             return name;
                         });

// The same for C++ and Rust, where several units, link-time optimised ones and type units among
// them, may share a program.
class LanguagesAgainstReadelf : public ::testing::TestWithParam<const char*> {};

TEST_P(LanguagesAgainstReadelf, EveryLineRowAndEveryPlace) {
    std::string program = fixture(GetParam());
    if (!std::filesystem::exists(program)) GTEST_SKIP() << "not built here";
    ModuleSymbols symbols(program);
    std::multiset<testing::LineFact> ours;
    std::set<std::uint64_t> seen;
    Locations locations;
    for (const auto& unit : symbols.debug_info().units()) {
        collect(*dwarf::Entry::at(*unit, unit->first_entry), locations);
        auto offset = unit->root().line_table_offset;
        if (!offset || !seen.insert(*offset).second) continue;
        for (const dwarf::LineRow& row : dwarf::read_line_program(*unit).rows)
            if (!row.end_sequence) ours.emplace(row.address.value, row.line, row.is_statement);
    }
    auto rows = testing::witness_lines(program);
    ASSERT_GT(rows.size(), 20u);
    EXPECT_EQ(ours.size(), rows.size());
    EXPECT_TRUE(ours == rows);
    EXPECT_EQ(locations.in_place, testing::witness_locations(program));
    EXPECT_GE(locations.in_place.size(), 4u);
}
INSTANTIATE_TEST_SUITE_P(Fixtures, LanguagesAgainstReadelf,
                         ::testing::Values("barges-gcc4/barges", "barges-gcc5/barges",
                                           "barges-gccO24/barges", "barges-gccO25/barges",
                                           "barges-clang4/barges", "barges-clang5/barges",
                                           "barges-types4/barges", "barges-types5/barges",
                                           "barges-lto/barges", "barges-zlib/barges",
                                           "layouts-dwarf4", "layouts-dwarf5", "barges-rust"));

}  // namespace
}  // namespace lantern
