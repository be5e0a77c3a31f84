// The tree of entries against readelf: every entry with its offset, tag and depth, and the ranges
// of those that have some.
#include <gtest/gtest.h>

#include <map>
#include <regex>

#include "core/dwarf/ranges.h"
#include "core/symbols/module_symbols.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"

namespace lantern {
namespace {

using testing::fixture;

struct Seen {
    unsigned depth;
    std::string tag;
    bool operator==(const Seen&) const = default;
};

std::string tag_name(dwarf::Tag tag) {
    using namespace dwarf;
    static const std::map<Tag, std::string> names = {
        {DW_TAG_compile_unit, "compile_unit"},
        {DW_TAG_subprogram, "subprogram"},
        {DW_TAG_variable, "variable"},
        {DW_TAG_formal_parameter, "formal_parameter"},
        {DW_TAG_lexical_block, "lexical_block"},
        {DW_TAG_base_type, "base_type"},
        {DW_TAG_pointer_type, "pointer_type"},
        {DW_TAG_structure_type, "structure_type"},
        {DW_TAG_member, "member"},
        {DW_TAG_typedef, "typedef"},
        {DW_TAG_array_type, "array_type"},
        {DW_TAG_subrange_type, "subrange_type"},
        {DW_TAG_union_type, "union_type"},
        {DW_TAG_enumeration_type, "enumeration_type"},
        {DW_TAG_enumerator, "enumerator"},
        {DW_TAG_const_type, "const_type"},
        {DW_TAG_subroutine_type, "subroutine_type"},
        {DW_TAG_inlined_subroutine, "inlined_subroutine"},
        {DW_TAG_namespace, "namespace"},
        {DW_TAG_class_type, "class_type"},
        {DW_TAG_inheritance, "inheritance"},
        {DW_TAG_reference_type, "reference_type"},
        {DW_TAG_imported_declaration, "imported_declaration"},
        {DW_TAG_template_type_parameter, "template_type_param"}};
    auto found = names.find(tag);
    return found == names.end() ? "" : found->second;
}

void walk(const dwarf::Entry& entry, unsigned depth, std::map<std::uint64_t, Seen>& out) {
    out[entry.offset()] = {depth, tag_name(entry.tag())};
    dwarf::for_each_child(entry, [&](const dwarf::Entry& child) { walk(child, depth + 1, out); });
}

class Entries : public ::testing::TestWithParam<const char*> {};

// readelf: " <2><4a1>: Abbrev Number: 7 (DW_TAG_formal_parameter)"
TEST_P(Entries, AreThoseOfReadelf) {
    ModuleSymbols symbols(fixture(GetParam()));
    std::map<std::uint64_t, Seen> ours;
    for (const auto& unit : symbols.debug_info().units())
        walk(*dwarf::Entry::at(*unit, unit->first_entry), 0, ours);
    static const std::regex row(
        R"(^ <([0-9a-f]+)><([0-9a-f]+)>: Abbrev Number: \d+ \(DW_TAG_(\w+)\))");
    std::map<std::uint64_t, Seen> witness;
    for (const std::string& line : testing::lines_of(
             testing::run({"readelf", "--debug-dump=info", fixture(GetParam())}).output)) {
        std::smatch match;
        if (std::regex_search(line, match, row))
            witness[std::stoull(match[2], nullptr, 16)] = {
                static_cast<unsigned>(std::stoul(match[1], nullptr, 16)), match[3]};
    }
    ASSERT_GT(witness.size(), 50u);
    ASSERT_EQ(ours.size(), witness.size());
    for (const auto& [offset, seen] : witness) {
        ASSERT_TRUE(ours.count(offset)) << std::hex << offset;
        EXPECT_EQ(ours[offset].depth, seen.depth) << std::hex << offset;
        if (!ours[offset].tag.empty()) {
            EXPECT_EQ(ours[offset].tag, seen.tag) << std::hex << offset;
        }
    }
}

// Each sibling that an entry leads to is the one that a walk over its children comes to.
TEST_P(Entries, SiblingsAgreeWithTheWalk) {
    ModuleSymbols symbols(fixture(GetParam()));
    for (const auto& unit : symbols.debug_info().units()) {
        std::map<std::uint64_t, Seen> all;
        walk(*dwarf::Entry::at(*unit, unit->first_entry), 0, all);
        for (auto it = all.begin(); it != all.end(); ++it) {
            auto entry = symbols.debug_info().entry_at(it->first);
            ASSERT_TRUE(entry);
            auto next = std::next(it);
            while (next != all.end() && next->second.depth > it->second.depth) ++next;
            bool has_sibling = next != all.end() && next->second.depth == it->second.depth;
            auto sibling = it->second.depth ? entry->next_sibling() : std::nullopt;
            ASSERT_EQ(sibling.has_value(), has_sibling && it->second.depth > 0)
                << std::hex << it->first;
            if (sibling) {
                EXPECT_EQ(sibling->offset(), next->first);
            }
        }
    }
}

INSTANTIATE_TEST_SUITE_P(Files, Entries,
                         ::testing::Values("locks-gcc-O0-dwarf5-pie", "locks-gcc-O2-dwarf5-pie",
                                           "locks-gcc-O2-dwarf4-pie", "locks-dwarf2",
                                           "locks-dwarf3", "barges-dwarf4", "barges-dwarf5"));

// readelf --debug-dump=Ranges prints every list with begin and end; version 5 lists offsets from
// the unit's base.
TEST(Ranges, OfInlinedCallsLieInTheirFunctionAndAreNotEmpty) {
    for (const char* name :
         {"locks-gcc-O2-dwarf5-pie", "locks-gcc-O2-dwarf4-nopie", "trouble-O2"}) {
        ModuleSymbols symbols(fixture(name));
        unsigned with_ranges = 0;
        for (const Function& function : testing::functions_in(symbols)) {
            if (!function.has_code()) continue;
            std::vector<const Scope*> work{&symbols.body_of(function).outermost};
            while (!work.empty()) {
                const Scope* scope = work.back();
                work.pop_back();
                for (const auto& inner : scope->inner) {
                    work.push_back(inner.get());
                    for (const FileRange& range : inner->ranges) {
                        ++with_ranges;
                        EXPECT_LT(range.low, range.high);
                        EXPECT_TRUE(any_contains(function.ranges, range.low))
                            << function.name << " in " << name;
                        EXPECT_TRUE(any_contains(function.ranges, range.high - 1))
                            << function.name << " in " << name;
                    }
                }
            }
        }
        EXPECT_GT(with_ranges, 3u) << name;
    }
}

TEST(Ranges, EqualThoseOfReadelf) {
    ModuleSymbols symbols(fixture("locks-gcc-O2-dwarf4-nopie"));
    std::set<std::pair<std::uint64_t, std::uint64_t>> ours, witness;
    auto collect = [&](auto& self, const dwarf::Entry& entry) -> void {
        if (entry.has(dwarf::DW_AT_ranges))
            for (const FileRange& range : dwarf::ranges_of(entry))
                ours.emplace(range.low.value, range.high.value);
        dwarf::for_each_child(entry, [&](const dwarf::Entry& child) { self(self, child); });
    };
    for (const auto& unit : symbols.debug_info().units())
        collect(collect, *dwarf::Entry::at(*unit, unit->first_entry));
    static const std::regex row(R"(^\s+[0-9a-f]{8} ([0-9a-f]{16}) ([0-9a-f]{16})\s*$)");
    for (const std::string& line : testing::lines_of(
             testing::run({"readelf", "--debug-dump=Ranges", fixture("locks-gcc-O2-dwarf4-nopie")})
                 .output)) {
        std::smatch match;
        if (std::regex_search(line, match, row))
            witness.emplace(std::stoull(match[1], nullptr, 16), std::stoull(match[2], nullptr, 16));
    }
    ASSERT_FALSE(witness.empty());
    EXPECT_EQ(ours, witness);
}

}  // namespace
}  // namespace lantern
