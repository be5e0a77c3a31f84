#include <gtest/gtest.h>
#include "core/target/live_process.h"

#include "core/target/live_process.h"
#include "tests/testing/driven.h"
#include "core/target/live_process.h"

#include "core/target/live_process.h"
namespace lantern {
#include "core/target/live_process.h"
namespace {
#include "core/target/live_process.h"

#include "core/target/live_process.h"
struct Calling {
#include "core/target/live_process.h"
    Calling() : driven("objects-gcc") {
#include "core/target/live_process.h"
        driven.session.may_call = [this](const std::string& name) {
#include "core/target/live_process.h"
            asked.push_back(name);
#include "core/target/live_process.h"
            return allowed;
#include "core/target/live_process.h"
        };
#include "core/target/live_process.h"
        driven.stop_above("canal::look_here");
#include "core/target/live_process.h"
    }
#include "core/target/live_process.h"
    bool allowed = true;
#include "core/target/live_process.h"
    std::vector<std::string> asked;
#include "core/target/live_process.h"
    testing::Driven driven;
#include "core/target/live_process.h"
};
#include "core/target/live_process.h"

#include "core/target/live_process.h"
// All that a call could disturb.
#include "core/target/live_process.h"
struct ThreadState {
#include "core/target/live_process.h"
    explicit ThreadState(Session& session) {
#include "core/target/live_process.h"
        LiveProcess& process = session.process();
#include "core/target/live_process.h"
        const Registers& now = process.registers(session.thread());
#include "core/target/live_process.h"
        for (unsigned i = 0; i <= kFlagsRegister; ++i) general.push_back(now.get(i).value_or(0));
#include "core/target/live_process.h"
        extended = process.extended_state(session.thread());
#include "core/target/live_process.h"
        stack.resize(4096 + 128);
#include "core/target/live_process.h"
        process.read_memory(RunAddress(now.stack_pointer().value - 4096), stack);
#include "core/target/live_process.h"
    }
#include "core/target/live_process.h"
    bool operator==(const ThreadState&) const = default;
#include "core/target/live_process.h"
    std::vector<std::uint64_t> general;
#include "core/target/live_process.h"
    std::vector<std::byte> extended, stack;
#include "core/target/live_process.h"
};
#include "core/target/live_process.h"

#include "core/target/live_process.h"
TEST(FunctionCall, LeavesRegistersAndStackToTheByte) {
#include "core/target/live_process.h"
    Calling calling;
#include "core/target/live_process.h"
    ThreadState before(calling.driven.session);
#include "core/target/live_process.h"
    for (const char* call : {"mixed(1, 2.5, 3, 4, 5, 6, 7, 8, 9.25)", "widened(wide, 10)", "greeting(4)", "boom(bad)"}) {
#include "core/target/live_process.h"
        calling.driven.value(call);
#include "core/target/live_process.h"
        EXPECT_TRUE(before == ThreadState(calling.driven.session)) << call;
#include "core/target/live_process.h"
    }
#include "core/target/live_process.h"
    Stop stop = calling.driven.session.continue_running();
#include "core/target/live_process.h"
    EXPECT_EQ(stop.reason, StopReason::exited) << "and the program goes on as if nothing had been";
#include "core/target/live_process.h"
    EXPECT_EQ(stop.exit_code, 0);
#include "core/target/live_process.h"
}
#include "core/target/live_process.h"

#include "core/target/live_process.h"
TEST(FunctionCall, ACrashInsideIsToldAndUndone) {
#include "core/target/live_process.h"
    Calling calling;
#include "core/target/live_process.h"
    std::string said = calling.driven.value("boom(bad)");
#include "core/target/live_process.h"
    EXPECT_NE(said.find("boom met a fault at address 0x8 in canal::boom"), std::string::npos) << said;
#include "core/target/live_process.h"
    EXPECT_EQ(frame_function_name(*calling.driven.session.selected_frame()), "main");
#include "core/target/live_process.h"
    EXPECT_EQ(calling.driven.value("level"), "3");
#include "core/target/live_process.h"
}
#include "core/target/live_process.h"

#include "core/target/live_process.h"
TEST(FunctionCall, ABreakpointInsideIsToldAndUndone) {
#include "core/target/live_process.h"
    Calling calling;
#include "core/target/live_process.h"
    calling.driven.session.add_breakpoint(calling.driven.session.place("canal::deepened"));
#include "core/target/live_process.h"
    std::string said = calling.driven.value("deepened(pound, 1)");
#include "core/target/live_process.h"
    EXPECT_NE(said.find("deepened came to breakpoint 1 in canal::deepened"), std::string::npos) << said;
#include "core/target/live_process.h"
    calling.driven.session.drop_breakpoint(1);
#include "core/target/live_process.h"
    EXPECT_EQ(calling.driven.value("deepened(pound, 1).depth"), "2.5");
#include "core/target/live_process.h"
}
#include "core/target/live_process.h"

#include "core/target/live_process.h"
TEST(FunctionCall, IsOnlyDoneWhenTheUserSaysSo) {
#include "core/target/live_process.h"
    Calling calling;
#include "core/target/live_process.h"
    calling.allowed = false;
#include "core/target/live_process.h"
    EXPECT_EQ(calling.driven.value("boat.twice()"), "twice was not called");
#include "core/target/live_process.h"
    EXPECT_EQ(calling.asked, std::vector<std::string>{"twice"});
#include "core/target/live_process.h"
    calling.driven.session.may_call = nullptr;
#include "core/target/live_process.h"
    EXPECT_NE(calling.driven.value("boat.twice()").find("unless you allow it"), std::string::npos);
#include "core/target/live_process.h"
}
#include "core/target/live_process.h"

#include "core/target/live_process.h"
TEST(FunctionCall, WrongArgumentsAreRefusedBeforeAnythingRuns) {
#include "core/target/live_process.h"
    Calling calling;
#include "core/target/live_process.h"
    EXPECT_NE(calling.driven.value("boom(bad, 2)").find("takes 1 argument, and 2 are given"), std::string::npos) << calling.driven.value("boom(bad, 2)");
#include "core/target/live_process.h"
    EXPECT_NE(calling.driven.value("deepened(level, 1)").find("cannot become"), std::string::npos);
#include "core/target/live_process.h"
    EXPECT_NE(calling.driven.value("level(3)").find("is no function"), std::string::npos);
#include "core/target/live_process.h"
    EXPECT_TRUE(calling.asked.empty());
#include "core/target/live_process.h"
}
#include "core/target/live_process.h"

#include "core/target/live_process.h"
TEST(Change, WritesEveryKindOfPlaceAndChecksWhatFits) {
#include "core/target/live_process.h"
    testing::Driven driven("objects-gcc");
#include "core/target/live_process.h"
    driven.stop_above("canal::look_here");
#include "core/target/live_process.h"
    auto change = [&](const char* place, const char* value) -> std::string {
#include "core/target/live_process.h"
        try {
#include "core/target/live_process.h"
            driven.session.assign(place, value);
#include "core/target/live_process.h"
            return driven.value(place);
#include "core/target/live_process.h"
        } catch (const Error& error) {
#include "core/target/live_process.h"
            return error.what();
#include "core/target/live_process.h"
        }
#include "core/target/live_process.h"
    };
#include "core/target/live_process.h"
    EXPECT_EQ(change("numbers[1]", "99"), "99");
#include "core/target/live_process.h"
    EXPECT_EQ(driven.value("numbers"), "{5, 99, 7, 8}");
#include "core/target/live_process.h"
    EXPECT_EQ(change("tolls[\"Wren\"]", "13"), "13");
#include "core/target/live_process.h"
    EXPECT_EQ(change("light", "Light::red"), "red (0)");
#include "core/target/live_process.h"
    change("level_again", "8");  // through the reference
#include "core/target/live_process.h"
    EXPECT_EQ(driven.value("level_again * 1"), "8");
#include "core/target/live_process.h"
    EXPECT_EQ(change("pound.depth", "2"), "2.0");
#include "core/target/live_process.h"
    EXPECT_EQ(change("text", "\"Teal\""), "\"Teal\"");
#include "core/target/live_process.h"
    EXPECT_NE(change("text", "\"Kingfisher\"").find("as many characters"), std::string::npos);
#include "core/target/live_process.h"
    EXPECT_NE(change("numbers[1]", "99999999999").find("does not fit 32 bits"), std::string::npos);
#include "core/target/live_process.h"
    EXPECT_NE(change("two", "four.first").find("cannot become"), std::string::npos);
#include "core/target/live_process.h"
    EXPECT_NE(change("level + 1", "3").find("only something that lives in memory"), std::string::npos);
#include "core/target/live_process.h"
    driven.session.select_frame(0);
#include "core/target/live_process.h"
    EXPECT_EQ(change("%xmm3[1]", "2.5"), "2.5") << "a lane of a vector register";
#include "core/target/live_process.h"
    EXPECT_EQ(change("%rbx", "17"), "17");
#include "core/target/live_process.h"
}
#include "core/target/live_process.h"

#include "core/target/live_process.h"
TEST(Change, OfBitFieldsKeepsTheirNeighboursAndConstantsWarn) {
#include "core/target/live_process.h"
    testing::Driven driven("values-gcc");
#include "core/target/live_process.h"
    driven.stop_above("look_here");
#include "core/target/live_process.h"
    driven.session.select_frame(2);
#include "core/target/live_process.h"
    EXPECT_EQ(driven.session.assign("sluice.drift", "-3").warning, "");
#include "core/target/live_process.h"
    EXPECT_EQ(driven.value("sluice"), "{open_cm = 93, drift = -3, serial = 737894404660}");
#include "core/target/live_process.h"
    EXPECT_THROW(driven.session.assign("sluice.open_cm", "128"), ExpressionError) << "seven bits";
#include "core/target/live_process.h"
    std::string warning = driven.session.assign("fixed_depth", "311").warning;
#include "core/target/live_process.h"
    EXPECT_NE(warning.find("may only read"), std::string::npos) << warning;
#include "core/target/live_process.h"
    EXPECT_EQ(driven.value("fixed_depth"), "311");
#include "core/target/live_process.h"
}
#include "core/target/live_process.h"

#include "core/target/live_process.h"
}  // namespace
#include "core/target/live_process.h"
}  // namespace lantern
#include "core/target/live_process.h"
