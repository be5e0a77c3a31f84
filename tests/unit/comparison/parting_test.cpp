// Walks made up by hand, laid side by side.
#include "core/comparison/parting.h"

#include <gtest/gtest.h>

#include "core/comparison/function_pairs.h"
#include "core/comparison/line_history.h"
#include "core/comparison/pace.h"
#include "core/comparison/walk_value.h"
#include "core/comparison/written_lines.h"

namespace lantern {
namespace {

// "enter(0, 3)" and the like, one after another.
class Made {
  public:
    Made& enter(std::uint32_t function, std::vector<std::int64_t> values = {}) {
        open_.push_back(add(WalkEvent::Kind::entry, function, values));
        return *this;
    }
    Made& returns(std::int64_t value) { return close(WalkEvent::Kind::returned, {value}); }
    Made& returns() { return close(WalkEvent::Kind::returned, {}); }
    Made& left() { return close(WalkEvent::Kind::left, {}); }
    Made& writes(std::uint64_t descriptor, const std::string& text) {
        add(WalkEvent::Kind::written, 0, {static_cast<std::int64_t>(descriptor)});
        walk_.texts.push_back(text);
        WalkValue value;
        value.kind = WalkValue::Kind::text;
        value.text = static_cast<std::uint32_t>(walk_.texts.size() - 1);
        walk_.values.push_back(value);
        ++walk_.events.back().values;
        return *this;
    }
    Made& in_thread(std::uint16_t number) {
        thread_ = number;
        return *this;
    }
    Walk ends(std::int64_t status = 0) {
        thread_ = 1;
        add(WalkEvent::Kind::end, 0, {status});
        walk_.is_whole = true;
        return walk_;
    }
    Walk so_far() const { return walk_; }

  private:
    Made& close(WalkEvent::Kind kind, const std::vector<std::int64_t>& values) {
        std::uint32_t entry = open_.back();
        open_.pop_back();
        walk_.events[add(kind, walk_.events[entry].function, values)].call = entry;
        return *this;
    }
    std::uint32_t add(WalkEvent::Kind kind, std::uint32_t function,
                      const std::vector<std::int64_t>& values) {
        WalkEvent event;
        event.kind = kind;
        event.function = function;
        event.thread = thread_;
        event.first_value = static_cast<std::uint32_t>(walk_.values.size());
        for (std::int64_t each : values) {
            WalkValue value;
            value.kind = WalkValue::Kind::number;
            value.bits = static_cast<std::uint64_t>(each);
            walk_.values.push_back(value);
        }
        event.values = static_cast<std::uint32_t>(values.size());
        walk_.events.push_back(event);
        return static_cast<std::uint32_t>(walk_.events.size() - 1);
    }

    Walk walk_;
    std::vector<std::uint32_t> open_;
    std::uint16_t thread_ = 1;
};

Partings part(const Walk& a, const Walk& b, const std::array<const Unsteady*, 2>& unsteady = {}) {
    return find_parting({&a, &b}, nullptr, unsteady);
}

TEST(Parting, OfEqualWalksThereIsNone) {
    Walk walk = Made().enter(0).enter(1, {3}).returns(7).returns(0).writes(1, "7\n").ends();
    Partings found = part(walk, walk);
    EXPECT_EQ(found.first.kind, Parting::Kind::none);
    EXPECT_EQ(found.first.counts.matched, 2u);
}

TEST(Parting, IsTheFirstValueThatDiffers) {
    Walk a = Made().enter(0).enter(1, {3}).returns(7).enter(1, {4}).returns(8).returns(0).ends();
    Walk b = Made().enter(0).enter(1, {3}).returns(7).enter(1, {5}).returns(9).returns(1).ends(1);
    Parting found = part(a, b).first;
    EXPECT_EQ(found.kind, Parting::Kind::value);
    EXPECT_EQ(found.event, (std::array<std::uint32_t, 2>{3, 3}));
    EXPECT_EQ(found.value, 0u);
}

TEST(Parting, OfAnotherWayThatComesToTheSameHeals) {
    Walk a = Made().enter(0).enter(1).returns(2).enter(2).returns(4).returns(0).ends();
    Walk b = Made().enter(0).enter(2).returns(4).returns(0).ends();
    Partings found = part(a, b);
    EXPECT_EQ(found.first.kind, Parting::Kind::path);
    EXPECT_TRUE(found.first.heals);
    EXPECT_EQ(found.first.event[0], 1u);
    EXPECT_EQ(found.first.event[1], 1u);
}

TEST(Parting, AWayDoesNotHealWhereTheProgramsEndOtherwise) {
    Walk a = Made().enter(0).enter(1).returns(2).returns(0).ends();
    Made other;
    other.enter(0).enter(1);
    Walk b = other.ends(101);
    Partings found = part(a, b);
    EXPECT_NE(found.first.kind, Parting::Kind::none);
    EXPECT_FALSE(found.first.heals);
}

TEST(Parting, OneReturnsWhatTheOtherLeaves) {
    Walk a = Made().enter(0).enter(1, {2}).left().enter(2).returns(1).returns(0).ends();
    Walk b = Made().enter(0).enter(1, {2}).returns(6).enter(2).returns(1).returns(0).ends();
    Partings found = part(a, b);
    EXPECT_EQ(found.first.kind, Parting::Kind::path);
    EXPECT_EQ(found.first.event, (std::array<std::uint32_t, 2>{2, 2}));
    EXPECT_EQ(found.first.counts.matched, 3u);  // they go on together behind it
}

TEST(Parting, TwoCallsTheOtherWayRoundAreCountedAndComparedWithTheirLikes) {
    Walk a = Made().enter(0).enter(1, {1}).returns(5).enter(2, {1}).returns(6).returns(0).ends();
    Walk b = Made().enter(0).enter(2, {1}).returns(6).enter(1, {1}).returns(5).returns(0).ends();
    Partings found = part(a, b);
    EXPECT_EQ(found.first.kind, Parting::Kind::none);
    EXPECT_EQ(found.first.counts.other_order, 1u);
    Walk c = Made().enter(0).enter(2, {1}).returns(6).enter(1, {1}).returns(9).returns(0).ends();
    EXPECT_EQ(part(a, c).first.kind, Parting::Kind::value);
}

TEST(Parting, WhatOnlyOneOfThemWritesIsTold) {
    Walk silent = Made().enter(0).returns(0).ends();
    Walk speaks = Made().enter(0).writes(2, "the gate sticks\n").returns(0).ends();
    for (auto [a, b] : {std::pair{&silent, &speaks}, std::pair{&speaks, &silent}}) {
        Parting found = part(*a, *b).first;
        EXPECT_EQ(found.kind, Parting::Kind::written);
        EXPECT_EQ(found.descriptor, 2u);
        EXPECT_EQ(found.line, 1u);
    }
}

TEST(Parting, ThreadsThatBeganTheOtherWayRoundArePairedByHowTheyBegin) {
    auto run = [](std::int64_t first, std::int64_t second) {
        return Made()
            .in_thread(2)
            .enter(1, {first})
            .returns(first * 10)
            .in_thread(3)
            .enter(1, {second})
            .returns(second * 10)
            .ends();
    };
    Partings found = part(run(1, 2), run(2, 1));
    EXPECT_EQ(found.first.kind, Parting::Kind::none);
    EXPECT_TRUE(found.first.counts.threads_in_other_order);
    Walk alone = Made().in_thread(2).enter(1, {1}).returns(10).ends();
    EXPECT_EQ(part(run(1, 2), alone).first.counts.lonely_threads, 1u);
}

TEST(Parting, AWalkThatIsStillGoingOnIsComparedAsFarAsItHasCome) {
    Walk a = Made().enter(0).enter(1, {3}).returns(7).so_far();
    Walk b = Made().enter(0).enter(1, {3}).returns(7).enter(1, {4}).returns(8).so_far();
    EXPECT_EQ(part(a, b).first.kind, Parting::Kind::none);
}

TEST(Unsteadiness, OfTimeCoversTheValueInAllCallsOfTheFunction) {
    Walk a = Made().enter(0, {1}).returns(5).enter(0, {1}).returns(6).ends();
    Walk again = Made().enter(0, {1}).returns(9).enter(0, {1}).returns(6).ends();
    Walk b = Made().enter(0, {1}).returns(5).enter(0, {1}).returns(7).ends();
    Unsteady unsteady;
    mark_unsteady(a, again, 0, nullptr, Unsteadiness::run, unsteady);
    EXPECT_EQ(part(a, b).first.kind, Parting::Kind::value);
    Partings found = part(a, b, {&unsteady, nullptr});
    EXPECT_EQ(found.first.kind, Parting::Kind::none);
    EXPECT_EQ(found.first.counts.by_run, 1u);
}

TEST(Unsteadiness, OfUnsetMemoryIsToldAndComesBeforeThatOfAddresses) {
    Walk a = Made().enter(0, {1}).returns(5).ends(),
         filled = Made().enter(0, {1}).returns(90).ends();
    Walk b = Made().enter(0, {1}).returns(6).ends();
    Unsteady unsteady;
    mark_unsteady(a, filled, 0, nullptr, Unsteadiness::unset, unsteady);
    mark_unsteady(a, filled, 0, nullptr, Unsteadiness::address, unsteady);
    Parting found = part(a, b, {&unsteady, nullptr}).first;
    EXPECT_EQ(found.kind, Parting::Kind::value);
    EXPECT_EQ(found.unsteady, Unsteadiness::unset);
    EXPECT_EQ(found.unsteady_side, 0u);
}

TEST(Unsteadiness, OfUnsetMemoryIsNotClaimedOfAProgramThatDiffersByTime) {
    Walk a = Made().enter(0, {1}).returns(5).enter(1).returns(3).ends();
    Walk later = Made().enter(0, {1}).returns(5).enter(1).returns(4).ends();
    Walk filled = Made().enter(0, {1}).returns(90).enter(1).returns(8).ends();
    Walk b = Made().enter(0, {1}).returns(6).enter(1).returns(3).ends();
    Unsteady unsteady;
    mark_unsteady(a, later, 0, nullptr, Unsteadiness::run, unsteady);
    mark_unsteady(a, filled, 0, nullptr, Unsteadiness::unset, unsteady);
    Parting found = part(a, b, {&unsteady, nullptr}).first;
    EXPECT_EQ(found.kind, Parting::Kind::value);
    EXPECT_EQ(found.unsteady, Unsteadiness::none);
}

TEST(Pace, CallsWithoutEffectMayBeFewerAndOnlyThoseAreCounted) {
    Walk a = Made()
                 .enter(0)
                 .enter(1)
                 .returns(2)
                 .enter(1)
                 .returns(2)
                 .enter(2)
                 .returns(3)
                 .returns(0)
                 .ends();
    Walk b = Made().enter(0).enter(2).returns(3).returns(0).ends();
    auto surely = [](const WalkEvent&) { return Likeness::surely; };
    auto first = paced_threads(a, surely), second = paced_threads(b, surely);
    for (bool has_no_effect : {true, false}) {
        ParallelCounts counts;
        Pace pace({&a, &b}, counts);
        bool has_parted = false;
        pace.differs = [](Pace::Both, std::uint32_t) { return false; };
        pace.parts = [&](Pace::Both, std::optional<std::uint32_t>) { return has_parted = true; };
        pace.has_no_effect = [&](std::uint32_t function) { return has_no_effect && function == 1; };
        pace.go(first.at(1), second.at(1));
        EXPECT_EQ(has_parted, !has_no_effect);
        EXPECT_EQ(counts.fewer, has_no_effect ? 2u : 0u);
    }
}

TEST(Pace, ACallThatMayBeAloneIsSkippedAndNeverADifference) {
    Walk a = Made()
                 .enter(0)
                 .enter(1, {1})
                 .enter(2)
                 .returns(4)
                 .returns(5)
                 .enter(1, {2})
                 .returns(6)
                 .returns(0)
                 .ends();
    Walk b = Made().enter(0).enter(2).returns(4).enter(1, {2}).returns(9).returns(0).ends();
    auto likeness = [](const WalkEvent& entry) {
        return entry.function == 1 ? Likeness::perhaps : Likeness::surely;
    };
    auto first = paced_threads(a, likeness), second = paced_threads(b, likeness);
    ParallelCounts counts;
    Pace pace({&a, &b}, counts);
    unsigned differences = 0;
    pace.differs = [&](Pace::Both, std::uint32_t) { return ++differences != 0; };
    pace.parts = [&](Pace::Both, std::optional<std::uint32_t>) { return ++differences != 0; };
    pace.go(first.at(1), second.at(1));
    EXPECT_EQ(differences, 0u);
    EXPECT_EQ(counts.passed_over[0], 1u);  // what it calls is compared all the same
    EXPECT_EQ(counts.matched, 3u);
}

TEST(WrittenLines, AreJoinedAcrossWritesByDescriptor) {
    Walk walk = Made().writes(1, "one\nt").writes(2, "x").writes(1, "wo\n").so_far();
    auto lines = written_lines(walk);
    ASSERT_EQ(lines[1].size(), 2u);
    EXPECT_EQ(lines[1][1].text, "two\n");
    EXPECT_EQ(lines[1][1].event, 0u);
    EXPECT_EQ(lines[2][0].text, "x");
}

TEST(WalkValue, AddressesAreLeftOutAndShortNumbersStay) {
    EXPECT_EQ(without_addresses("0x7fffffffe5f0 \"Wren\""), "an address \"Wren\"");
    EXPECT_EQ(without_addresses("flags 0x3f"), "flags 0x3f");
}

TEST(FunctionPairs, NamesAreComparedWithoutWhatCompilersAdd) {
    EXPECT_EQ(plain_linkage_name("_ZN6sum_up4plus17h0123456789abcdefE"), "_ZN6sum_up4plus");
    EXPECT_EQ(plain_linkage_name("toll.constprop.0"), "toll");
    EXPECT_EQ(plain_linkage_name("_Z4tolli"), "_Z4tolli");
}

LocalsReport line_with(std::uint32_t line, const std::string& value) {
    LocalsReport locals;
    locals.line = line;
    ValueView view;
    view.name = "sum";
    view.text = value;
    view.assignment = Assignment::assigned;
    locals.variables.push_back(view);
    return locals;
}

TEST(LineHistory, PartsAtTheFirstValueThatTheOtherNeverHasFromThereOn) {
    std::array<LineHistory, 2> histories;
    for (auto [line, value] : {std::pair{10u, "0"}, {12u, "3"}, {13u, "7"}})
        histories[0].add(line_with(line, value));
    for (auto [line, value] : {std::pair{10u, "0"}, {13u, "9"}})
        histories[1].add(line_with(line, value));
    auto part = where_lines_part(histories);
    ASSERT_TRUE(part);
    EXPECT_EQ(part->variable, "sum");
    EXPECT_EQ(part->value[1], "9");
    EXPECT_EQ(part->line[1], 13u);
    std::array<LineHistory, 2> fewer{histories[0], LineHistory()};
    for (auto [line, value] : {std::pair{10u, "0"}, {13u, "7"}})
        fewer[1].add(line_with(line, value));
    EXPECT_FALSE(where_lines_part(fewer));  // an optimised build shows fewer of them
}

}  // namespace
}  // namespace lantern
