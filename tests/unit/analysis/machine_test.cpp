// The facts of the machine level on running fixtures: what words are, what memory holds, what code
// refers to.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/analysis/address_note.h"
#include "core/analysis/disassembly_report.h"
#include "core/analysis/memory_report.h"
#include "core/analysis/registers_report.h"
#include "core/analysis/stack_report.h"
#include "core/analysis/words_report.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

struct At : testing::Driven {
    At(const std::string& program, std::vector<std::string> arguments, const std::string& place)
        : Driven(program) {
        session.set_arguments(std::move(arguments));
        session.reach(session.place(place));
    }
};

TEST(AddressNotes, SayWhatOwnsAnAddress) {
    At at("machine-gcc-O0-pointer", {"deep", "2"}, "innermost");
    Session& session = at.session;
    const Module& main = session.target().modules().front();
    auto symbol = [&](const char* name) {
        return main.to_run(main.symbols().symbol_table().named(name)->address);
    };
    EXPECT_EQ(address_note(session.moment(), symbol("level")), "level");
    EXPECT_EQ(address_note(session.moment(), symbol("level") + 2), "level+0x2");
    EXPECT_TRUE(
        address_note(session.moment(), symbol("innermost")).starts_with("innermost, machine.c:"));
    EXPECT_EQ(address_note(session.moment(),
                           session.target().registers(session.thread()).stack_pointer()),
              "stack of frame 0");
    EXPECT_EQ(address_note(session.moment(), RunAddress(8)), "");
    EXPECT_EQ(address_note(session.moment(), RunAddress(0x123456789abc)), "");
    EXPECT_EQ(text_at_address(session.moment(), symbol("level")), "") << "a number is no text";
    session.select_frame(4);  // main
    RunAddress name(ValueReader(session.target()).integer(evaluate("argv[0]", session.context())));
    EXPECT_TRUE(text_at_address(session.moment(), name).starts_with("\"/"))
        << "the beginning of a path";
    EXPECT_TRUE(text_at_address(session.moment(), name).ends_with("…")) << "that is longer";
}

const StackWord* word_named(const WordsReport& report, const std::string& name) {
    for (const StackFrameWords& frame : report.frames)
        for (const StackWord& word : frame.words)
            if (word.name.find(name) != std::string::npos) return &word;
    return nullptr;
}

TEST(Words, LieWhereTheProgramsOwnAddressesSay) {
    At at("machine-gcc-O0-pointer", {"deep", "2"}, "innermost");
    WordsReport report = report_words(at.session.moment(), {.callers = 1});
    ASSERT_EQ(report.frames.size(), 2u);
    at.session.select_frame(1);
    Value left = evaluate("&left", at.session.context());
    const StackWord* word = word_named(report, "left");
    ASSERT_TRUE(word);
    EXPECT_EQ(word->address, ValueReader(at.session.target()).integer(left));
    EXPECT_EQ(word->content, at.value("left"));
    // The saved frame pointer is the caller's, and the return address where the caller goes on.
    const Frame* caller = at.session.stack().frame(1);
    const StackWord &saved = *word_named(report, "rbp of deep"),
                    &back = *word_named(report, "return address");
    EXPECT_EQ(saved.value, caller->registers.get(kFramePointerNumber));
    EXPECT_EQ(back.value, caller->program_counter.value);
    EXPECT_EQ(back.from_end, -8);
    EXPECT_TRUE(report.damage.empty());
    // Written over, it is told.
    std::uint64_t text = 0x4e4547534e455257;
    at.session.write_memory(RunAddress(back.address), std::as_bytes(std::span(&text, 1)));
    at.session.select_frame(0);
    WordsReport damaged = report_words(at.session.moment(), {});
    ASSERT_FALSE(damaged.damage.empty());
    EXPECT_NE(damaged.damage[0].find("\"WRENSGEN\""), std::string::npos) << damaged.damage[0];
}

TEST(Words, OfALeafBeginBelowItsStackPointer) {
    At at("machine-gcc-O0-pointer", {"deep", "2"}, "innermost");
    at.session.over_line();
    WordsReport report = report_words(at.session.moment(), {});
    const StackWord* x = word_named(report, "x");
    ASSERT_TRUE(x) << "innermost calls nobody and keeps x below";
    EXPECT_LT(x->address, report.frames[0].stack_pointer);
    EXPECT_EQ(x->address,
              ValueReader(at.session.target()).integer(evaluate("&x", at.session.context())));
    EXPECT_EQ(x->content, at.value("x"));
}

TEST(Words, TheCanaryIsFoundByTheCodeThatStoresIt) {
    testing::TemporaryFolder folder;
    folder.write(
        "guard.c",
        "volatile int seen;\n__attribute__((noinline)) int fill(int n) {\n    volatile char "
        "word[24];\n    for (int i = 0; i < 24; ++i) word[i] = (char)n;\n    seen = word[3];\n    "
        "return seen;\n}\nint main(void) { return fill(65) == 65 ? 0 : 1; }\n");
    ASSERT_EQ(testing::run({"gcc", "-g", "-O0", "-fstack-protector-all", "-o", "guard", "guard.c"},
                           "", folder.path())
                  .status,
              0);
    LaunchOptions options;
    options.program = (folder.path() / "guard").string();
    options.input_file = options.output_file = "/dev/null";
    Session session(options, {});
    session.reach(session.place("guard.c:5"));
    WordsReport report = report_words(session.moment(), {});
    const StackWord* canary = word_named(report, "canary");
    ASSERT_TRUE(canary);
    EXPECT_EQ(canary->content, "intact");
    RunAddress kept(session.target().system_registers(session.thread()).fs_base + 0x28);
    EXPECT_EQ(canary->value, session.target().read<std::uint64_t>(kept));
    std::uint64_t wrong = 0x4141414141414141;
    session.write_memory(RunAddress(canary->address), std::as_bytes(std::span(&wrong, 1)));
    report = report_words(session.moment(), {});
    canary = word_named(report, "canary");
    ASSERT_TRUE(canary);
    EXPECT_FALSE(canary->warning.empty());
    EXPECT_FALSE(report.damage.empty());
}

TEST(Memory, AgreesWithTheValues) {
    At at("machine-gcc-O0", {"deep", "2"}, "innermost");
    const Module& main = at.session.target().modules().front();
    RunAddress lanes = main.to_run(main.symbols().symbol_table().named("lanes")->address);
    MemoryReport floats = report_memory(at.session.moment(), {lanes, 4, Form::floating, nullptr});
    ASSERT_EQ(floats.rows.size(), 2u);
    EXPECT_EQ(floats.rows[0].cells, (std::vector<std::string>{"1.5", "-2.25"}));
    EXPECT_EQ(floats.rows[1].address, lanes.value + 16);
    // A gap in the middle: the page behind the highest region.
    const MemoryRegion* stack = at.session.target().region_at(
        at.session.target().registers(at.session.thread()).stack_pointer());
    ASSERT_TRUE(stack);
    MemoryReport over =
        report_memory(at.session.moment(), {stack->end - 32, 64, Form::bytes, nullptr});
    EXPECT_EQ(over.unreadable, 32u);
    EXPECT_TRUE(over.rows.back().is_unreadable);
    EXPECT_EQ(over.size, 64u);
    EXPECT_THROW(
        report_memory(at.session.moment(), {lanes, std::uint64_t{1} << 40, Form::bytes, nullptr}),
        RequestError);
}

TEST(MemoryFinds, OverTheEdgesOfChunksAndNotOverGaps) {
    At at("machine-gcc-O0", {"deep", "2"}, "innermost");
    Session& session = at.session;
    RunAddress stack = session.target().registers(session.thread()).stack_pointer();
    const MemoryRegion* region = session.target().region_at(stack);
    MemoryFindQuery query;
    query.what = "text";
    for (char c : std::string("Kingfisher-at-the-edge"))
        query.bytes.push_back(static_cast<std::byte>(c));
    RunAddress place = region->begin + 64;
    session.write_memory(place, query.bytes);
    session.write_memory(place + query.bytes.size(), query.bytes);
    query.range = RunRange{region->begin, region->end};
    MemoryFindReport found = report_memory_find(session.moment(), query);
    EXPECT_EQ(found.total, 2u);
    EXPECT_EQ(found.found[0].address, place.value);
    EXPECT_EQ(found.searched, region->size());
    query.range = RunRange{place + 1, region->end};
    EXPECT_EQ(report_memory_find(session.moment(), query).total, 1u);
    query.range = RunRange{RunAddress(0x1000), RunAddress(0x9000)};
    MemoryFindReport nothing = report_memory_find(session.moment(), query);
    EXPECT_EQ(nothing.total, 0u);
    EXPECT_EQ(nothing.unreadable, 0x8000u);
}

TEST(Disassembly, OfAWholeFunctionHasEveryInstructionOnce) {
    At at("machine-gcc-O2", {"cold"}, "innermost");
    DisassemblyQuery query;
    query.place = at.session.place("with_cold_part");
    DisassemblyReport by_address =
        report_disassembly(at.session.moment(), query, at.session.breakpoints());
    query.by_source = true;
    DisassemblyReport by_source =
        report_disassembly(at.session.moment(), query, at.session.breakpoints());
    ASSERT_EQ(by_address.rows.size(), by_source.rows.size());
    std::set<std::uint64_t> first, second;
    for (const DisassemblyRow& row : by_address.rows) first.insert(row.address);
    for (const DisassemblyRow& row : by_source.rows) second.insert(row.address);
    EXPECT_EQ(first, second);
    EXPECT_EQ(first.size(), by_address.rows.size());
    std::uint32_t last = 0;
    for (const DisassemblyRow& row : by_source.rows)
        if (row.file.ends_with("machine.c")) {
            EXPECT_GE(row.line, last) << "in the order of lines";
            last = row.line;
        }
    for (const JumpArrow& arrow : by_address.arrows)
        EXPECT_EQ(by_address.rows[arrow.from].target, by_address.rows[arrow.to].address);
    // Arrows of one lane do not cross.
    for (const JumpArrow& a : by_address.arrows)
        for (const JumpArrow& b : by_address.arrows) {
            bool overlap = std::max(std::min(a.from, a.to), std::min(b.from, b.to)) <=
                           std::min(std::max(a.from, a.to), std::max(b.from, b.to));
            EXPECT_FALSE(&a != &b && a.lane == b.lane && a.to != b.to && overlap);
        }
}

TEST(RegistersReport, ChangesAreThoseOfTheLastStop) {
    At at("machine-gcc-O0", {"deep", "2"}, "innermost");
    at.session.into_instruction();
    std::uint64_t before =
        at.session.target().registers(at.session.thread()).program_counter().value;
    at.session.into_instruction();
    RegistersReport report =
        report_registers(at.session.moment(), {"rip", "rbx"}, at.session.registers_before());
    ASSERT_EQ(report.rows.size(), 2u);
    EXPECT_EQ(report.rows[1].before, fmt::format("{:#x}", before));
    EXPECT_TRUE(report.rows[0].before.empty()) << "rbx stayed";
    EXPECT_THROW(report_registers(at.session.moment(), {"rbarge"}, at.session.registers_before()),
                 RequestError);
    at.session.select_frame(1);
    EXPECT_THROW(report_registers(at.session.moment(), {"vectors"}, at.session.registers_before()),
                 RequestError)
        << "only the innermost frame has them";
    EXPECT_EQ(flags_text(1 | 1 << 6 | 1 << 11), "CF ZF OF");
    EXPECT_EQ(flags_text(0), "none set");
}

TEST(StackReport, FoldsCyclesOfSeveralFunctions) {
    At at("machine-gcc-O0", {"cycle", "40"}, "innermost");
    StackReport report = report_stack(at.session.moment(), 1000);
    auto cycle = std::find_if(report.rows.begin(), report.rows.end(),
                              [](const StackRow& row) { return row.cycle > 1; });
    ASSERT_NE(cycle, report.rows.end());
    EXPECT_EQ(cycle->cycle, 3u);
    EXPECT_EQ(cycle->repeats, 40u);
    EXPECT_LT(report.rows.size(), 15u);
    EXPECT_EQ(report.rows[static_cast<std::size_t>(cycle - report.rows.begin()) + 3].level,
              cycle->level + 120);
}

}  // namespace
}  // namespace lantern
