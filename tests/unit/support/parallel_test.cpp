#include "core/support/each_in_parallel.h"

#include <gtest/gtest.h>

#include <mutex>
#include <set>
#include <stdexcept>

namespace lantern {
namespace {

TEST(EachInParallel, DoesEachOnceWhateverTheThreads) {
    for (bool threads : {false, true})
        for (std::size_t count : {0u, 1u, 7u, 5000u}) {
            std::vector<std::atomic<int>> done(count);
            std::atomic<int> workers = 0;
            each_in_parallel(count, threads, {}, [&] {
                ++workers;
                return [&](std::size_t i) { ++done[i]; };
            });
            for (auto& times : done) EXPECT_EQ(times, 1);
            EXPECT_GE(workers, 1);
            EXPECT_TRUE(threads || workers == 1);
        }
}

TEST(EachInParallel, TellsHowFarItIsAndCanBeGivenUp) {
    std::vector<double> told;
    auto slow = [] {
        return [](std::size_t) { std::this_thread::sleep_for(std::chrono::milliseconds(30)); };
    };
    each_in_parallel(
        20, true, [&](double done) { told.push_back(done); }, slow);
    ASSERT_FALSE(told.empty());
    EXPECT_TRUE(std::is_sorted(told.begin(), told.end()));
    EXPECT_GT(told.front(), 0.0);
    EXPECT_LE(told.back(), 1.0);
    std::atomic<int> started = 0;
    auto counting = [&] {
        return [&](std::size_t) {
            ++started;
            std::this_thread::sleep_for(std::chrono::milliseconds(30));
        };
    };
    EXPECT_THROW(each_in_parallel(
                     1000, true, [](double) { throw std::runtime_error("enough"); }, counting),
                 std::runtime_error);
    EXPECT_LT(started, 900) << "the others stop too";
}

}  // namespace
}  // namespace lantern
