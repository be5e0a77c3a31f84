// What the analysis says of registers, held against programs that are single-stepped: each register
// that an instruction changed is among those that it is said to write, and each value that it read
// was last written by a definition that is said to reach it.
#include "core/code/dataflow.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <memory>
#include <set>

#include "core/machine/registers.h"
#include "core/session/session.h"
#include "core/target/live_process.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

constexpr std::uint32_t kOutside = ~std::uint32_t{0};

struct Analysis {
    Analysis(const ModuleSymbols& symbols, const Function& function)
        : flow(symbols, function), blocks(flow), data(blocks, symbols) {}
    FlowGraph flow;
    Blocks blocks;
    Dataflow data;
};

// A function that runs: who wrote each register last in it.
struct Activation {
    const Function* function = nullptr;
    RunAddress stack;  // above its return address
    std::map<unsigned, std::uint32_t> last;
    std::uint32_t writer(unsigned number) const {
        auto found = last.find(number);
        return found == last.end() ? kOutside : found->second;
    }
};

std::vector<unsigned> numbers_of(RegisterSet set) {
    std::vector<unsigned> numbers;
    for (unsigned number = 0; number < 126; ++number)
        if (RegisterSet::can_hold(number) && set.has(number)) numbers.push_back(number);
    return numbers;
}

class Stepped : public ::testing::TestWithParam<const char*> {
  protected:
    const Analysis& analysis_of(const ModuleSymbols& symbols, const Function& function) {
        auto& slot = known_[&function];
        if (!slot) slot = std::make_unique<Analysis>(symbols, function);
        return *slot;
    }
    // Of the instruction that is about to run.
    void check_reads(const Analysis& analysis, const Activation& activation, std::uint32_t node) {
        if (!asked_.insert({activation.function, node, activation.last}).second) return;
        for (unsigned number : numbers_of(analysis.data.effects_of(node).reads)) {
            auto reaching = analysis.data.reaching(node, number);
            std::uint32_t writer = activation.writer(number);
            bool is_told = writer == kOutside ? reaching.from_outside
                                              : std::count(reaching.nodes.begin(),
                                                           reaching.nodes.end(), writer) != 0;
            EXPECT_TRUE(is_told)
                << activation.function->name << std::hex << " at "
                << analysis.flow.nodes()[node].address.value << ": register " << std::dec << number
                << " was written last "
                << (writer == kOutside
                        ? "outside"
                        : fmt::format("at {:#x}", analysis.flow.nodes()[writer].address.value));
            EXPECT_TRUE(analysis.data.live_before(node).has(number))
                << "what it reads is needed before it";
            if (writer != kOutside) {
                auto uses = analysis.data.uses_of(writer, number);
                EXPECT_TRUE(std::count(uses.nodes.begin(), uses.nodes.end(), node))
                    << "the use of it is told at the definition";
            }
            ++compared_;
        }
    }

    std::map<const Function*, std::unique_ptr<Analysis>> known_;
    std::set<std::tuple<const Function*, std::uint32_t, std::map<unsigned, std::uint32_t>>> asked_;
    unsigned compared_ = 0, changes_ = 0;
};

TEST_P(Stepped, RegistersChangeAsItIsSaid) {
    std::string program = GetParam();
    if (program.find("clang") != std::string::npos && !HAVE_CLANG)
        GTEST_SKIP() << "clang is not here: SKIPPED";
    if (program.find("rs") != std::string::npos && !HAVE_RUST)
        GTEST_SKIP() << "rustc is not here: SKIPPED";
    testing::Driven at(program);
    at.session.reach(
        at.session.place(program.find("-rs") == std::string::npos ? "main" : "day::main"));
    LiveProcess& process = at.session.process();
    ThreadId thread = at.session.thread();
    const Module& main = process.main_module();
    std::vector<Activation> stack;
    constexpr unsigned kMostSteps = 60'000;
    for (unsigned step = 0; step < kMostSteps && process.is_alive() && !HasFailure(); ++step) {
        Registers before = process.registers(thread);
        VectorRegisters vectors = process.vector_registers(thread);
        RunAddress pc = before.program_counter(), top = before.stack_pointer();
        while (!stack.empty() && top >= stack.back().stack) stack.pop_back();
        const Function* function =
            process.module_at(pc) == &main ? main.symbols().function_at(main.to_file(pc)) : nullptr;
        const Analysis* analysis = function ? &analysis_of(main.symbols(), *function) : nullptr;
        std::uint32_t node = analysis ? analysis->flow.at(main.to_file(pc)) : FlowGraph::kNone;
        bool is_known =
            node != FlowGraph::kNone && (analysis->flow.entry() == node ||
                                         (!stack.empty() && stack.back().function == function));
        if (is_known && (stack.empty() || stack.back().function != function ||
                         analysis->flow.entry() == node)) {
            bool is_loop_to_entry = !stack.empty() && stack.back().function == function &&
                                    stack.back().stack == top + 8;
            if (!is_loop_to_entry) {
                while (!stack.empty() && stack.back().stack <= top + 8)
                    stack.pop_back();  // it took another's place by a jump
                stack.push_back({function, top + 8, {}});
            }
        }
        if (is_known) {
            if (analysis->blocks.all()[analysis->blocks.of_node(node)].is_entry &&
                analysis->flow.nodes()[node].address != function->low() &&
                analysis->blocks.all()[analysis->blocks.of_node(node)].first == node)
                stack.back()
                    .last.clear();  // a handler: what unwound the stack has set the registers
            check_reads(*analysis, stack.back(), node);
        }
        TargetEvent event = process.step(thread);
        if (event.is_end()) break;
        ASSERT_EQ(event.kind, TargetEvent::Kind::stepped);
        if (!is_known) continue;
        const RegisterEffects& effects = analysis->data.effects_of(node);
        Registers after = process.registers(thread);
        const VectorRegisters& vectors_after = process.vector_registers(thread);
        for (unsigned number = 0; number < kProgramCounterNumber; ++number) {
            if (before.get(number) == after.get(number)) continue;
            ++changes_;
            EXPECT_TRUE(effects.writes.has(number))
                << function->name << std::hex << " at " << pc.value << " changed register "
                << std::dec << number;
        }
        constexpr std::uint64_t kStatus =
            0x8d5;  // without the processor's own flag of being stepped
        bool flags_changed =
            ((*before.get(kFlagsRegister) ^ *after.get(kFlagsRegister)) & kStatus) != 0;
        EXPECT_TRUE(!flags_changed || effects.writes.has(kFlagsRegister))
            << std::hex << pc.value << " changed the flags";
        for (unsigned number = 0; number < kVectorRegisters; ++number) {
            if (vectors.vectors[number] == vectors_after.vectors[number]) continue;
            ++changes_;
            EXPECT_TRUE(effects.writes.has(kFirstVectorRegister + number))
                << std::hex << pc.value << " changed vector register " << std::dec << number;
        }
        for (unsigned number : numbers_of(effects.writes)) stack.back().last[number] = node;
    }
    EXPECT_GT(compared_, 80u);
    EXPECT_GT(changes_, 30u);
}

INSTANTIATE_TEST_SUITE_P(Days, Stepped,
                         ::testing::Values("day-c-gcc-Og", "day-c-gcc-O1", "day-c-gcc-O2",
                                           "day-c-gcc-O3", "day-c-clang-O1", "day-c-clang-O2",
                                           "day-c-clang-O3", "day-cpp-gcc-O2", "day-cpp-gcc-O3",
                                           "day-cpp-clang-O2", "day-rs-2", "day-rs-3"),
                         [](const auto& info) {
                             std::string name = info.param;
                             std::replace(name.begin(), name.end(), '-', '_');
                             return name;
                         });

}  // namespace
}  // namespace lantern
