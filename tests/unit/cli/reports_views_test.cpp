// Layout of what find, type and survey answer: made-up facts in, text and page out. Nothing is
// computed on the way.
#include <gtest/gtest.h>

#include "cli/settings.h"
#include "cli/views/reports.h"
#include "cli/views/survey.h"
#include "cli/views/text.h"
#include "core/support/error.h"
#include "tests/testing/command.h"
#include "tests/testing/views.h"

namespace lantern::cli {
namespace {

Survey survey_of(const std::string& path) {
    Survey survey;
    survey.path = path;
    survey.kind = "shared library";
    survey.is_dynamic = true;
    survey.has_symbols = true;
    survey.symbols_from = "the program's own file";
    survey.units = 2;
    survey.functions = 4;
    survey.variables = 10;
    survey.variables_everywhere = 5;
    survey.variables_partly = 3;
    survey.variables_nowhere = 2;
    survey.variable_coverage = 0.625;
    survey.sections.push_back({".debug_info", "zstd", 1000, 4000, true});
    survey.sections.push_back({"everything else", "", 20'000'000, 20'000'000, false});
    return survey;
}

SurveyGroup group_of(const std::string& compiler, const std::string& optimisation) {
    SurveyGroup group;
    group.language = "C";
    group.compiler = compiler;
    group.optimisation = optimisation;
    group.dwarf_version = 5;
    group.units = 1;
    return group;
}

std::vector<std::string> lines_with(const std::string& text, const std::string& part) {
    std::vector<std::string> found;
    for (const std::string& line : testing::lines_of(text))
        if (line.find(part) != std::string::npos) found.push_back(line);
    return found;
}

TEST(SurveyViews, BytesReadAsAPersonSaysThem) {
    EXPECT_EQ(bytes_text(1), "1 byte");
    EXPECT_EQ(bytes_text(9'999), "9 999 bytes");
    EXPECT_EQ(bytes_text(10'000), "10.0 kB");
    EXPECT_EQ(bytes_text(999'949), "999.9 kB");
    EXPECT_EQ(bytes_text(172'600'568), "172.6 MB");
}

TEST(SurveyViews, TextSaysEachThingOnce) {
    Survey survey = survey_of("/canal/flight.so");
    survey.groups.push_back(group_of("clang 14.0.6", "optimised"));
    survey.groups.back().optimisation_source = "inferred: calls were inlined";
    survey.groups.back().is_inferred = true;
    survey.weaknesses.push_back({"3 source files changed", "build the program again"});
    survey.sources = {{"/canal/gate.c", SourceState::different, true},
                      {"/canal/lock.c", SourceState::good, false}};
    survey.sources_different = survey.sources_good = 1;
    survey.sources_checked_by_sum = 1;
    std::string text = survey_text({{survey}}, kPlain);
    for (const char* part :
         {"survey of flight.so", "linked dynamically", "inferred: calls were inlined",
          "10: 50 % have a place all the time, 30 % some of it, 20 % never",
          "a variable has a place over 62 % of its scope", "4 000 bytes when decompressed (zstd)",
          "next: build the program again", "differs (MD5)"})
        EXPECT_EQ(lines_with(text, part).size(), 1u) << part << "\n" << text;
    EXPECT_TRUE(lines_with(text, "/canal/lock.c").empty())
        << "files that are well are counted, not listed";
    survey.weaknesses.clear();
    EXPECT_EQ(lines_with(survey_text({{survey}}, kPlain), "nothing stands in the way").size(), 1u);
}

TEST(SurveyViews, ALongListOfSourcesIsCutAndCounted) {
    Survey survey = survey_of("/canal/flight.so");
    for (int i = 0; i < 25; ++i)
        survey.sources.push_back(
            {"/gone/" + std::to_string(i) + ".c", SourceState::missing, false});
    survey.sources_missing = 25;
    std::string text = survey_text({{survey}}, kPlain);
    EXPECT_EQ(lines_with(text, "/gone/").size(), 10u);
    EXPECT_EQ(lines_with(text, "… 15 more").size(), 1u);
    std::string page = survey_page({{survey}});
    EXPECT_NE(page.find("/gone/24.c"), std::string::npos) << "a page has room for more";
}

TEST(SurveyViews, SideBySideALabelThatComesTwiceIsPairedInOrder) {
    Survey a = survey_of("/old/flight"), b = survey_of("/new/flight");
    a.groups = {group_of("gcc 12.2.0", "-O0"), group_of("clang 14.0.6", "-O0")};
    b.groups = {group_of("gcc 12.2.0", "-O0"), group_of("clang 15.0.0", "-O2"),
                group_of("gcc 13.1.0", "-Og")};
    std::string text = survey_text({{a, b}}, kPlain);
    auto rows = lines_with(text, "C, DWARF 5");
    ASSERT_EQ(rows.size(), 3u) << text;
    EXPECT_NE(rows[0].find("the same"), std::string::npos) << rows[0];
    EXPECT_NE(rows[1].find("clang 14.0.6"), std::string::npos);
    EXPECT_NE(rows[1].find("clang 15.0.0"), std::string::npos) << rows[1];
    EXPECT_EQ(rows[2].find("C, DWARF 5  "), 2u);
    EXPECT_NE(rows[2].find("gcc 13.1.0"), std::string::npos);
    // The two columns start where they should.
    EXPECT_EQ(lines_with(text, "debug information")[0].find("the same"), 74u);
    a.symbols_from = std::string(60, 'x');
    auto wide = testing::lines_of(survey_text({{a, b}}, kPlain));
    auto at = std::find_if(wide.begin(), wide.end(), [](const std::string& line) {
        return line.find("xxxx") != std::string::npos;
    });
    ASSERT_NE(at, wide.end());
    EXPECT_EQ((at + 1)->find("the program's own file"), 74u)
        << "what is too wide has the other on the next line";
}

TEST(SurveyViews, ThePageEscapesAndStandsAlone) {
    Survey survey = survey_of("/canal/<flight> & \"lock\"");
    survey.symbols_from = "<script>";
    survey.weaknesses.push_back({"a<b", "c>d"});
    std::string page = survey_page({{survey}});
    EXPECT_NE(page.find("<h1>&lt;flight&gt; &amp; &quot;lock&quot;</h1>"), std::string::npos);
    EXPECT_NE(page.find("&lt;script&gt;"), std::string::npos);
    EXPECT_EQ(page.find("<script>"), std::string::npos);
    EXPECT_NE(page.find("<b>a&lt;b</b>c&gt;d"), std::string::npos);
    EXPECT_NE(page.find("width:50.00%"), std::string::npos) << "the bar shows the shares";
    EXPECT_EQ(page.find("src="), std::string::npos);
    EXPECT_EQ(page.find("columns\">"), std::string::npos) << "one program needs no columns";
    EXPECT_NE(survey_page({{survey, survey}}).find("columns\">"), std::string::npos);
    std::size_t opened = 0, closed = 0;
    for (std::size_t i = 0; (i = page.find("<table", i)) != std::string::npos; ++i) ++opened;
    for (std::size_t i = 0; (i = page.find("</table>", i)) != std::string::npos; ++i) ++closed;
    EXPECT_EQ(opened, closed);
}

// ---- find and type

TEST(FindViews, NamesCountsAndWhatIsLeftOut) {
    FindReport report{
        "functions", "lock", "", {}, 1234, "2 libraries of the system not looked into", false, 0};
    report.found.push_back(
        {"canal::lock", "", "/canal/lock.c", 12, {0x1000, 0x2000, 0x3000}, false});
    report.found.push_back({"canal::gone", "", "/canal/lock.c", 13, {}, true});
    report.found.push_back({std::string(80, 'n'), "", "", 0, {0x4000}, false});
    std::string text = find_text(report, kPlain);
    EXPECT_EQ(lines_with(text, "1 234 found").size(), 1u);
    EXPECT_EQ(lines_with(text, "0x1000 and 2 more").size(), 1u);
    EXPECT_EQ(lines_with(text, "no code of its own").size(), 1u);
    EXPECT_EQ(lines_with(text, "… 1 231 more").size(), 1u);
    EXPECT_EQ(lines_with(text, "2 libraries of the system").size(), 1u);
    EXPECT_EQ(lines_with(text, "0x4000")[0].find('n'), std::string::npos)
        << "a name that does not fit has a line of its own";
    for (const std::string& line : testing::lines_of(text))
        EXPECT_FALSE(line.ends_with(' ')) << line;
    report.found = {{"bell\x07", "", "", 0, {}, false}};
    EXPECT_EQ(find_text(report, kPlain).find('\x07'), std::string::npos);
}

TEST(FindViews, CodeAndAddresses) {
    CodeReport code;
    code.place = "lock.c:7";
    code.sites.push_back({0x1234, "fill", "main", "/canal/lock.c", "/canal/flight", 7});
    code.blocks.push_back({0x1234, 0x1244, "fill", "main"});
    code.blocks.push_back({0x1300, 0x1301, "main", ""});
    std::string text = code_text(code, kPlain);
    EXPECT_EQ(lines_with(text, "1 place").size(), 1u);
    EXPECT_EQ(lines_with(text, "17 bytes of code belong to the line, in 2 blocks").size(), 1u);
    EXPECT_EQ(lines_with(text, "inlined into main").size(), 2u);
    AddressReport address;
    address.address = 0x555555551234;
    address.module = "/canal/flight";
    address.file_address = 0x1234;
    address.section = ".text";
    address.symbol = "main";
    address.offset = 4;
    address.frames = {{"fill", "/canal/lock.c", 7, 3, true},
                      {"main", "/canal/lock.c", 20, 0, false}};
    text = address_text(address, kPlain);
    EXPECT_EQ(lines_with(text, "lock.c:7, column 3").size(), 1u);
    EXPECT_EQ(lines_with(text, "main + 4").size(), 1u);
    EXPECT_LT(text.find("inlined"), text.find("function  main"));
    address.frames.clear();
    EXPECT_EQ(lines_with(address_text(address, kPlain), "no function claims it").size(), 1u);
}

TEST(TypeViews, EveryKindOfRow) {
    TypeReport report;
    report.name = "canal::Lock";
    report.wording = "structure";
    report.size = 16;
    report.padding = 3;
    using Kind = TypeRow::Kind;
    auto row = [&](Kind kind, const std::string& name, const std::string& type,
                   std::optional<std::uint64_t> offset, std::uint64_t size) {
        TypeRow made;
        made.kind = kind;
        made.name = name;
        made.type = type;
        made.offset = offset;
        made.size = size;
        report.rows.push_back(made);
        return &report.rows.back();
    };
    row(Kind::vtable_pointer, "_vptr.Lock", "int (**)(void)", 0, 8);
    row(Kind::member, "gate", "int", 8, 4)->depth = 2;
    TypeRow* bits = row(Kind::member, "open", "unsigned int", 12, 4);
    bits->bit_size = 1;
    bits->bit_offset = 3;
    row(Kind::padding, "", "", 13, 3);
    row(Kind::virtual_base, "", "Base", std::nullopt, 8);
    row(Kind::base, "", "Nothing", 0, 0);
    row(Kind::static_member, "kMost", "const int", std::nullopt, 4)->value = "12";
    std::string text = type_report_text(report, kPlain);
    for (const char* part :
         {"pointer to the vtable", "    gate", "12.3", "1 bit ", "padding\n", "virtual base Base",
          "base Nothing  (empty)", "static kMost  const int = 12",
          "16 bytes in all: 13 used, 3 lost to padding"})
        EXPECT_NE(text.find(part), std::string::npos) << part << "\n" << text;
    report.padding = 0;
    EXPECT_NE(type_report_text(report, kPlain).find("none lost to padding"), std::string::npos);
    report.has_variants = true;
    EXPECT_EQ(type_report_text(report, kPlain).find("lost to padding"), std::string::npos);
    report.virtual_bases_from = 9;
    EXPECT_NE(type_report_text(report, kPlain).find("somewhere behind offset 9"),
              std::string::npos);
    TypeReport way;
    way.name = "Way";
    way.enumerators = {{"up", 3}, {"down", -1}};
    way.methods.assign(20, "toll");
    way.others = {"other::Way  enumeration of 1 byte  gate.c:3"};
    text = type_report_text(way, kPlain);
    EXPECT_NE(text.find("-1  down"), std::string::npos);
    EXPECT_NE(text.find("and 8 more"), std::string::npos);
    EXPECT_NE(text.find("also     other::Way"), std::string::npos);
    TypeReport declared;
    declared.name = "struct gate";
    declared.wording = "structure";
    declared.is_incomplete = true;
    EXPECT_NE(type_report_text(declared, kPlain).find("declared but not defined"),
              std::string::npos);
}

// ---- settings

TEST(SettingsFile, HasDefaultsAndIsReadWhole) {
    testing::TemporaryFolder folder;
    Settings none = read_settings(folder.path() / "none.toml");
    EXPECT_TRUE(none.keep_indexes);
    EXPECT_FALSE(none.ask_servers)
        << "nothing is asked over the network unless that is switched on";
    auto file = folder.write(
        "config.toml",
        "[symbols]\nfolders = ['/srv/a', '/srv/b']\nservers = ['http://one', "
        "'http://two']\nask_servers = true\nkeep_indexes = false\nindex_limit_mb = 3\n");
    Settings all = read_settings(file);
    EXPECT_EQ(all.symbol_folders, (std::vector<std::filesystem::path>{"/srv/a", "/srv/b"}));
    EXPECT_EQ(all.symbol_servers.size(), 2u);
    EXPECT_TRUE(all.ask_servers);
    EXPECT_FALSE(all.keep_indexes);
    EXPECT_EQ(all.index_limit, 3'000'000u);
    EXPECT_THROW(read_settings(folder.write("negative.toml", "[symbols]\nindex_limit_mb = -1\n")),
                 FileError);
    EXPECT_THROW(read_settings(folder.write("number.toml", "[symbols]\nfolders = [3]\n")),
                 FileError);
    EXPECT_THROW(read_settings(folder.write("bare.toml", "symbols = 3\n")), FileError);
}

}  // namespace
}  // namespace lantern::cli
