// A session on a stripped program whose symbols lie elsewhere: everything must go as on the plain
// one.
#include <gtest/gtest.h>

#include "core/analysis/locals_report.h"
#include "core/analysis/stack_report.h"
#include "core/session/session.h"
#include "core/support/error.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

using testing::fixture;

std::unique_ptr<Session> session_with(const std::string& program, SymbolSearch search = {}) {
    LaunchOptions options;
    options.program = program;
    options.input_file = options.output_file = "/dev/null";
    return std::make_unique<Session>(options, std::vector<SourceMapping>{}, std::move(search));
}

// What a walk through the program shows, without addresses.
std::vector<std::string> walk(Session& session) {
    std::vector<std::string> seen;
    session.add_breakpoint(session.place("canal::pass"));
    session.add_breakpoint(session.place("barges.cpp:27"));
    Stop stop = session.launch_again();
    for (int steps = 0; steps < 12 && !stop.is_end(); ++steps) {
        const Frame* frame = session.selected_frame();
        std::string text =
            frame_function_name(*frame) + ":" + std::to_string(frame->line ? frame->line->line : 0);
        for (const StackRow& row : report_stack(session.moment(), 20).rows)
            if (row.module.find("barges") != std::string::npos) text += " < " + row.function;
        for (const ValueView& view : report_locals(session.moment(), *frame).variables)
            text += " " + view.name + ":" + view.type;
        seen.push_back(text);
        stop = steps % 3 == 0   ? session.into_line()
               : steps % 3 == 1 ? session.over_line()
                                : session.continue_running();
    }
    return seen;
}

class Elsewhere : public ::testing::TestWithParam<const char*> {};

TEST_P(Elsewhere, AWalkShowsTheSameAsOnThePlainProgram) {
    std::string program = fixture(GetParam());
    if (!std::filesystem::exists(program)) GTEST_SKIP() << "not built here";
    auto plain = session_with(fixture("barges-gcc5/barges"));
    auto other = session_with(program);
    auto wanted = walk(*plain), seen = walk(*other);
    ASSERT_GE(wanted.size(), 6u);
    EXPECT_EQ(seen.size(), wanted.size());
    // _start has a name only where the linker's symbols were kept.
    for (auto* rows : {&wanted, &seen})
        for (std::string& row : *rows)
            for (const char* start : {" < _start", " < (unknown)"})
                if (std::size_t at = row.find(start); at != std::string::npos)
                    row.erase(at, std::string(start).size());
    EXPECT_EQ(seen, wanted);
}
INSTANTIATE_TEST_SUITE_P(Shapes, Elsewhere,
                         ::testing::Values("barges-linked/barges", "barges-split5/barges",
                                           "barges-types5/barges", "barges-zstd/barges",
                                           "barges-dwz/barges", "barges-shared/barges",
                                           "barges-wide5/barges", "barges-zdebug/barges"));

TEST(Elsewhere, ARebuiltProgramGetsItsNewSymbols) {
    testing::TemporaryFolder folder;
    std::string program = folder.path() / "gate";
    auto build = [&](const std::string& text) {
        auto source = folder.write("gate.c", text);
        return testing::run({"gcc", "-g", "-O0", "-o", program, source}).status;
    };
    ASSERT_EQ(build("static int open_gate(int by) {\n    int wide = by;\n    return wide;\n}\nint "
                    "main(void) { return open_gate(3); }\n"),
              0);
    auto session = session_with(program);
    session->add_breakpoint(session->place("open_gate"));
    Stop stop = session->launch_again();
    EXPECT_EQ(session->selected_frame()->line->line, 2u);
    session->kill();
    ASSERT_EQ(build("\n\n\nstatic int open_gate(int by) {\n    int wide = by;\n    return "
                    "wide;\n}\nint main(void) { return open_gate(3); }\n"),
              0);
    session->launch_again();
    EXPECT_EQ(session->selected_frame()->line->line, 5u)
        << "the breakpoint moved with its function";
    EXPECT_EQ(report_locals(session->moment(), *session->selected_frame()).variables.size(), 2u);
}

TEST(Elsewhere, WithoutTheFileItIsAProgramWithoutSymbols) {
    auto session = session_with(fixture("barges-stripped/barges"));
    EXPECT_FALSE(session->symbols().has_debug_information());
    EXPECT_THROW(session->add_breakpoint(session->place("canal::pass")), RequestError);
    EXPECT_THROW(session->add_breakpoint(session->place("barges.cpp:27")), RequestError);
}

}  // namespace
}  // namespace lantern
