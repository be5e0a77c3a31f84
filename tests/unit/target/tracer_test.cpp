// Who hears what: news of several processes, in any order, on a played kernel.
#include <gtest/gtest.h>

#include "core/target/tracer.h"
#include "tests/testing/command.h"
#include "tests/testing/played_kernel.h"

namespace lantern {
namespace {

using testing::PlayedKernel, testing::fixture;

struct TwoProcesses {
    TwoProcesses() {
        for (pid_t process : {100, 200}) {
            kernel.add_process(process, fixture("locks-gcc-O0-dwarf5-nopie"), 0x401000);
            tracer.join(process);
        }
        kernel.add_thread(100, 101, 0x401000);
    }
    void gets(ThreadId thread, int signal) {
        kernel.then(thread, kernel.gets(signal));
        kernel.resume(thread, Kernel::Motion::go, 0);
    }
    PlayedKernel kernel;
    Tracer tracer{kernel};
};

TEST(Tracer, LaysNewsIntoTheInboxOfTheProcess) {
    TwoProcesses both;
    both.gets(200, SIGUSR1);
    both.gets(101, SIGUSR2);
    Tracer::News first = both.tracer.look(100);
    EXPECT_EQ(first.thread, 101);
    EXPECT_EQ(WSTOPSIG(first.status), SIGUSR2);
    EXPECT_FALSE(both.tracer.look(100).has_come());
    Tracer::News other = both.tracer.look(200);
    EXPECT_EQ(other.thread, 200) << "it was kept while the first was asked for";
    EXPECT_EQ(WSTOPSIG(other.status), SIGUSR1);
}

TEST(Tracer, FindsTheNewsOfOneThreadInTheInbox) {
    TwoProcesses both;
    both.gets(100, SIGUSR1);
    both.gets(101, SIGUSR2);
    EXPECT_FALSE(both.tracer.look(200).has_come()) << "both are in the inbox of the first now";
    EXPECT_EQ(both.tracer.wait(100, 101).thread, 101);
    EXPECT_EQ(both.tracer.wait(100, 100).thread, 100);
}

TEST(Tracer, KeepsAChildUntilItsParentTellsOfIt) {
    TwoProcesses both;
    both.kernel.then(100, both.kernel.makes_process(300, true));
    both.kernel.resume(100, Kernel::Motion::go, 0);
    Tracer::News told = both.tracer.look(100);
    EXPECT_EQ(told.thread, 100) << "the child's own news came first, and is nobody's yet";
    EXPECT_TRUE(both.tracer.await_newborn(300));
}

TEST(Tracer, SaysOfAChildThatWasKilledThatItIsGone) {
    TwoProcesses both;
    both.kernel.then(100, both.kernel.makes_process(300));
    both.kernel.resume(100, Kernel::Motion::go, 0);
    both.kernel.whole_process_is_killed()(300);
    EXPECT_EQ(both.tracer.look(100).thread, 100);
    EXPECT_FALSE(both.tracer.await_newborn(300));
}

// Numbers are used again: the end of one that nobody knew must not be taken for the birth of a
// later one.
TEST(Tracer, DoesNotTakeAnEndForABirth) {
    TwoProcesses both;
    both.kernel.add_thread(300, 300, 0x401000);
    both.kernel.then(300, both.kernel.ends(0));
    both.kernel.resume(300, Kernel::Motion::go, 0);
    EXPECT_TRUE(WIFEXITED(both.tracer.look(100).status));
    both.kernel.tasks.erase(300);
    both.kernel.then(100, both.kernel.makes_process(300));
    both.kernel.resume(100, Kernel::Motion::go, 0);
    EXPECT_EQ(both.tracer.look(100).thread, 100);
    EXPECT_TRUE(both.tracer.await_newborn(300));
    int status = 0;
    EXPECT_EQ(both.kernel.look(300, status), 0) << "its stop has been heard of";
}

// The system cannot say any more whose it was; who kept it would take the next thread of that
// number for it.
TEST(Tracer, TellsOfTheEndOfAThreadThatNothingElseWasToldOf) {
    TwoProcesses both;
    both.kernel.then(101, both.kernel.ends(0));
    both.kernel.resume(101, Kernel::Motion::go, 0);
    Tracer::News told = both.tracer.look(100);
    EXPECT_EQ(told.thread, 101);
    EXPECT_TRUE(WIFEXITED(told.status));
}

TEST(Tracer, KnowsTheThreadsOfAProcessWhoseGuestBecomesAnotherProgram) {
    TwoProcesses both;
    both.kernel.then(101, both.kernel.tells_of_its_end(0));
    both.kernel.then(101, both.kernel.ends(0));
    both.kernel.resume(101, Kernel::Motion::go, 0);
    EXPECT_EQ(both.tracer.look(100).thread, 101);
    both.kernel.add_process(300, fixture("locks-gcc-O0-dwarf5-nopie"), 0x401000);
    both.tracer.hand_over(300, 100);
    both.kernel.then(300, both.kernel.becomes(0x401000));
    both.kernel.resume(300, Kernel::Motion::go, 0);
    EXPECT_EQ(both.tracer.look(100).thread, 300);
    both.kernel.resume(101, Kernel::Motion::go, 0);
    EXPECT_EQ(both.tracer.look(100).thread, 101);
    EXPECT_FALSE(both.tracer.look(200).has_come()) << "nothing of it is the other's";
}

TEST(Tracer, HandsAThreadOverAndTakesItBack) {
    TwoProcesses both;
    both.tracer.hand_over(200, 100);
    both.tracer.leave(200);
    both.gets(200, SIGUSR1);
    EXPECT_EQ(both.tracer.look(100).thread, 200);
}

TEST(Tracer, TellsWhenNothingCanCome) {
    TwoProcesses both;
    for (pid_t process : {100, 200}) {
        both.kernel.whole_process_is_killed()(process);
        while (both.tracer.look(process).has_come()) continue;
    }
    EXPECT_FALSE(both.tracer.look(100).can_come());
}

}  // namespace
}  // namespace lantern
