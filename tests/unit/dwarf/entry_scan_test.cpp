// The quick walk over entries beside the careful one: they must see the same entries and the same
// values in them.
#include <gtest/gtest.h>

#include "core/dwarf/entry_scan.h"
#include "core/support/error.h"
#include "core/symbols/module_symbols.h"
#include "tests/testing/command.h"

namespace lantern::dwarf {
namespace {

using testing::fixture;

constexpr SlotSet kAll = (SlotSet{1} << kSlots) - 1;

Treatment visit_all(std::uint16_t) {
    return {kAll, true, false};
}
Treatment functions_only(std::uint16_t tag) {
    if (tag == DW_TAG_subprogram) return {kAll, true, false};
    if (tag == DW_TAG_namespace) return {0, false, true};
    return {};
}

struct Collector {
    std::map<Position, ScannedEntry> found;
    std::vector<Position> ends;
    bool enters = true;
    bool entry(const ScannedEntry& entry) {
        found.emplace(entry.position, entry);
        return enters;
    }
    void leave(Position end) { ends.push_back(end); }
};

void collect(const Entry& parent, std::map<Position, Entry>& out) {
    for_each_child(parent, [&](const Entry& child) {
        out.emplace(child.offset(), child);
        collect(child, out);
    });
}

std::uint64_t number_of(const DebugInfo& info, const Entry& entry, const ScannedEntry& scanned,
                        Slot slot, At name) {
    auto value = entry.attribute(name);
    switch (value->form_class) {
        case FormClass::string:
            return info.text(scanned[slot]) == value->text ? scanned[slot] : ~scanned[slot];
        case FormClass::expression:
        case FormClass::block: return value->block.size();
        default: return value->number;
    }
}

class Scan : public ::testing::TestWithParam<const char*> {};

TEST_P(Scan, SeesWhatTheCarefulReaderSees) {
    if (!std::filesystem::exists(fixture(GetParam()))) GTEST_SKIP() << "not built here";
    ModuleSymbols symbols(fixture(GetParam()));
    const DebugInfo& info = symbols.debug_info();
    EntryScanner scanner(visit_all), single(visit_all);
    static constexpr std::pair<Slot, At> kPairs[] = {{Slot::sibling, DW_AT_sibling},
                                                     {Slot::name, DW_AT_name},
                                                     {Slot::declaration, DW_AT_declaration},
                                                     {Slot::low_pc, DW_AT_low_pc},
                                                     {Slot::high_pc, DW_AT_high_pc},
                                                     {Slot::ranges, DW_AT_ranges},
                                                     {Slot::specification, DW_AT_specification},
                                                     {Slot::abstract_origin, DW_AT_abstract_origin},
                                                     {Slot::inline_, DW_AT_inline},
                                                     {Slot::location, DW_AT_location},
                                                     {Slot::const_value, DW_AT_const_value},
                                                     {Slot::signature, DW_AT_signature}};
    std::size_t entries = 0, values = 0;
    for (const auto& unit : info.units()) {
        std::map<Position, Entry> careful;
        auto root = Entry::at(*unit, unit->first_entry);
        ASSERT_TRUE(root);
        collect(*root, careful);
        Collector quick;
        scanner.walk(*unit, quick);
        ASSERT_EQ(quick.found.size(), careful.size());
        entries += careful.size();
        for (const auto& [position, entry] : careful) {
            auto found = quick.found.find(position);
            ASSERT_NE(found, quick.found.end()) << position;
            const ScannedEntry& scanned = found->second;
            ASSERT_EQ(scanned.tag, entry.tag());
            ASSERT_EQ(scanned.has_children, entry.has_children());
            for (auto [slot, name] : kPairs) {
                ASSERT_EQ(scanned.has(slot), entry.has(name)) << position << " attribute " << name;
                if (!scanned.has(slot)) continue;
                if (slot == Slot::const_value &&
                    entry.attribute(name)->form_class == FormClass::string)
                    continue;
                EXPECT_EQ(scanned[slot], number_of(info, entry, scanned, slot, name))
                    << position << " attribute " << name;
                ++values;
            }
            EXPECT_EQ(
                high_is_address(scanned.has(Slot::high_pc) ? scanned.form_of(Slot::high_pc) : 0),
                entry.has(DW_AT_high_pc) &&
                    entry.attribute(DW_AT_high_pc)->form_class == FormClass::address);
            ScannedEntry alone;
            if (entries % 7 == 0) {
                ASSERT_TRUE(single.read(*unit, position, alone));
                EXPECT_EQ(alone.present, scanned.present);
            }
        }
    }
    EXPECT_GT(entries, 100u);
    EXPECT_GT(values, 100u);
}

TEST_P(Scan, PassesOverWhatIsNotAskedFor) {
    if (!std::filesystem::exists(fixture(GetParam()))) GTEST_SKIP() << "not built here";
    ModuleSymbols symbols(fixture(GetParam()));
    EntryScanner scanner(functions_only);
    for (const auto& unit : symbols.debug_info().units()) {
        // The functions outside of classes and functions, by the careful way.
        std::set<Position> wanted;
        std::vector<Entry> open;
        if (auto root = Entry::at(*unit, unit->first_entry)) open.push_back(*root);
        while (!open.empty()) {
            Entry parent = open.back();
            open.pop_back();
            for_each_child(parent, [&](const Entry& child) {
                if (child.tag() == DW_TAG_subprogram) wanted.insert(child.offset());
                if (child.tag() == DW_TAG_namespace) open.push_back(child);
            });
        }
        Collector quick;
        quick.enters = false;
        scanner.walk(*unit, quick);
        std::set<Position> seen;
        for (const auto& [position, entry] : quick.found) seen.insert(position);
        EXPECT_EQ(seen, wanted);
        EXPECT_TRUE(quick.ends.empty()) << "nothing that was told was entered";
    }
}

// gcc writes siblings and clang does not; the last two have several units and sections.
INSTANTIATE_TEST_SUITE_P(Fixtures, Scan,
                         ::testing::Values("locks-gcc-O2-dwarf4-pie", "locks-gcc-O2-dwarf5-pie",
                                           "locks-clang-O2-dwarf4-pie", "locks-clang-O2-dwarf5-pie",
                                           "locks-dwarf2", "locks-dwarf3", "layouts-dwarf5",
                                           "barges-gcc5/barges", "barges-wide5/barges",
                                           "barges-types4/barges", "barges-clangsplit4/barges",
                                           "barges-clangsplit5/barges", "barges-dwz/barges",
                                           "barges-shared/barges"));

TEST(Scan, ATreeThatDoesNotEndIsAnError) {
    // One entry with children, and an attribute that runs past the end.
    std::string abbrev("\x01\x11\x01\0\0\x02\x34\x01\x03\x0e\0\0\0", 13);
    std::string info("\x0e\0\0\0\x04\0\0\0\0\0\x08\x01\x02\x01\x00\x00\x00\x02", 18);
    DebugInfoInput input;
    input.sections.info = std::as_bytes(std::span(info));
    input.sections.abbrev = std::as_bytes(std::span(abbrev));
    DebugInfo damaged(input);
    ASSERT_EQ(damaged.units().size(), 1u);
    EntryScanner scanner(visit_all);
    Collector told;
    EXPECT_THROW(scanner.walk(*damaged.units().front(), told), FormatError);
    EXPECT_EQ(told.found.size(), 1u) << "what was told till then stays true";
    ScannedEntry entry;
    EXPECT_FALSE(scanner.read(*damaged.units().front(), 0, entry)) << "a header is no entry";
}

}  // namespace
}  // namespace lantern::dwarf
