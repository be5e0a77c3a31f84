#include "core/unwind/unwinder.h"

#include <gtest/gtest.h>

#include "core/session/session.h"
#include "core/support/error.h"
#include "core/unwind/frame_context.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

class WalkedStack : public ::testing::TestWithParam<const char*> {};

// The program prints, from inside, where each function returns to and where its frame lies.
TEST_P(WalkedStack, IsTheOneTheProgramSeesFromInside) {
    std::string name = GetParam();
    if (name == "frames-clang" && !HAVE_CLANG) GTEST_SKIP() << "clang is not here";
    testing::TemporaryFolder folder;
    LaunchOptions options;
    options.program = testing::fixture(name);
    options.input_file = "/dev/null";
    options.output_file = folder.path() / "printed";
    Session session(options, {});
    session.reach(session.place("frames.c:13"));  // after it has printed
    auto facts = testing::printed_facts(folder.read("printed"));
    ASSERT_TRUE(facts.count("outer_returns_to")) << folder.read("printed");

    Unwinder& stack = session.stack();
    std::vector<std::string> walked;
    bool through_signal = false;
    for (unsigned level = 0; const Frame* frame = stack.frame(level); ++level) {
        std::string function = frame_function_name(*frame);
        walked.push_back(function);
        through_signal |= frame->is_signal_frame;
        if (level == 0) {
            EXPECT_EQ(frame->origin, FrameOrigin::innermost);
            EXPECT_EQ(frame->lookup_address, frame->program_counter);
        }
        const Frame* caller = stack.frame(level + 1);
        if (!caller || !facts.count(function + "_returns_to")) continue;
        EXPECT_EQ(caller->program_counter.value,
                  std::stoull(facts[function + "_returns_to"], nullptr, 16))
            << function;
        EXPECT_EQ(caller->origin, FrameOrigin::call_frame_information) << function;
        bool has_frame_pointer = name == "frames-gcc" || name == "frames-clang";
        // The frame address is where the caller's frame pointer was pushed: two words below the
        // call frame address.
        if (has_frame_pointer) {
            EXPECT_EQ(frame->call_frame_address->value,
                      std::stoull(facts[function + "_frame"], nullptr, 16) + 16)
                << function;
        }
    }
    std::vector<std::string> own;
    for (const std::string& function : walked)
        for (const char* known : {"innermost", "on_signal", "middle", "outer", "main"})
            if (function == known) own.push_back(function);
    EXPECT_EQ(own, (std::vector<std::string>{"innermost", "on_signal", "middle", "outer", "main"}));
    EXPECT_TRUE(through_signal);
    EXPECT_TRUE(stack.why_it_ended().empty()) << stack.why_it_ended();
}

INSTANTIATE_TEST_SUITE_P(Builds, WalkedStack,
                         ::testing::Values("frames-gcc", "frames-clang", "frames-O2",
                                           "frames-debugframe"));

TEST(DebugFrame, IsAllThatFixtureHas) {
    auto sections = testing::run({"readelf", "-S", "-W", testing::fixture("frames-debugframe")});
    EXPECT_TRUE(sections.says(".debug_frame"));
    ElfFile file(testing::fixture("frames-debugframe"));
    ModuleSymbols symbols(testing::fixture("frames-debugframe"));
    FileAddress middle = symbols.symbol_table().named("middle")->address;
    dwarf::CallFrameInformation eh_frame(file.bytes(".eh_frame"),
                                         file.section(".eh_frame")->address,
                                         dwarf::CallFrameInformation::Flavour::eh_frame);
    EXPECT_FALSE(eh_frame.describe(middle)) << "the test would not test .debug_frame";
    EXPECT_TRUE(symbols.frame_description(middle));
}

TEST(FrameContext, AnswersForItsFrameOnly) {
    LaunchOptions options;
    options.program = testing::fixture("frames-gcc");
    options.input_file = options.output_file = "/dev/null";
    Session session(options, {});
    session.reach(session.place("innermost"));
    const Frame& inner = *session.stack().frame(0);
    const Frame& outer = *session.stack().frame(1);
    FrameContext in(session.target(), inner), out(session.target(), outer);
    EXPECT_EQ(in.call_frame_address(), inner.call_frame_address->value);
    EXPECT_NE(in.frame_base(), out.frame_base());
    EXPECT_EQ(in.register_value(kStackPointerNumber), inner.registers.stack_pointer().value);
    EXPECT_EQ(out.register_value(kStackPointerNumber), inner.call_frame_address->value)
        << "the caller's stack starts where this frame ends";
    EXPECT_TRUE(in.register_value(2).has_value());
    EXPECT_FALSE(out.register_value(2).has_value()) << "a register that a call does not keep";
    EXPECT_THROW(in.read_memory(0, 8), MemoryError);
}

TEST(Unwinder, ADamagedStackEndsWithAReason) {
    LaunchOptions options;
    options.program = testing::fixture("frames-gcc");
    options.input_file = options.output_file = "/dev/null";
    Session session(options, {});
    session.reach(session.place("middle"));
    RunAddress cfa = *session.stack().frame(0)->call_frame_address;
    std::uint64_t nonsense = 0x4141414141414141;
    session.target().write_memory(cfa - 8,
                                  std::as_bytes(std::span(&nonsense, 1)));  // the return address
    Unwinder walk(session.target(), session.thread());
    EXPECT_EQ(walk.frames(100).size(), 1u);
    EXPECT_NE(walk.why_it_ended().find("leads nowhere: the stack is damaged"), std::string::npos)
        << walk.why_it_ended();
}

}  // namespace
}  // namespace lantern
