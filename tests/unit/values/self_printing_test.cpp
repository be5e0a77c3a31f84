// Programs that print what they hold, beside what we show: the program is the witness.
#include <gtest/gtest.h>

#include <algorithm>

#include "core/analysis/locals_report.h"
#include "core/values/variable_value.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

struct Line {
    std::string expression, text;
};

std::vector<Line> printed_lines(const std::string& output) {
    std::vector<Line> lines;
    for (const std::string& line : testing::lines_of(output)) {
        // "a == b = true" is cut at the last sign, "x = {y = 1}" at the first
        std::size_t at =
            line.find('{') == std::string::npos && line.find("\" = ") == std::string::npos
                ? line.rfind(" = ")
                : line.find(" = ");
        if (line.find("] = ") != std::string::npos && line.find("] = ") < line.find('{'))
            at = line.find("] = ") + 1;
        if (at != std::string::npos) lines.push_back({line.substr(0, at), line.substr(at + 3)});
    }
    return lines;
}

// A program of its own output file, stopped where it has printed everything.
struct Printing {
    explicit Printing(const std::string& program, const std::string& function = "look_here")
        : driven(program, (folder.path() / "out").string()) {
        driven.stop_above(function);
        lines = printed_lines(folder.read("out"));
    }
    testing::TemporaryFolder folder;
    testing::Driven driven;
    std::vector<Line> lines;
};

std::string sorted_parts(std::string text) {
    if (text.size() < 2 || text.front() != '{') return text;
    std::vector<std::string> parts;
    text = text.substr(1, text.size() - 2);
    for (std::size_t at; (at = text.find(", ")) != std::string::npos; text = text.substr(at + 2))
        parts.push_back(text.substr(0, at));
    parts.push_back(text);
    std::sort(parts.begin(), parts.end());
    std::string joined;
    for (const std::string& part : parts) joined += part + "|";
    return joined;
}

class Containers : public ::testing::TestWithParam<const char*> {};

TEST_P(Containers, ShowWhatTheProgramSaysItHolds) {
    Printing printing(GetParam());
    ASSERT_GE(printing.lines.size(), 38u);
    bool optimised = std::string(GetParam()).find("-O") != std::string::npos;
    std::size_t compared = 0;
    ViewLimits limits = printing.driven.session.moment().view_limits();
    limits.children = 1000;
    for (const Line& line : printing.lines) {
        Value value;
        try {
            value = evaluate(line.expression, printing.driven.session.context());
        } catch (const Error& error) {
            EXPECT_TRUE(optimised) << line.expression << ": " << error.what();
            continue;
        }
        ValueView view = make_view(ValueReader(printing.driven.session.target()), "x", value,
                                   Form::natural, limits);
        std::string got = one_line(view, 100'000);
        bool kept = view.unavailable.empty() && got.find("keeps") == std::string::npos;
        if (!kept) {
            EXPECT_TRUE(optimised) << line.expression << ": " << view.unavailable;
            continue;
        }
        ++compared;
        bool any_order = line.expression == "berths" || line.expression == "marks";
        EXPECT_EQ(any_order ? sorted_parts(got) : got,
                  any_order ? sorted_parts(line.text) : line.text)
            << line.expression;
    }
    EXPECT_GE(compared, optimised ? 25u : printing.lines.size());
}

std::vector<const char*> container_fixtures() {
    std::vector<const char*> all = {"containers-gnu", "containers-gnu-O2", "containers-oldtext",
                                    "containers-checked"};
    if (HAVE_LIBCXX) all.push_back("containers-clang");
    if (HAVE_RUST) all.push_back("containers-rust");
    if (HAVE_RUST) all.push_back("containers-rust-O");
    return all;
}
INSTANTIATE_TEST_SUITE_P(Libraries, Containers, ::testing::ValuesIn(container_fixtures()));

class Broken : public ::testing::TestWithParam<const char*> {};

TEST_P(Broken, ContainersAreReportedWithWhatCouldBeRead) {
    Printing printing(GetParam());
    auto shown = [&](const char* name) { return printing.driven.value(name); };
    EXPECT_NE(shown("backwards").find("(broken: its end lies 8 bytes before its beginning)"),
              std::string::npos)
        << shown("backwards");
    EXPECT_NE(shown("torn").find("1"), std::string::npos) << shown("torn");
    EXPECT_NE(shown("torn").find("broken: "), std::string::npos) << shown("torn");
    EXPECT_NE(shown("circle").find("form a circle"), std::string::npos) << shown("circle");
    EXPECT_NE(shown("wild").find("broken: "), std::string::npos) << shown("wild");
    // As they lie in memory they can still be looked at.
    ViewLimits raw;
    raw.raw = true;
    EXPECT_EQ(printing.driven.view("backwards", raw).broken, "");
    EXPECT_TRUE(printing.driven.view("backwards", raw).has_children());
}
INSTANTIATE_TEST_SUITE_P(
    Libraries, Broken,
    ::testing::ValuesIn(HAVE_LIBCXX ? std::vector<const char*>{"containers-gnu", "containers-clang"}
                                    : std::vector<const char*>{"containers-gnu"}));

TEST(Containers, PointersWithOwnersTellThem) {
    Printing printing("containers-gnu");
    auto shown = [&](const char* name) { return printing.driven.value(name); };
    EXPECT_NE(shown("shared").find("(2 owners, 1 watcher) → 5"), std::string::npos)
        << shown("shared");
    EXPECT_NE(shown("watcher").find("(2 owners, 1 watcher) → 5"), std::string::npos)
        << shown("watcher");
    EXPECT_EQ(shown("expired").find("expired (0 owners"), 0u) << shown("expired");
    EXPECT_NE(
        shown("as_barge").find("→ {canal::Barge = {name = \"Wren\", draught_cm = 60}, cabins = 2}"),
        std::string::npos)
        << "by what it really is: " << shown("as_barge");
    EXPECT_EQ(shown("held").find("held by thread "), 0u);
    EXPECT_EQ(shown("lambda_rule").find("calls main::"), 0u);
}

TEST(Containers, LongOnesShowAPartAndSayHowMuchMore) {
    Printing printing("containers-gnu");
    ViewLimits limits;
    limits.children = 3;
    ValueView view = printing.driven.view("queue_of_tolls", limits);
    EXPECT_EQ(view.children.size(), 3u);
    EXPECT_EQ(view.more, 128u);
    limits.first = 100;
    view = printing.driven.view("queue_of_tolls", limits);
    EXPECT_EQ(view.children.at(0).name, "[100]");
    EXPECT_EQ(view.children.at(0).text, "119");
    EXPECT_EQ(view.more, 28u);
    limits.first = 2;
    view = printing.driven.view("rates", limits);
    EXPECT_EQ(view.children.at(0).name, "[2]");
    EXPECT_EQ(view.more, 35u);
    limits.nodes = 2;
    EXPECT_LE(printing.driven.view("grid", limits).children.size(), 2u);
}

TEST(Containers, ClaimsThatMemoryCannotBackCostNothing) {
    Printing printing("containers-gnu");
    Session& session = printing.driven.session;
    session.assign("levels._M_impl._M_finish",
                   "(int*)((char*)levels._M_impl._M_start + (1ul << 44))");
    session.assign("levels._M_impl._M_end_of_storage", "levels._M_impl._M_finish");
    session.assign("short_text._M_string_length", "1ul << 60");
    session.assign("short_text._M_dataplus._M_p", "(char*)0x10");
    session.assign("tolls._M_t._M_impl._M_node_count", "1ul << 60");
    ViewLimits everything;
    everything.children = everything.nodes = 10'000'000;
    ValueView levels = printing.driven.view("levels", everything);
    EXPECT_NE(levels.broken.find("where nothing can be read"), std::string::npos) << levels.broken;
    EXPECT_GE(levels.children.size(), 3u) << "what could be read is there";
    EXPECT_NE(printing.driven.view("short_text").broken, "");
    ValueView tolls = printing.driven.view("tolls", everything);
    EXPECT_EQ(tolls.children.size(), 3u);
    EXPECT_NE(tolls.broken.find("ends after 3"), std::string::npos) << tolls.broken;
}

TEST(Containers, TheRawLayoutIsOneWordAway) {
    Printing printing("containers-gnu");
    ViewLimits raw;
    raw.raw = true;
    ValueView view = printing.driven.view("levels", raw);
    EXPECT_NE(one_line(view).find("_M_start"), std::string::npos);
    EXPECT_EQ(printing.driven.view("levels").detail, "3 elements, room for 3");
    EXPECT_EQ(printing.driven.view("short_text").detail, "4 characters, room for 15");
}

TEST(Rust, PointersLeadToWhatTheyHold) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    Printing printing("containers-rust");
    auto shown = [&](const char* name) { return printing.driven.value(name); };
    EXPECT_NE(shown("craft").find("(containers::Narrowboat) → {draught_cm = 60}"),
              std::string::npos)
        << shown("craft");
    EXPECT_NE(shown("shared").find("(2 owners, 1 watcher) → 5"), std::string::npos)
        << shown("shared");
    EXPECT_NE(shown("boxed").find(" → 7"), std::string::npos) << shown("boxed");
    EXPECT_NE(shown("threads_share").find("(1 owner) → \"sheet\""), std::string::npos)
        << shown("threads_share");
    EXPECT_EQ(shown("rule"), "{factor = 3}") << "a closure with what it captured";
    EXPECT_EQ(shown("levels[1] + 1"), "181");
    EXPECT_EQ(shown("levels[1..]"), "{180, 146}");
    EXPECT_EQ(shown("levels[..=1]"), "{214, 180}");
    EXPECT_EQ(shown("both.0 + 1"), "4");
    EXPECT_EQ(shown("both.1 == \"gate\""), "true");
    EXPECT_EQ(shown("open.width_cm as u8"), "174");
    EXPECT_EQ(shown("craft_ref.draught_cm"), "60");
}

class Values : public ::testing::TestWithParam<const char*> {};

TEST_P(Values, OfEveryKindReadAsTheProgramPrintsThem) {
    Printing printing(GetParam());
    ASSERT_GE(printing.lines.size(), 49u);
    for (const Line& line : printing.lines) {
        bool of_callee = line.expression == "list" || line.expression == "grid";
        printing.driven.session.select_frame(of_callee ? 1 : 2);
        EXPECT_EQ(printing.driven.value(line.expression), line.text) << line.expression;
    }
    printing.driven.session.select_frame(2);
    EXPECT_EQ(printing.driven.value("page->lines[0..4]"), "{1, 2, 3, 4}")
        << "behind the structure, as long as is asked";
    EXPECT_NE(printing.driven.value("page").find("heap block of "), std::string::npos);
    EXPECT_NE(printing.driven.value("&watched").find("(watched)"), std::string::npos)
        << printing.driven.value("&watched");
    EXPECT_EQ(printing.driven.value("*wild"), "nothing can be read at address 0x123456789000");
}
INSTANTIATE_TEST_SUITE_P(Compilers, Values,
                         ::testing::ValuesIn(HAVE_CLANG ? std::vector<const char*>{"values-gcc",
                                                                                   "values-clang"}
                                                        : std::vector<const char*>{"values-gcc"}));

class Objects : public ::testing::TestWithParam<const char*> {};

TEST_P(Objects, AndExpressionsOnThemAreWhatTheProgramSays) {
    Printing printing(GetParam());
    printing.driven.session.allow_calls([](const std::string&) { return true; });
    ASSERT_GE(printing.lines.size(), 65u);
    for (const Line& line : printing.lines)
        EXPECT_EQ(printing.driven.value(line.expression), line.text) << line.expression;
}

TEST_P(Objects, PointersToMembersNameThem) {
    Printing printing(GetParam());
    EXPECT_EQ(printing.driven.value("cabins").find("&canal::Narrowboat::cabins (offset "), 0u)
        << printing.driven.value("cabins");
    EXPECT_NE(printing.driven.value("method").find("(canal::Craft::twice)"), std::string::npos)
        << printing.driven.value("method");
    EXPECT_EQ(printing.driven.value("virtual_method"), "virtual function 2 of canal::Craft");
    EXPECT_NE(printing.driven.value("craft").find("in fact a canal::Narrowboat"), std::string::npos)
        << printing.driven.value("craft");
}

TEST_P(Objects, AVariableOfAnotherBlockIsOutOfScopeAndSaysWhere) {
    Printing printing(GetParam(), "canal::look_inside");
    printing.driven.session.select_frame(3);
    EXPECT_EQ(printing.driven.value("level"), "2") << "the block with the inner one has ended";
    printing.driven.session.select_frame(0);
    EXPECT_NE(printing.driven.value("nobody_knows").find("nothing here is called"),
              std::string::npos);
    testing::Driven locks("locks-gcc-O0-dwarf5-pie");
    locks.session.reach(locks.session.place("shadowed"));
    EXPECT_NE(locks.value("i").find("i is out of scope here: it is declared at line 47"),
              std::string::npos)
        << locks.value("i");
}

TEST_P(Objects, MembersAreKnownByTheirBareNamesInAMethodAndALambda) {
    Printing printing(GetParam(), "canal::look_inside");
    EXPECT_EQ(printing.driven.value("shift + shift_pay"), "51");
    EXPECT_EQ(printing.driven.value("this->shift"), "1");
    EXPECT_EQ(printing.driven.value("Keeper::count"), "3");
    printing.driven.session.select_frame(2);
    EXPECT_EQ(printing.driven.value("extra + n"), "9");
}
INSTANTIATE_TEST_SUITE_P(Compilers, Objects,
                         ::testing::ValuesIn(HAVE_CLANG ? std::vector<const char*>{"objects-gcc",
                                                                                   "objects-clang"}
                                                        : std::vector<const char*>{"objects-gcc"}));

TEST(OnEntry, ValuesComeFromTheCallersCallSite) {
    testing::Driven driven("onentry-gcc");
    driven.stop_above("tail");
    // outer(1, …) calls inner(1 * 3, 1 + 40, …); neither is kept anywhere when tail runs.
    EXPECT_EQ(driven.value("first"), "3");
    driven.session.select_frame(2);
    EXPECT_EQ(driven.value("local"),
              "{a = 2, b = (the compiler keeps this part nowhere at this point)}");
    EXPECT_EQ(driven.value("local.b"), "the compiler keeps this part nowhere at this point");
}

TEST(OnEntry, ARemovedPointerLeadsToWhatIsKnownOfItsTarget) {
    testing::Driven driven("onentry-gcc");
    driven.session.reach(driven.session.place("tail"));
    driven.session.reach(driven.session.place("tail"));
    driven.session.reach(driven.session.place("tail"));
    driven.session.select_frame(1);
    EXPECT_EQ(driven.value("q").find("a pointer that is kept nowhere → {a = 2"), 0u)
        << driven.value("q");
    EXPECT_EQ(driven.value("q->a + (*q).a"), "4");
    EXPECT_EQ(driven.value("q + 1"),
              "this pointer is kept nowhere: only what it points at is known");
}

}  // namespace
}  // namespace lantern
