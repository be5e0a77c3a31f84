// How the machine level is shown, from facts made by hand.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "cli/disassemble_file.h"
#include "cli/figures/words_figure.h"
#include "cli/views/json.h"
#include "cli/views/reports.h"
#include "cli/views/text.h"
#include "core/support/error.h"
#include "tests/testing/command.h"
#include "tests/testing/views.h"

namespace lantern::cli {
namespace {

using PlainJson = nlohmann::ordered_json;

std::vector<std::byte> bytes_of(std::initializer_list<unsigned> numbers) {
    std::vector<std::byte> bytes;
    for (unsigned number : numbers) bytes.push_back(static_cast<std::byte>(number));
    return bytes;
}

TEST(RegistersText, OldAndNewAndWhatIsNotKnown) {
    RegistersReport report;
    report.level = 2;
    report.function = "fill_chamber";
    report.changed = 1;
    report.rows.push_back({"rax", RegisterGroup::general, 214, {}, "", "level", "", "0xd5"});
    report.rows.push_back({"rcx",
                           RegisterGroup::general,
                           std::nullopt,
                           {},
                           "",
                           "",
                           "the functions called since did not keep them",
                           ""});
    report.rows.push_back({"rdx",
                           RegisterGroup::general,
                           std::nullopt,
                           {},
                           "",
                           "",
                           "the functions called since did not keep them",
                           ""});
    report.rows.push_back({"rflags", RegisterGroup::flags, 0x46, {}, "PF ZF", "", "", "CF"});
    report.rows.push_back({"xmm1", RegisterGroup::vectors, std::nullopt,
                           bytes_of({1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16}),
                           "f64 1 2", "", "", "f64 0 2"});
    std::string text = registers_text(report, kPlain);
    EXPECT_TRUE(says(text, "registers in frame 2, fill_chamber")) << text;
    EXPECT_TRUE(says(text, "1 changed"));
    EXPECT_TRUE(says(text, "0xd5 → 0xd6"));
    EXPECT_TRUE(says(text, "not known here: rcx and rdx: the functions called since"));
    EXPECT_TRUE(says(text, "CF → PF ZF"));
    EXPECT_TRUE(says(text, "0x100f0e0d0c0b0a09'0807060504030201")) << "the highest byte first";
    EXPECT_TRUE(says(text, "f64 0 2 →"));
    PlainJson json = PlainJson::parse(json_of(report));
    EXPECT_EQ(json["registers"][0]["value"], "0xd6");
    EXPECT_EQ(json["registers"][0]["points_at"], "level");
    EXPECT_EQ(json["registers"][4]["bytes"], "0102030405060708090a0b0c0d0e0f10");
    EXPECT_FALSE(json["registers"][1].contains("value"));
}

DisassemblyRow row_of(std::uint64_t address, std::string text, std::uint32_t line) {
    DisassemblyRow row;
    row.address = address;
    row.text = std::move(text);
    row.bytes = bytes_of({0x90});
    row.file = "/canal/sluice.c";
    row.line = line;
    row.source = fmt::format("line {}", line);
    return row;
}

TEST(DisassemblyText, DrawsJumpsPastTheLinesBetween) {
    DisassemblyReport report;
    report.function = "fill";
    report.module = "/canal/flow";
    report.rows = {row_of(0x10, "jmp 0x13", 4), row_of(0x11, "inc eax", 5),
                   row_of(0x12, "je 0x11", 5), row_of(0x13, "ret", 6)};
    for (DisassemblyRow& row : report.rows) row.starts_block = true;
    report.rows[2].starts_block = false;
    report.rows[1].is_next = true;
    report.rows[1].breakpoints = {3};
    report.arrows = {{2, 1, 0}, {0, 3, 1}};
    report.operands = {{"eax", std::nullopt, "7", ""},
                       {"[rbp-8]", 0x2000, "9", "stack of frame 0"}};
    report.jump = "it will jump: ZF is set";
    std::vector<std::string> lines = testing::lines_of(disassembly_text(report, kPlain));
    auto line_with = [&](const std::string& part) {
        for (const std::string& line : lines)
            if (says(line, part)) return line;
        return std::string();
    };
    EXPECT_TRUE(says(line_with("0x10  "), "╭────")) << line_with("0x10  ");
    EXPECT_TRUE(says(line_with("0x11  "), "▪3  ◆ │ ╭─►")) << line_with("0x11  ");
    EXPECT_TRUE(says(line_with("0x12  "), "│ ╰──"));
    EXPECT_TRUE(says(line_with("0x13  "), "╰───►"));
    EXPECT_TRUE(says(line_with("line 5"), "│")) << "the long one passes the source line";
    EXPECT_TRUE(says(line_with(" operands"), "eax"));
    EXPECT_TRUE(says(line_with("[rbp-8]"), "at 0x2000 (stack of frame 0)  holds 9"));
    EXPECT_TRUE(says(line_with(" jump"), "it will jump: ZF is set"));
    std::string ascii = to_ascii(disassembly_text(report, kPlain));
    for (unsigned char c : ascii) ASSERT_LT(c, 0x80);
    EXPECT_EQ(ascii.find('?'), std::string::npos) << "every sign has its plain form";
    PlainJson json = PlainJson::parse(json_of(report));
    EXPECT_EQ(json["jumps"][1]["to"], 3);
    EXPECT_EQ(json["instructions"][1]["next"], true);
    EXPECT_EQ(json["operands"][1]["address"], "0x2000");
}

TEST(DisassemblyText, PartsBlocksAndCounts) {
    DisassemblyReport report;
    report.function = "fill";
    report.shows_bytes = true;
    report.before = 1;
    report.after = 12;
    report.rows = {row_of(0x10, "nop", 4)};
    report.rows[0].starts_block = true;
    report.rows[0].part = "cold part";
    report.rows[0].block = 2;
    report.rows[0].blocks = 3;
    report.rows[0].function = "rise_of";
    report.rows[0].inlined_into = "fill";
    report.rows[0].inlined_depth = 2;
    report.rows[0].refers_to = "level = 7";
    report.counts = {{"/canal/sluice.c", 4, 1, 1, 1}};
    std::string text = disassembly_text(report, kPlain);
    for (const char* part :
         {"── cold part ──", "block 2 of 3", "inlined: rise_of, depth 2", "90 ", "level = 7",
          "… 1 instruction before", "… 12 instructions more", "sluice.c:4", "1 instruction "})
        EXPECT_TRUE(says(text, part)) << part << "\n" << text;
    EXPECT_EQ(PlainJson::parse(json_of(report))["counts"][0]["line"], 4);
}

TEST(MemoryText, RowsGapsAndRepeats) {
    MemoryReport report;
    report.address = 0x1000;
    report.form = "bytes";
    MemoryRow zero;
    zero.address = 0x1000;
    zero.size = 16;
    zero.bytes.resize(16);
    zero.cells.assign(16, "00");
    zero.text = "................";
    zero.repeats = 255;
    MemoryRow gap;
    gap.address = 0x1ff0;
    gap.size = 4096;
    gap.is_unreadable = true;
    report.rows = {zero, gap};
    report.unreadable = 4096;
    std::string text = memory_text(report, kPlain);
    EXPECT_TRUE(says(text, "the same 254 times more, up to 0x1ff0")) << text;
    EXPECT_TRUE(says(text, "4 096 bytes cannot be read"));
    PlainJson json = PlainJson::parse(json_of(report));
    EXPECT_EQ(json["rows"][0]["repeats"], 255);
    EXPECT_EQ(json["rows"][1]["unreadable"], true);
}

TEST(MemoryText, FindsAndChanges) {
    MemoryFindReport finds;
    finds.what = "text Wren";
    finds.within = "heap";
    finds.total = 3;
    finds.searched = 8192;
    finds.unreadable = 4096;
    finds.found = {{0x5000, "heap", bytes_of({'W', 'r', 'e', 'n', 0}), "Wren."}};
    std::string text = memory_find_text(finds, kPlain);
    EXPECT_TRUE(says(text, "3 finds in 8 KB") && says(text, "0x5000  Wren.") &&
                says(text, "… 2 more") && says(text, "4 KB could not be read"))
        << text;
    finds.total = 0;
    finds.found.clear();
    EXPECT_TRUE(says(memory_find_text(finds, kPlain), "it is not there"));
    MemoryCompareReport changes;
    changes.name = "before";
    changes.size = 24;
    changes.changed = 2;
    changes.unreadable = 1;
    changes.changes = {{0x6004, bytes_of({1, 2}), bytes_of({3, 4}), 40, "level"}};
    text = memory_compare_text(changes, kPlain);
    EXPECT_TRUE(says(text, "2 of 24 bytes changed") && says(text, "01 02 …") &&
                says(text, "→ 03 04 …") && says(text, "1 byte can be read no more"))
        << text;
    EXPECT_EQ(PlainJson::parse(json_of(changes))["ranges"][0]["after"], "0304");
}

WordsReport words() {
    WordsReport report;
    StackFrameWords frame;
    frame.level = 1;
    frame.function = "fill_chamber";
    frame.stack_pointer = 0x7000;
    frame.end = 0x7040;
    for (std::uint64_t i = 0; i < 8; ++i) {
        StackWord word;
        word.address = 0x7000 + 8 * i;
        word.from_end = static_cast<std::int64_t>(8 * i) - 0x40;
        frame.words.push_back(word);
    }
    frame.words[4].kind = WordKind::variable;
    frame.words[4].name = "level";
    frame.words[4].content = "214";
    frame.words[5].kind = WordKind::canary;
    frame.words[5].name = "canary";
    frame.words[5].warning = "it has been overwritten: something ran over the end of a variable";
    frame.words[6].kind = WordKind::saved_register;
    frame.words[6].name = "rbp of main";
    frame.words[7].kind = WordKind::return_address;
    frame.words[7].name = "return address";
    frame.words[7].content = "into main+0x2c, lockflow.c:120";
    frame.checks = {"the return address follows a call of fill_chamber: agrees"};
    report.frames = {frame, frame};
    report.damage = {"the canary of frame 1, fill_chamber, has been overwritten"};
    return report;
}

TEST(WordsText, NamesOffsetsAndDamage) {
    std::string text = words_text(words(), kPlain);
    for (const char* part : {"words of frame 1, fill_chamber", "64 bytes", "◆0x7000", "-0x40",
                             "the same 3 times more", "level", "214", "rbp of main",
                             "into main+0x2c, lockflow.c:120", "damaged  it has been overwritten",
                             "checked   the return address", " damage    the canary"})
        EXPECT_TRUE(says(text, part)) << part << "\n" << text;
    PlainJson json = PlainJson::parse(json_of(words()));
    EXPECT_EQ(json["frames"][0]["words"][5]["what"], "canary");
    EXPECT_EQ(json["frames"][1]["words"][7]["from_end"], -8);
    EXPECT_EQ(json["damage"].size(), 1u);
}

TEST(WordsFigure, HasEachWordAndEachFrame) {
    testing::TemporaryFolder folder;
    draw_words(words(), "lockflow", folder.path() / "two.png");
    WordsReport one = words();
    one.frames.pop_back();
    draw_words(one, "lockflow", folder.path() / "one.png");
    draw_words(one, "lockflow", folder.path() / "one.svg");
    auto size_of = [](const std::string& png) {  // IHDR (PNG specification §11.2.2)
        auto number = [&](std::size_t at) {
            return static_cast<unsigned>(static_cast<unsigned char>(png[at + 2])) << 8 |
                   static_cast<unsigned char>(png[at + 3]);
        };
        return std::pair{number(16), number(20)};
    };
    auto two = size_of(folder.read("two.png")), single = size_of(folder.read("one.png"));
    EXPECT_GT(two.first, single.first) << "side by side";
    EXPECT_GT(single.second, 200u);
    std::string svg = folder.read("one.svg");
    EXPECT_TRUE(says(svg, "<svg") && says(svg, "</svg>"));
    EXPECT_THROW(draw_words(one, "lockflow", folder.path() / "one.gif"), RequestError);
    EXPECT_THROW(draw_words(one, "lockflow", "/nowhere/one.png"), FileError);
}

TEST(RegionsText, SizesAndShares) {
    RegionsReport report;
    report.rows = {{0x400000, 0x402000, "r-x", "program text", "/canal/flow", 4096},
                   {0x7000, 0x8000, "---", "guard of the stack of thread 2", "", std::nullopt}};
    report.total = 12288;
    report.resident = 4096;
    std::string text = regions_text(report, kPlain);
    EXPECT_TRUE(says(text, "12 KB, 4 KB of it in memory") && says(text, "  50 %") &&
                says(text, "guard of the stack of thread 2"))
        << text;
    PlainJson json = PlainJson::parse(json_of(report));
    EXPECT_FALSE(json["regions"][1].contains("resident"));
}

TEST(StackText, CyclesScansAndCandidates) {
    StackReport report;
    for (unsigned i = 0; i < 3; ++i) {
        StackRow row;
        row.level = i;
        row.function = fmt::format("sluice_{}", i);
        report.rows.push_back(row);
    }
    report.rows[1].cycle = 2;
    report.rows[1].repeats = 1000;
    report.rows[2].origin = FrameOrigin::tail_call;
    StackRow guessed;
    guessed.level = 2001;
    guessed.function = "main";
    guessed.origin = FrameOrigin::stack_scan;
    guessed.words_skipped = 1;
    report.rows.push_back(guessed);
    report.total = 2002;
    report.why_ended = "the stack is damaged";
    report.candidates = {{0x7100, 0x401234, "work+0x4"}};
    std::string text = stack_text(report, kPlain);
    for (const char* part :
         {"the same 2 calls 1 000 times, depth 1 – 2 000", "inferred: it left by a jump",
          "1 word skipped: a guess", "perhaps   0x401234, work+0x4", "the stack is damaged"})
        EXPECT_TRUE(says(text, part)) << part << "\n" << text;
    PlainJson json = PlainJson::parse(json_of(report));
    EXPECT_EQ(json["frames"][1]["cycle"], 2);
    EXPECT_EQ(json["frames"][3]["found_by"], "stack-scan");
    EXPECT_EQ(json["candidates"][0]["leads_to"], "0x401234");
}

TEST(ProcessesText, MarksTheOneThatIsLookedAt) {
    EXPECT_TRUE(says(processes_text({}, kPlain), "no process runs"));
    ProcessesReport report{{{1, 77, "/canal/flow", false}, {2, 78, "/canal/flow", true}}};
    std::string text = processes_text(report, kPlain);
    EXPECT_TRUE(says(text, "2 processes") && says(text, "◆") && says(text, "stands")) << text;
    EXPECT_EQ(PlainJson::parse(json_of(report))["processes"][1]["selected"], true);
}

}  // namespace
}  // namespace lantern::cli
