// find, type and survey as core calls, beside what programs print of themselves and what object
// dumpers say.
#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include "core/analysis/find_report.h"
#include "core/analysis/survey.h"
#include "core/analysis/type_report.h"
#include "core/support/error.h"
#include "core/support/pattern.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

using testing::fixture;

std::unique_ptr<Session> session_on(const std::string& program) {
    LaunchOptions options;
    options.program = program;
    return std::make_unique<Session>(options, std::vector<SourceMapping>{});
}

const TypeRow* row_named(const TypeReport& report, const std::string& name) {
    for (const TypeRow& row : report.rows)
        if (row.name == name) return &row;
    return nullptr;
}

TEST(Pattern, PartsWholesAndExpressions) {
    EXPECT_TRUE(Pattern("toll").matches("canal::Barge::TOLL"));
    EXPECT_FALSE(Pattern("tolls").matches("canal::Barge::toll"));
    EXPECT_TRUE(Pattern("canal::*l").matches("canal::Barge::toll"));
    EXPECT_FALSE(Pattern("Barge*").matches("canal::Barge::toll"))
        << "a pattern is for the whole name";
    EXPECT_TRUE(Pattern("/^canal::.*l$/").matches("canal::Barge::toll"));
    EXPECT_FALSE(Pattern("/^toll/").matches("canal::Barge::toll"));
    EXPECT_TRUE(Pattern("").matches("anything"));
    EXPECT_TRUE(Pattern("/usr/include/x.h").matches("/usr/include/x.h"))
        << "a path is no expression";
    EXPECT_THROW(Pattern("/(/"), RequestError);
}

class Layouts : public ::testing::TestWithParam<const char*> {};

TEST_P(Layouts, AreWhereTheProgramSaysTheyAre) {
    std::string program = fixture(GetParam());
    auto facts = testing::printed_facts(testing::run({program}).output);
    auto session = session_on(program);
    TypeReport reuses = report_type(session->moment(), "Reuses");
    EXPECT_EQ(std::to_string(reuses.size), facts["size_reuses"]);
    for (const char* name : {"one", "whole", "real", "narrow", "broad", "last"}) {
        const TypeRow* row = row_named(reuses, name);
        ASSERT_NE(row, nullptr) << name;
        EXPECT_EQ(std::to_string(*row->offset), facts[name]) << name;
    }
    // Every byte is either a member's or padding: added up they are the whole.
    std::uint64_t bits = 0;
    for (const TypeRow& row : reuses.rows) {
        bool counts = row.depth == 0 && row.kind != TypeRow::Kind::static_member;
        if (counts) bits += row.bit_size ? row.bit_size : row.size * 8;
    }
    EXPECT_EQ(bits, reuses.size * 8);
    EXPECT_EQ(row_named(reuses, "three")->bit_size, 3u);
    EXPECT_EQ(row_named(reuses, "seven")->bit_offset, 3u);
    EXPECT_EQ(row_named(reuses, "kMost")->value, "12");
    EXPECT_EQ(row_named(reuses, "count")->kind, TypeRow::Kind::static_member);

    TypeReport diamond = report_type(session->moment(), "Diamond");
    EXPECT_EQ(std::to_string(diamond.size), facts["size_diamond"]);
    EXPECT_EQ(std::to_string(*row_named(diamond, "flag")->offset), facts["flag"]);
    EXPECT_TRUE(diamond.virtual_bases_from);
    TypeReport left = report_type(session->moment(), "Left");
    EXPECT_EQ(left.rows.at(0).kind, TypeRow::Kind::vtable_pointer);
    EXPECT_EQ(left.rows.back().kind, TypeRow::Kind::virtual_base);
    EXPECT_FALSE(left.rows.back().offset);

    TypeReport tail = report_type(session->moment(), "Tail");
    EXPECT_EQ(tail.padding, tail.size - 9);
    TypeReport way = report_type(session->moment(), "Way");
    ASSERT_EQ(way.enumerators.size(), 2u);
    EXPECT_EQ(way.enumerators[1].name, "down");
    EXPECT_EQ(way.enumerators[1].value & 0xff, 250);
    EXPECT_THROW(report_type(session->moment(), "Wherry"), Error);
    EXPECT_THROW(report_type(session->moment(), ""), RequestError);
}
INSTANTIATE_TEST_SUITE_P(Versions, Layouts, ::testing::Values("layouts-dwarf4", "layouts-dwarf5"));

TEST(TypeReport, ARustEnumHasItsVariants) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here";
    auto session = session_on(fixture("barges-rust"));
    TypeReport report = report_type(session->moment(), "Option<usize>");
    unsigned variants = 0;
    for (const TypeRow& row : report.rows) variants += row.kind == TypeRow::Kind::variant;
    EXPECT_EQ(variants, 2u);
    EXPECT_EQ(row_named(report, "Some")->value, "1");
    EXPECT_EQ(report_type(session->moment(), "barges::Barge").name, "barges::Barge");
}

TEST(FindReport, RustNamesReadAsTheSourceWritesThem) {
    if (!HAVE_RUST) GTEST_SKIP() << "rustc is not here: Rust's names are NOT tested";
    testing::TemporaryFolder folder;
    auto source = folder.write("lock.rs", R"(
mod flight {
    pub trait Toll { fn toll(&self) -> u32; }
    pub struct Narrow { pub draught: u32 }
    pub struct Wide<T> { pub cargo: T }
    impl Toll for Narrow { #[inline(never)] fn toll(&self) -> u32 { self.draught + 1 } }
    impl<T: Copy + Into<u32>> Toll for Wide<T> { #[inline(never)] fn toll(&self) -> u32 { self.cargo.into() * 2 } }
    impl Narrow { #[inline(never)] pub fn load(&mut self, by: u32) { self.draught += by } }
    pub enum State { Empty, Filling { rate: u32, left: u8 }, Full(u64) }
}
use flight::Toll;
fn main() {
    let mut narrow = flight::Narrow { draught: 4 };
    narrow.load(3);
    let wide = flight::Wide { cargo: 7u16 };
    let state = if narrow.draught > 3 { flight::State::Filling { rate: 2, left: 1 } } else { flight::State::Full(9) };
    let add = |x: u32| x + narrow.draught;
    let rate = match state { flight::State::Empty => 0, flight::State::Filling { rate, left } => rate + left as u32, flight::State::Full(x) => x as u32 };
    println!("{}", narrow.toll() + wide.toll() + add(rate));
}
)");
    std::string program = folder.path() / "lock";
    ASSERT_EQ(testing::run({"rustc", "-g", "-o", program, source}, "", folder.path()).status, 0);
    auto session = session_on(program);
    const ModuleSymbols& symbols = session->symbols();
    auto line = [&](const std::string& name) {
        auto found = symbols.functions_named(name);
        return found.size() == 1 && found[0]->has_code() ? found[0]->declared_line : 0;
    };
    EXPECT_EQ(line("Narrow::load"), 8u);
    EXPECT_EQ(line("Narrow::toll"), 6u) << "by the type, though the method stands in an impl block";
    EXPECT_EQ(line("Wide::toll"), 7u);
    EXPECT_EQ(symbols.functions_named("Toll::toll").size(), 2u) << "by the trait, all of them";
    EXPECT_EQ(symbols.functions_named("Narrow::toll").at(0)->name,
              "<lock::flight::Narrow as lock::flight::Toll>::toll");
    EXPECT_EQ(line("main::{closure#0}"), 17u);
    TypeReport state = report_type(session->moment(), "flight::State");
    EXPECT_TRUE(state.has_variants);
    EXPECT_EQ(state.rows.at(0).kind, TypeRow::Kind::discriminant);
    ASSERT_NE(row_named(state, "Filling"), nullptr);
    EXPECT_EQ(row_named(state, "Filling")->value, "1");
    EXPECT_EQ(row_named(state, "rate")->size, 4u);
    EXPECT_THROW(report_type(session->moment(), "Lock<u99>"), RequestError);
    // What only mentions a name in its template arguments comes behind.
    EXPECT_EQ(
        report_found(session->moment(), {"functions", "lock::flight", "", 3}).found.at(0).name,
        "lock::flight::Narrow::load");
}

TEST(FindReport, ListsWhatUnitsRepeatOnce) {
    auto session = session_on(fixture("barges-gcc5/barges"));
    FindReport found = report_found(session->moment(), {"functions", "/^canal::/", "", 50});
    EXPECT_EQ(found.total, found.found.size());
    std::set<std::string> names;
    for (const FoundName& name : found.found)
        EXPECT_TRUE(names.insert(name.name + std::to_string(name.line)).second) << name.name;
    EXPECT_TRUE(names.count("canal::deepest<int>25"));
    FindReport limited = report_found(session->moment(), {"functions", "canal", "", 2});
    EXPECT_EQ(limited.found.size(), 2u);
    EXPECT_EQ(limited.total, found.total);
    FindReport here = report_found(session->moment(), {"functions", "", "barges.cpp", 500});
    for (const FoundName& name : here.found) EXPECT_TRUE(name.file.ends_with("barges.cpp"));
    EXPECT_GE(here.total, 6u);
    EXPECT_THROW(report_found(session->moment(), {"functions", "", "nowhere.cpp", 50}),
                 RequestError);
    EXPECT_EQ(report_found(session->moment(), {"globals", "count", "", 50}).found.at(0).name,
              "canal::Barge::count");
    EXPECT_EQ(report_found(session->moment(), {"types", "Way", "", 50}).found.at(0).detail,
              "enumeration, 4 bytes");
}

TEST(FindReport, APlaceHasAllItsCopiesAndALineAllItsCode) {
    auto session = session_on(fixture("barges-gccO25/barges"));
    CodeReport code = report_code(session->moment(), session->place("deepest"));
    ASSERT_GE(code.sites.size(), 1u);
    EXPECT_EQ(code.sites[0].inlined_into, "main");
    // The function's own line has been merged into what stands around it.
    CodeReport merged = report_code(
        session->moment(), session->place(fmt::format("barges.cpp:{}", code.sites[0].line)));
    EXPECT_TRUE(merged.is_line);
    EXPECT_FALSE(merged.sites.empty());
    CodeReport main = report_code(session->moment(), session->place("main"));
    std::uint32_t number = main.sites.at(0).line;
    CodeReport line;
    for (const CodePosition& position :
         session->symbols()
             .positions_of(*session->symbols().functions_named("main").front())
             .all()) {
        if (!position.file || !position.file->ends_with("barges.cpp") ||
            position.end == position.address)
            continue;
        number = position.line;
        line = report_code(session->moment(), session->place(fmt::format("barges.cpp:{}", number)));
        if (!line.blocks.empty()) break;
    }
    ASSERT_FALSE(line.blocks.empty());
    const ModuleSymbols& symbols = session->symbols();
    for (const CodeReport::Block& block : line.blocks) {
        auto at = symbols.line_at(FileAddress(block.low));
        ASSERT_TRUE(at);
        EXPECT_EQ(at->line, number);
    }
    AddressReport address = report_address(session->moment(), RunAddress(code.sites[0].address));
    EXPECT_EQ(address.section.substr(0, 5), ".text");
    EXPECT_EQ(address.frames.back().function, "main");
    EXPECT_THROW(report_address(session->moment(), RunAddress(0xffff0000)), RequestError);
}

TEST(FindReport, LibrariesAreNotReadBeforeSomebodyAsks) {
    auto session = session_on(fixture("locks-gcc-O0-dwarf5-pie"));
    session->reach(session->place("main"));
    session->over_line();
    report_found(session->moment(), {"functions", "fill", "", 50});
    unsigned libraries = 0;
    for (const Module& module : session->target().modules()) {
        if (!module.is_system_library()) continue;
        ++libraries;
        EXPECT_FALSE(module.symbols().index_is_ready()) << module.path();
    }
    EXPECT_GE(libraries, 1u);
    EXPECT_GE(report_found(session->moment(), {"functions", "strlen", "libc", 50}).total, 1u);
}

// ---- survey

TEST(Survey, CountsWhatTheDumpersCount) {
    for (const char* name :
         {"barges-gcc5/barges", "locks-gcc-O2-dwarf4-pie", "barges-types4/barges"}) {
        std::string program = fixture(name);
        Survey survey = survey_program(program, {}, {});
        std::string dump = testing::run({"readelf", "--debug-dump=info", "-W", program}).output;
        std::uint64_t units = 0, inlined = 0, types = 0;
        for (const std::string& line : testing::lines_of(dump)) {
            units += line.find("(DW_TAG_compile_unit)") != std::string::npos;
            inlined += line.find("(DW_TAG_inlined_subroutine)") != std::string::npos;
            types += line.find("(DW_TAG_type_unit)") != std::string::npos;
        }
        EXPECT_EQ(survey.units, units) << name;
        EXPECT_EQ(survey.type_units, types) << name;
        EXPECT_EQ(survey.inlined_calls, inlined) << name;
        EXPECT_EQ(survey.variables,
                  survey.variables_everywhere + survey.variables_partly + survey.variables_nowhere);
        EXPECT_TRUE(survey.has_symbols);
        std::uint64_t whole = 0;
        for (const SurveySection& section : survey.sections) whole += section.stored;
        EXPECT_LE(whole, survey.file_size);
        EXPECT_GT(whole, survey.file_size / 3);
    }
}

TEST(Survey, TellsHowEachWasBuilt) {
    auto group = [](const std::string& program) {
        return survey_program(fixture(program), {}, {}).groups.at(0);
    };
    EXPECT_EQ(group("barges-gcc5/barges").optimisation, "-O0");
    EXPECT_EQ(group("barges-gccO25/barges").optimisation, "-O2");
    EXPECT_EQ(group("barges-gccO25/barges").optimisation_source, "recorded by the compiler");
    EXPECT_EQ(group("barges-gcc4/barges").dwarf_version, 4u);
    EXPECT_EQ(group("barges-gcc4/barges").language, "C++");
    EXPECT_TRUE(group("barges-gcc4/barges").compiler.starts_with("gcc "));
    EXPECT_EQ(group("locks-gcc-O0-dwarf5-pie").language, "C");
    if (HAVE_CLANG) {
        EXPECT_EQ(group("locks-clang-O0-dwarf5-pie").optimisation, "not optimised");
        EXPECT_EQ(group("locks-clang-O2-dwarf5-pie").optimisation, "optimised");
        EXPECT_TRUE(group("locks-clang-O2-dwarf5-pie").optimisation_source.starts_with("inferred"));
        EXPECT_TRUE(group("locks-clang-O2-dwarf5-pie").compiler.starts_with("clang "));
    }
    if (HAVE_RUST) {
        Survey rust = survey_program(fixture("barges-rust"), {}, {});
        bool plain = false;
        for (const SurveyGroup& each : rust.groups)
            plain |= each.language == "Rust" && each.optimisation == "not optimised";
        EXPECT_TRUE(plain) << "the fixture itself, beside the library it brings";
    }
    EXPECT_EQ(survey_program(fixture("locks-gcc-O0-dwarf5-nopie"), {}, {}).kind,
              "program at fixed addresses");
    EXPECT_EQ(survey_program(fixture("locks-gcc-O0-dwarf5-pie"), {}, {}).kind,
              "position-independent program");
    EXPECT_FALSE(survey_program(fixture("locks-static"), {}, {}).is_dynamic);
    Survey kept = survey_program(fixture("frames-gcc"), {}, {}),
           omitted = survey_program(fixture("frames-debugframe"), {}, {});
    EXPECT_EQ(kept.frame_pointer_kept, kept.frame_pointer_looked_at);
    EXPECT_LT(omitted.frame_pointer_kept, omitted.frame_pointer_looked_at)
        << "some functions need one: their frames grow as they run";
}

bool warns(const Survey& survey, const std::string& text) {
    for (const Finding& weakness : survey.weaknesses)
        if (weakness.what.find(text) != std::string::npos) return !weakness.next.empty();
    return false;
}

TEST(Survey, NamesEachWeaknessWithWhatToDo) {
    EXPECT_TRUE(warns(survey_program(fixture("locks-nosymbols"), {}, {}), "no debug information"));
    EXPECT_TRUE(warns(survey_program(fixture("locks-stripped"), {}, {}), "stripped"));
    EXPECT_TRUE(warns(survey_program(fixture("barges-gccO25/barges"), {}, {}), "is optimised"));
    EXPECT_TRUE(warns(survey_program(fixture("locks-dwarf2"), {}, {}), "DWARF 2"));
    EXPECT_TRUE(survey_program(fixture("barges-gcc5/barges"), {}, {}).weaknesses.empty());
}

TEST(Survey, SourcesAreHereMissingNewerOrDifferent) {
    testing::TemporaryFolder folder;
    auto source = folder.write("gate.c", "int width = 4;\nint main(void) { return width; }\n");
    std::string program = folder.path() / "gate";
    ASSERT_EQ(testing::run({"gcc", "-g", "-o", program, source}).status, 0);
    Survey fresh = survey_program(program, {}, {});
    EXPECT_EQ(fresh.sources_good, fresh.sources.size());
    timespec later[2] = {{0, UTIME_NOW}, {fresh.built_at + 100, 0}};
    ASSERT_EQ(utimensat(AT_FDCWD, source.c_str(), later, 0), 0);
    Survey newer = survey_program(program, {}, {});
    EXPECT_EQ(newer.sources_newer, 1u);
    EXPECT_TRUE(warns(newer, "changed since the program was built"));
    std::filesystem::remove(source);
    Survey missing = survey_program(program, {}, {});
    EXPECT_EQ(missing.sources_missing, 1u);
    if (!HAVE_CLANG) GTEST_SKIP() << "clang, which records checksums, is not here";
    folder.write("gate.c", "int width = 4;\nint main(void) { return width; }\n");
    ASSERT_EQ(testing::run({"clang", "-g", "-gdwarf-5", "-o", program, source}).status, 0);
    ASSERT_EQ(utimensat(AT_FDCWD, source.c_str(), later, 0), 0);
    Survey same = survey_program(program, {}, {});
    EXPECT_EQ(same.sources_good, 1u) << "newer, but the checksum says it is the same";
    folder.write("gate.c", "int width = 5;\nint main(void) { return width; }\n");
    EXPECT_EQ(survey_program(program, {}, {}).sources_different, 1u);
}

}  // namespace
}  // namespace lantern
