// Whole programs walked from main to their end in every way there is. However they are walked, they
// print what they print alone and end as they end alone; and a walk by lines never runs away.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/session/session.h"
#include "core/support/error.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"

namespace lantern {
namespace {

struct Subject {
    const char* program;
    const char* argument;
    int status;
};

void PrintTo(const Subject& subject, std::ostream* out) {
    *out << subject.program << " " << subject.argument;
}

// Without what differs from run to run: addresses.
std::string comparable(const std::string& output) {
    std::string kept;
    for (const std::string& line : testing::lines_of(output))
        if (line.find("0x") == std::string::npos) kept += line + "\n";
    return kept;
}

class Walk : public ::testing::TestWithParam<Subject> {
  public:
    void SetUp() override {
        std::string name = GetParam().program;
        if (name.find("clang") != std::string::npos && !HAVE_CLANG)
            GTEST_SKIP() << "clang is not here";
        if (name.find("rust") != std::string::npos && !HAVE_RUST)
            GTEST_SKIP() << "rustc is not here";
        std::vector<std::string> words{testing::fixture(name)};
        if (*GetParam().argument) words.push_back(GetParam().argument);
        auto alone = testing::run(words);
        ASSERT_EQ(alone.status, GetParam().status);
        alone_ = comparable(alone.output);
    }

    std::unique_ptr<Session> start() {
        LaunchOptions options;
        options.program = testing::fixture(GetParam().program);
        if (*GetParam().argument) options.arguments = {GetParam().argument};
        options.input_file = "/dev/null";
        options.output_file = folder_.path() / "output";
        return std::make_unique<Session>(options, std::vector<SourceMapping>{});
    }

    void expect_unharmed(const Stop& end) {
        EXPECT_EQ(end.reason, StopReason::exited);
        EXPECT_EQ(end.exit_code, GetParam().status);
        EXPECT_EQ(comparable(folder_.read("output")), alone_);
    }

    // Moves until the program ends; each stop on the way is looked at.
    template <class Move, class Look>
    Stop walk(Session& session, unsigned most, Move move, Look look) {
        Stop stop = session.last_stop();
        for (unsigned steps = 0; !stop.is_end(); ++steps) {
            if (steps == most) {
                ADD_FAILURE() << "still walking after " << most << " steps, in "
                              << frame_function_name(*session.selected_frame());
                break;
            }
            look();
            stop = move();
        }
        return stop;
    }

  protected:
    testing::TemporaryFolder folder_;
    std::string alone_;
};

TEST_P(Walk, OverEveryLine) {
    auto session = start();
    session->reach(session->place("main"));
    std::set<std::string> functions;
    unsigned steps = 0;
    Stop end = walk(
        *session, 3000, [&] { return session->over_line(); },
        [&] {
            const Frame* frame = session->selected_frame();
            ASSERT_TRUE(frame->line) << "a step ends where there is source";
            functions.insert(frame->function->name);
            ++steps;
        });
    expect_unharmed(end);
    EXPECT_GE(steps, 2u);
    // Rust's own start has source too, and main returns into it.
    bool is_rust = std::string(GetParam().program).find("rust") != std::string::npos;
    EXPECT_TRUE(is_rust || functions.size() == 1) << "over does not go into functions";
}

TEST_P(Walk, IntoEveryFunction) {
    auto session = start();
    session->reach(session->place("main"));
    std::set<std::string> functions;
    Stop end = walk(
        *session, 6000, [&] { return session->into_line(); },
        [&] {
            const Frame* frame = session->selected_frame();
            ASSERT_TRUE(frame->line);
            functions.insert(frame_function_name(*frame));
        });
    expect_unharmed(end);
    std::string name = GetParam().program;
    bool has_functions_of_its_own =
        name.find("O2") == std::string::npos && name.find("trouble") == std::string::npos;
    EXPECT_TRUE(!has_functions_of_its_own || functions.size() >= 3) << name;
}

TEST_P(Walk, WithABreakpointOnEveryLine) {
    auto session = start();
    session->reach(session->place("main"));
    std::string file = session->current_file();
    unsigned set = 0;
    for (std::uint32_t line = 1; line < 120; ++line) {
        try {
            session->add_breakpoint(session->place(fmt::format("{}:{}", file, line)));
            ++set;
        } catch (
            const RequestError&) {  // no code on that line, or it shares its place with another
        }
    }
    EXPECT_GE(set, 3u);
    unsigned stops = 0;
    Stop end = walk(
        *session, 20000, [&] { return session->continue_running(); },
        [&] {
            const Stop& stop = session->last_stop();
            if (stop.reason != StopReason::breakpoint) return;
            ++stops;
            RunAddress here = session->selected_frame()->program_counter;
            for (unsigned number : stop.breakpoints) {
                bool at_site = false;
                for (const Breakpoint& breakpoint : session->breakpoints())
                    for (const Breakpoint::Site& site : breakpoint.sites)
                        at_site |= breakpoint.number == number && site.address == here;
                EXPECT_TRUE(at_site);
            }
        });
    expect_unharmed(end);
    EXPECT_GE(stops, 2u);
    std::uint64_t hits = 0;
    for (const Breakpoint& breakpoint : session->breakpoints()) hits += breakpoint.counts->hits;
    EXPECT_GE(hits, stops);
}

TEST_P(Walk, OutOfEveryFunctionThatIsEntered) {
    auto session = start();
    std::vector<std::string> names;
    for (const Function& function : testing::functions_in(session->symbols()))
        if (function.has_code() &&
            function.unit->root().name.find("tests/programs/") != std::string_view::npos &&
            function.name.find("main") == std::string::npos)
            names.push_back(function.name);
    unsigned returned = 0;
    for (const std::string& name : names) {
        if (session->is_running()) session->kill();
        Stop stop;
        try {
            stop = session->reach(session->place(name));
        } catch (const RequestError&) {
            continue;
        }
        if (stop.reason != StopReason::reached) continue;  // this run does not come there
        RunAddress before = *session->stack().frame(0)->call_frame_address;
        std::string inside = frame_function_name(*session->stack().frame(0));
        if (session->stack().frame(0)->inlined) continue;
        stop = session->out();
        if (stop.is_end()) continue;
        if (stop.reason != StopReason::returned) continue;  // something else stopped it on the way
        EXPECT_GT(*session->stack().frame(0)->call_frame_address, before) << inside;
        ASSERT_TRUE(stop.returned);
        EXPECT_EQ(stop.returned->function, inside);
        ++returned;
    }
    std::string program = GetParam().program;
    if (program.find("O2") == std::string::npos) {
        EXPECT_GE(returned, 1u);
    }
}

INSTANTIATE_TEST_SUITE_P(
    Programs, Walk,
    ::testing::Values(Subject{"locks-gcc-O0-dwarf5-pie", "", 3},
                      Subject{"locks-gcc-O2-dwarf5-pie", "", 3},
                      Subject{"locks-gcc-O2-dwarf4-nopie", "", 3},
                      Subject{"locks-clang-O0-dwarf5-pie", "", 3},
                      Subject{"locks-clang-O2-dwarf5-nopie", "", 3}, Subject{"locks-static", "", 3},
                      Subject{"returns-gcc", "", 0}, Subject{"returns-clang", "", 0},
                      Subject{"frames-gcc", "", 0}, Subject{"frames-O2", "", 0},
                      Subject{"trouble-gcc", "threads", 12}, Subject{"trouble-gcc", "fork", 7},
                      Subject{"trouble-O2", "threads", 12}, Subject{"barges-dwarf5", "", 0},
                      Subject{"barges-rust", "", 0}));

}  // namespace
}  // namespace lantern
