// One job for each of many items, on all processors, each taking the next that nobody has taken.
#pragma once

#include <atomic>
#include <chrono>
#include <exception>
#include <functional>
#include <system_error>
#include <thread>
#include <vector>

namespace lantern {

// `make_worker()` is called once in each thread and gives a function of the item's index.
// `progress` is told the share of items done from the calling thread, about ten times a second; it
// may be empty, and may throw to give up. What a worker throws in another thread ends the program:
// workers catch their own.
template <class MakeWorker>
void each_in_parallel(std::size_t count, bool worth_threads,
                      const std::function<void(double)>& progress, MakeWorker make_worker) {
    std::atomic<std::size_t> next = 0, done = 0;
    std::atomic<bool> give_up = false;
    auto work = [&](bool reports) {
        auto worker = make_worker();
        auto told = std::chrono::steady_clock::now();
        for (std::size_t i = next++; i < count && !give_up; i = next++) {
            worker(i);
            ++done;
            if (!reports || !progress) continue;
            auto now = std::chrono::steady_clock::now();
            if (now - told < std::chrono::milliseconds(100)) continue;
            told = now;
            progress(static_cast<double>(done) / static_cast<double>(count));
        }
    };
    std::vector<std::thread> helpers;
    if (worth_threads) try {
            for (unsigned i = 1; i < std::min(8u, std::thread::hardware_concurrency()); ++i)
                helpers.emplace_back(work, false);
        } catch (const std::system_error&) {  // the system gives no more threads: those that there
                                              // are do it
        }
    std::exception_ptr trouble;
    try {
        work(true);
    } catch (...) {
        trouble = std::current_exception();
        give_up = true;
    }
    for (std::thread& helper : helpers) helper.join();
    if (trouble) std::rethrow_exception(trouble);
}

}  // namespace lantern
