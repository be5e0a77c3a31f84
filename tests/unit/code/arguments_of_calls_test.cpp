// What a call's registers are known to hold: since the function was entered, or copied from one
// that has been written since.
#include <gtest/gtest.h>

#include "core/code/call_argument.h"
#include "core/code/since_entry.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

constexpr unsigned kSumRegister = 0, kRcx = 2, kCopied = 3, kRsi = 4, kRdi = 5,
                   kXmm0 = 17;  // DWARF numbers

struct Called {
    Called(const std::string& program, const char* name)
        : symbols(testing::fixture(program)),
          code(kept_code(symbols, *symbols.functions_named(name).front())) {
        for (std::uint32_t node = 0; node < code.flow().nodes().size(); ++node)
            if (code.flow().nodes()[node].kind == Instruction::Kind::call) calls.push_back(node);
    }
    ModuleSymbols symbols;
    KeptCode& code;
    std::vector<std::uint32_t> calls;
};

TEST(ArgumentsOfCalls, ACopyOfARegisterThatIsWrittenAgainIsOfWhatIsGone) {
    Called copies("across-gcc-O0", "give_copies");
    ASSERT_EQ(copies.calls.size(), 3u);
    auto gone = call_argument(copies.code, copies.calls[0], kRcx);
    ASSERT_TRUE(gone);
    EXPECT_EQ(gone->copied, kCopied);
    EXPECT_TRUE(gone->is_gone);
    auto constant = call_argument(copies.code, copies.calls[0], kCopied);
    ASSERT_TRUE(constant);
    EXPECT_FALSE(constant->copied);
    EXPECT_EQ(constant->plus, 7u);
    auto sum = call_argument(copies.code, copies.calls[0], kRdi);
    ASSERT_TRUE(sum);
    EXPECT_EQ(sum->copied, kCopied);
    EXPECT_EQ(sum->plus, 8u);
    EXPECT_FALSE(sum->is_gone);
    auto held = call_argument(copies.code, copies.calls[1], kRcx);
    ASSERT_TRUE(held);
    EXPECT_EQ(held->copied, kCopied);
    EXPECT_FALSE(held->is_gone) << "it still holds it";
    EXPECT_FALSE(call_argument(copies.code, copies.calls[1], kSumRegister)) << "behind a call";
    auto itself = call_argument(copies.code, copies.calls[2], kCopied);
    ASSERT_TRUE(itself);
    EXPECT_TRUE(itself->is_gone) << "the sum stands in the register that it is made of";
}

TEST(ArgumentsOfCalls, ARegisterHoldsSinceEntryUntilItIsWrittenOrSomethingIsCalled) {
    Called weigh("across-gcc-O2", "weigh");
    ASSERT_EQ(weigh.calls.size(), 2u);
    EXPECT_TRUE(holds_since_entry(weigh.code, weigh.calls[0], kRdi));
    EXPECT_TRUE(holds_since_entry(weigh.code, weigh.calls[0], kRsi));
    EXPECT_FALSE(holds_since_entry(weigh.code, weigh.calls[0], kSumRegister))
        << "a sum is made in it";
    EXPECT_FALSE(holds_since_entry(weigh.code, weigh.calls[1], kRdi)) << "the call may lose it";
    EXPECT_FALSE(holds_since_entry(weigh.code, FlowGraph::kNone, kRdi));
}

TEST(ArgumentsOfCalls, ASumWithWhatLiesInMemoryIsMoreThanThat) {
    Called main("sums-clang-O2", "main");
    ASSERT_EQ(main.calls.size(), 6u);
    std::uint32_t with_sums = main.calls[4], with_one = main.calls[5];
    EXPECT_TRUE(is_computed_from_memory(main.code, with_sums, kXmm0)) << "addss";
    EXPECT_TRUE(is_computed_from_memory(main.code, with_sums, kRdi)) << "add";
    EXPECT_TRUE(is_computed_from_memory(main.code, with_one, kXmm0)) << "subss";
    EXPECT_FALSE(is_computed_from_memory(main.code, with_one, kRdi)) << "mov";
    EXPECT_FALSE(is_computed_from_memory(main.code, with_one, kRsi)) << "nothing makes it";
    EXPECT_FALSE(is_computed_from_memory(main.code, FlowGraph::kNone, kRdi));
}

}  // namespace
}  // namespace lantern
