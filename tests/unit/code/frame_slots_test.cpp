// What is said of a frame's slots, held against programs that are single-stepped: an operand lies
// where it is said to, and what it reads was last written by a store that is said to reach it.
#include "core/code/frame_slots.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <map>

#include "core/code/function_code.h"
#include "core/session/session.h"
#include "core/target/live_process.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

// A function that runs.
struct SteppedActivation {
    const Function* function = nullptr;
    const FunctionCode* code = nullptr;
    std::uint64_t frame = 0;  // its call frame address
    unsigned number = 0;
};
struct Writer {
    unsigned activation = 0;  // 0: code that is not looked at
    std::uint32_t node = 0;
};

class Slots : public ::testing::TestWithParam<const char*> {
  protected:
    const FunctionCode& code_of(const ModuleSymbols& symbols, const Function& function) {
        auto& slot = known_[&function];
        if (!slot) slot = std::make_unique<FunctionCode>(symbols, function);
        return *slot;
    }

    void check(const SteppedActivation& running, std::uint32_t node, const MemoryAccess& access,
               std::uint64_t address) {
        auto slot = running.code->slots.slot_of(node, access);
        if (!slot) return;
        EXPECT_EQ(running.frame + static_cast<std::uint64_t>(*slot), address)
            << running.function->name << std::hex << " " << running.code->node(node).address.value;
        ++placed_;
        if (!access.reads || access.writes) return;
        auto stores = running.code->slots.reaching(node, *slot, access.size,
                                                   FrameSlots::any_object_with(*slot, access.size));
        if (stores.may_be_others) return;
        auto found = writers_.find(address);
        bool is_own = found != writers_.end() && found->second.activation == running.number;
        bool is_told = is_own ? std::ranges::count(stores.nodes, found->second.node) != 0
                              : stores.from_outside;
        EXPECT_TRUE(is_told) << running.function->name << std::hex << " "
                             << running.code->node(node).address.value;
        compared_ += is_own;
    }

    std::map<const Function*, std::unique_ptr<FunctionCode>> known_;
    std::map<std::uint64_t, Writer> writers_;  // of each byte
    unsigned placed_ = 0, compared_ = 0;
};

TEST_P(Slots, HoldWhatTheStoresPutThere) {
    std::string program = GetParam();
    if (program.find("clang") != std::string::npos && !HAVE_CLANG)
        GTEST_SKIP() << "clang is not here: SKIPPED";
    testing::Driven at(program);
    at.session.reach(at.session.place("main"));
    LiveProcess& process = at.session.process();
    ThreadId thread = at.session.thread();
    const Module& main = process.main_module();
    std::vector<SteppedActivation> stack;
    unsigned activations = 0;
    constexpr unsigned kMostSteps = 30'000;
    for (unsigned step = 0; step < kMostSteps && process.is_alive() && !HasFailure(); ++step) {
        Registers registers = process.registers(thread);
        RunAddress pc = registers.program_counter();
        std::uint64_t top = registers.stack_pointer().value;
        while (!stack.empty() && top >= stack.back().frame) stack.pop_back();
        const Function* function =
            process.module_at(pc) == &main ? main.symbols().function_at(main.to_file(pc)) : nullptr;
        if (function && main.to_file(pc) == function->low()) {
            while (!stack.empty() && stack.back().frame <= top + 8) stack.pop_back();
            stack.push_back(
                {function, &code_of(main.symbols(), *function), top + 8, ++activations});
        }
        bool is_known = function && !stack.empty() && stack.back().function == function;
        std::uint32_t node =
            is_known ? stack.back().code->flow.at(main.to_file(pc)) : FlowGraph::kNone;
        is_known = node != FlowGraph::kNone;
        std::byte bytes[kLongestInstruction];
        auto effects = effects_of(ByteSpan(bytes, process.read_available(pc, bytes)));
        auto instruction = decode_instruction(bytes, pc);
        ASSERT_TRUE(effects && instruction);
        for (const MemoryAccess& access : effects->memory) {
            auto address = accessed_address(access, registers, instruction->next());
            if (!address || access.is_implied) continue;
            if (is_known) check(stack.back(), node, access, *address);
            for (unsigned i = 0; access.writes && i < access.size; ++i)
                writers_[*address + i] =
                    is_known ? Writer{stack.back().number, node} : Writer{0, 0};
        }
        TargetEvent event = process.step(thread);
        if (event.is_end()) break;
        ASSERT_EQ(event.kind, TargetEvent::Kind::stepped);
    }
    EXPECT_GT(placed_, 20u);
    EXPECT_GT(compared_, 10u);
}

INSTANTIATE_TEST_SUITE_P(Builds, Slots,
                         ::testing::Values("failures-gcc-O0", "failures-clang-O0",
                                           "returned-c-gcc-O0", "returned-cpp-gcc-O0",
                                           "day-cpp-gcc-O2", "day-cpp-gcc-O3", "day-cpp-clang-O2"),
                         [](const auto& info) {
                             std::string name = info.param;
                             std::replace(name.begin(), name.end(), '-', '_');
                             return name;
                         });

}  // namespace
}  // namespace lantern
