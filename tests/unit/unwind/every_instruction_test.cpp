// The caller at every single instruction: the truth is what each call instruction was seen to push,
// kept beside while the program is single-stepped.
#include <gtest/gtest.h>

#include "core/machine/instruction.h"
#include "core/session/session.h"
#include "core/support/error.h"
#include "core/target/code_at.h"
#include "core/target/live_process.h"
#include "core/unwind/unwinder.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

struct PendingCall {
    RunAddress back, stack_pointer;  // where it returns to, and the stack pointer before it
};

class EveryInstruction : public ::testing::TestWithParam<std::tuple<std::string, std::string>> {};

TEST_P(EveryInstruction, HasTheCallerThatCalledIt) {
    auto [program, mode] = GetParam();
    if (program.find("clang") != std::string::npos && !HAVE_CLANG)
        GTEST_SKIP() << "clang is not here: SKIPPED";
    testing::Driven at(program);
    at.session.set_arguments({mode, "2"});
    at.session.reach(at.session.place("main"));
    LiveProcess& process = at.session.process();
    ThreadId thread = at.session.thread();
    std::vector<PendingCall> calls;
    RunAddress end_of_main = *at.session.stack().frame(0)->call_frame_address;
    unsigned compared = 0, through_linkage = 0, in_handlers = 0;
    constexpr unsigned kMostSteps = 12'000;
    for (unsigned step = 0; step < kMostSteps && process.is_alive(); ++step) {
        RunAddress pc = process.registers(thread).program_counter(),
                   sp = process.registers(thread).stack_pointer();
        auto instruction = instruction_at(process, pc);
        ASSERT_TRUE(instruction);
        TargetEvent event = process.step(thread);
        if (event.is_end()) break;
        if (event.kind == TargetEvent::Kind::signal) process.deliver(thread, event.signal);
        RunAddress now = process.registers(thread).program_counter(),
                   top = process.registers(thread).stack_pointer();
        if (top >= end_of_main) break;
        if (instruction->kind == Instruction::Kind::call && top == sp - 8)
            calls.push_back({instruction->next(), sp});
        while (!calls.empty() && top >= calls.back().stack_pointer) calls.pop_back();
        if (calls.empty()) continue;
        const Module* module = process.module_at(now);
        Unwinder walk(process, thread);
        const Frame* frame = walk.frame(0);
        // A signal handler's caller is the kernel, by way of a frame that says so; what it
        // interrupted comes behind that.
        const Frame* caller = walk.caller_of_function(*frame);
        ASSERT_TRUE(caller) << "at " << std::hex << now.value << " in "
                            << (module ? module->path() : "nowhere") << ": " << walk.why_it_ended();
        if (caller->is_signal_frame || frame->is_signal_frame) {
            ++in_handlers;
            continue;
        }
        ASSERT_EQ(caller->program_counter.value, calls.back().back.value)
            << frame_function_name(*frame) << " at " << std::hex << now.value;
        ASSERT_EQ(caller->registers.stack_pointer().value, calls.back().stack_pointer.value)
            << frame_function_name(*frame) << " at " << std::hex << now.value;
        ++compared;
        if (const Section* section =
                module ? module->symbols().elf().section_at(module->to_file(now)) : nullptr)
            through_linkage += section->name.starts_with(".plt");
    }
    EXPECT_GT(compared, mode == "signal" ? 50u : 40u);
    bool calls_through_linkage = mode == "odd" && program.find("O0") != std::string::npos;
    EXPECT_TRUE(!calls_through_linkage || through_linkage > 0)
        << "printf is reached through its stub";
}

INSTANTIATE_TEST_SUITE_P(
    Fixtures, EveryInstruction,
    ::testing::Combine(::testing::Values("machine-gcc-O0", "machine-gcc-O0-pointer",
                                         "machine-gcc-O2", "machine-gcc-O2-pointer",
                                         "machine-clang-O0", "machine-clang-O0-pointer",
                                         "machine-clang-O2", "machine-clang-O2-pointer"),
                       ::testing::Values("odd", "cycle", "signal", "tails")),
    [](const auto& info) {
        std::string name = std::get<0>(info.param) + "_" + std::get<1>(info.param);
        std::replace(name.begin(), name.end(), '-', '_');
        return name;
    });

std::vector<std::string> names_of(Session& session, unsigned most = 50) {
    std::vector<std::string> names;
    for (const Frame* frame : session.stack().frames(most))
        names.push_back(frame_function_name(*frame));
    return names;
}

TEST(OddStacks, ACallOfNothingShowsWhoCalled) {
    for (const char* program : {"machine-gcc-O0", "machine-gcc-O2"}) {
        testing::Driven at(program);
        at.session.set_arguments({"null"});
        Stop stop = at.session.launch_again();
        EXPECT_EQ(stop.reason, StopReason::signal);
        at.session.select_frame(0);
        auto names = names_of(at.session);
        ASSERT_GE(names.size(), 3u) << program;
        EXPECT_EQ(names[1], "call_nothing");
        bool has_left_by_a_jump = std::string(program).ends_with("O2");
        EXPECT_EQ(names[2] == "main", !has_left_by_a_jump) << names[2];
        EXPECT_EQ(at.session.stack().frame(1)->origin, FrameOrigin::return_address);
    }
}

TEST(OddStacks, TailCallsAreInferredFromTheOnlyWay) {
    testing::Driven at("machine-gcc-O2");
    at.session.set_arguments({"tails"});
    at.session.reach(at.session.place("innermost"));
    auto names = names_of(at.session);
    ASSERT_GE(names.size(), 5u);
    EXPECT_EQ(std::vector<std::string>(names.begin(), names.begin() + 5),
              (std::vector<std::string>{"innermost", "second", "first", "tails", "main"}));
    EXPECT_EQ(at.session.stack().frame(1)->origin, FrameOrigin::tail_call);
    EXPECT_EQ(at.session.stack().frame(2)->origin, FrameOrigin::tail_call);
    EXPECT_EQ(at.session.stack().frame(3)->origin, FrameOrigin::call_frame_information);
    // Out of it leads to the one that holds the call.
    Stop stop = at.session.out();
    EXPECT_EQ(stop.reason, StopReason::returned);
    EXPECT_EQ(frame_function_name(*at.session.selected_frame()), "tails");
    testing::Driven plain("machine-gcc-O0");
    plain.session.set_arguments({"tails"});
    plain.session.reach(plain.session.place("innermost"));
    EXPECT_EQ(plain.session.stack().frame(1)->origin, FrameOrigin::call_frame_information)
        << "they are calls there";
}

TEST(OddStacks, ASmashedStackEndsWithItsReasonAndCandidates) {
    testing::Driven at("machine-gcc-O0");
    at.session.set_arguments({"smash"});
    Stop stop = at.session.launch_again();
    EXPECT_EQ(stop.reason, StopReason::signal);
    Unwinder& stack = at.session.stack();
    EXPECT_EQ(frame_function_name(*stack.frame(0)), "run_over");
    while (stack.frames(100).size() == 100) FAIL() << "it must not go on for ever";
    EXPECT_NE(stack.why_it_ended().find("damaged"), std::string::npos) << stack.why_it_ended();
    auto candidates = stack.candidates();
    ASSERT_FALSE(candidates.empty());
    bool leads_to_library = false;
    for (const auto& each : candidates)
        leads_to_library |= at.session.target().module_at(each.leads_to) != nullptr;
    EXPECT_TRUE(leads_to_library);
}

TEST(OddStacks, CodeMadeWhileTheProgramRunsIsWalkedThrough) {
    for (const char* program : {"machine-gcc-O0", "machine-gcc-O0-pointer"}) {
        testing::Driven at(program);
        at.session.set_arguments({"made"});
        at.session.reach(at.session.place("innermost"));
        Unwinder& stack = at.session.stack();
        ASSERT_TRUE(stack.frame(3)) << stack.why_it_ended();
        EXPECT_EQ(stack.frame(1)->module, nullptr) << "nobody's code";
        EXPECT_EQ(frame_function_name(*stack.frame(2)), "call_made_code");
        EXPECT_NE(stack.frame(2)->origin, FrameOrigin::call_frame_information);
        EXPECT_EQ(frame_function_name(*stack.frame(3)), "main");
    }
}

TEST(OddStacks, CodeWithoutAnyInformationIsLookedThrough) {
    // A copy without call-frame information of its own: its frames are found otherwise, and say so.
    testing::TemporaryFolder folder;
    std::string bare = (folder.path() / "bare").string();
    ASSERT_EQ(
        testing::run({"objcopy", "--remove-section=.eh_frame", "--remove-section=.eh_frame_hdr",
                      testing::fixture("machine-gcc-O2"), bare})
            .status,
        0);
    LaunchOptions options;
    options.program = bare;
    options.arguments = {"cycle", "2"};
    options.input_file = options.output_file = "/dev/null";
    Session session(options, {});
    session.reach(session.place("innermost"));
    auto names = names_of(session, 12);
    EXPECT_NE(std::find(names.begin(), names.end(), "main"), names.end()) << "main is found";
    bool guessed = false;
    for (const Frame* frame : session.stack().frames(12))
        guessed |= frame->origin == FrameOrigin::stack_scan ||
                   frame->origin == FrameOrigin::return_address ||
                   frame->origin == FrameOrigin::frame_pointer;
    EXPECT_TRUE(guessed);
}

}  // namespace
}  // namespace lantern
