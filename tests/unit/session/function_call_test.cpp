#include <gtest/gtest.h>

#include "core/target/live_process.h"
#include "tests/testing/driven.h"

namespace lantern {
namespace {

struct Calling {
    Calling() : driven("objects-gcc") {
        driven.session.allow_calls([this](const std::string& name) {
            asked.push_back(name);
            return allowed;
        });
        driven.stop_above("canal::look_here");
    }
    bool allowed = true;
    std::vector<std::string> asked;
    testing::Driven driven;
};

// All that a call could disturb.
struct ThreadState {
    explicit ThreadState(Session& session) {
        LiveProcess& process = session.process();
        const Registers& now = process.registers(session.thread());
        for (unsigned i = 0; i <= kFlagsRegister; ++i) general.push_back(now.get(i).value_or(0));
        extended = process.extended_state(session.thread());
        stack.resize(4096 + 128);
        process.read_memory(RunAddress(now.stack_pointer().value - 4096), stack);
    }
    bool operator==(const ThreadState&) const = default;
    std::vector<std::uint64_t> general;
    std::vector<std::byte> extended, stack;
};

TEST(FunctionCall, LeavesRegistersAndStackToTheByte) {
    Calling calling;
    ThreadState before(calling.driven.session);
    for (const char* call : {"mixed(1, 2.5, 3, 4, 5, 6, 7, 8, 9.25)", "widened(wide, 10)",
                             "greeting(4)", "boom(bad)"}) {
        calling.driven.value(call);
        EXPECT_TRUE(before == ThreadState(calling.driven.session)) << call;
    }
    Stop stop = calling.driven.session.continue_running();
    EXPECT_EQ(stop.reason, StopReason::exited) << "and the program goes on as if nothing had been";
    EXPECT_EQ(stop.exit_code, 0);
}

TEST(FunctionCall, ACrashInsideIsToldAndUndone) {
    Calling calling;
    std::string said = calling.driven.value("boom(bad)");
    EXPECT_NE(said.find("boom met a fault at address 0x8 in canal::boom"), std::string::npos)
        << said;
    EXPECT_EQ(frame_function_name(*calling.driven.session.selected_frame()), "main");
    EXPECT_EQ(calling.driven.value("level"), "3");
}

TEST(FunctionCall, ABreakpointInsideIsToldAndUndone) {
    Calling calling;
    calling.driven.session.add_breakpoint(calling.driven.session.place("canal::deepened"));
    std::string said = calling.driven.value("deepened(pound, 1)");
    EXPECT_NE(said.find("deepened came to breakpoint 1 in canal::deepened"), std::string::npos)
        << said;
    calling.driven.session.drop_breakpoint(1);
    EXPECT_EQ(calling.driven.value("deepened(pound, 1).depth"), "2.5");
}

TEST(FunctionCall, IsOnlyDoneWhenTheUserSaysSo) {
    Calling calling;
    calling.allowed = false;
    EXPECT_EQ(calling.driven.value("boat.twice()"), "twice was not called");
    EXPECT_EQ(calling.asked, std::vector<std::string>{"twice"});
    calling.driven.session.allow_calls(nullptr);
    EXPECT_NE(calling.driven.value("boat.twice()").find("unless you allow it"), std::string::npos);
}

TEST(FunctionCall, WrongArgumentsAreRefusedBeforeAnythingRuns) {
    Calling calling;
    EXPECT_NE(calling.driven.value("boom(bad, 2)").find("takes 1 argument, and 2 are given"),
              std::string::npos)
        << calling.driven.value("boom(bad, 2)");
    EXPECT_NE(calling.driven.value("deepened(level, 1)").find("cannot become"), std::string::npos);
    EXPECT_NE(calling.driven.value("level(3)").find("is no function"), std::string::npos);
    EXPECT_TRUE(calling.asked.empty());
}

TEST(Change, WritesEveryKindOfPlaceAndChecksWhatFits) {
    testing::Driven driven("objects-gcc");
    driven.stop_above("canal::look_here");
    auto change = [&](const char* place, const char* value) -> std::string {
        try {
            driven.session.assign(place, value);
            return driven.value(place);
        } catch (const Error& error) {
            return error.what();
        }
    };
    EXPECT_EQ(change("numbers[1]", "99"), "99");
    EXPECT_EQ(driven.value("numbers"), "{5, 99, 7, 8}");
    EXPECT_EQ(change("tolls[\"Wren\"]", "13"), "13");
    EXPECT_EQ(change("light", "Light::red"), "red (0)");
    change("level_again", "8");  // through the reference
    EXPECT_EQ(driven.value("level_again * 1"), "8");
    EXPECT_EQ(change("pound.depth", "2"), "2.0");
    EXPECT_EQ(change("text", "\"Teal\""), "\"Teal\"");
    EXPECT_NE(change("text", "\"Kingfisher\"").find("as many characters"), std::string::npos);
    EXPECT_NE(change("numbers[1]", "99999999999").find("does not fit 32 bits"), std::string::npos);
    EXPECT_NE(change("two", "four.first").find("cannot become"), std::string::npos);
    EXPECT_NE(change("level + 1", "3").find("only something that lives in memory"),
              std::string::npos);
    driven.session.select_frame(0);
    EXPECT_EQ(change("%xmm3[1]", "2.5"), "2.5") << "a lane of a vector register";
    EXPECT_EQ(change("%rbx", "17"), "17");
}

TEST(Change, OfBitFieldsKeepsTheirNeighboursAndConstantsWarn) {
    testing::Driven driven("values-gcc");
    driven.stop_above("look_here");
    driven.session.select_frame(2);
    EXPECT_EQ(driven.session.assign("sluice.drift", "-3").warning, "");
    EXPECT_EQ(driven.value("sluice"), "{open_cm = 93, drift = -3, serial = 737894404660}");
    EXPECT_THROW(driven.session.assign("sluice.open_cm", "128"), ExpressionError) << "seven bits";
    std::string warning = driven.session.assign("fixed_depth", "311").warning;
    EXPECT_NE(warning.find("may only read"), std::string::npos) << warning;
    EXPECT_EQ(driven.value("fixed_depth"), "311");
}

}  // namespace
}  // namespace lantern
