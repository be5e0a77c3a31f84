// The one that waits for the threads we trace. The kernel tells each piece of news once, to whoever
// asks first; here it is laid into the inbox of the process it is about, so that several processes
// can be moved and watched at the same time.
//
//     kernel ── news of any thread ──> Tracer ──> inbox of process 100 ──> its LiveProcess
//                                             └─> inbox of process 107 ──> its LiveProcess
//                                             └─> newborns: children whose parent has not told of
//                                             them yet
#pragma once

#include <deque>
#include <map>
#include <optional>
#include <set>

#include "core/target/kernel.h"

namespace lantern {

class Tracer {
  public:
    explicit Tracer(Kernel& kernel) : kernel_(kernel) {}
    Tracer(const Tracer&) = delete;
    Tracer& operator=(const Tracer&) = delete;

    Kernel& kernel() { return kernel_; }

    // From here on news of the process' threads wait for it here; with `leave` what has not been
    // taken is forgotten.
    void join(pid_t process);
    void leave(pid_t process);

    struct News {
        ThreadId thread = 0;  // 0: nothing has happened yet; below 0: nothing can happen any more
        int status = 0;       // as wait(2) has it
        bool has_come() const { return thread > 0; }
        bool can_come() const { return thread >= 0; }
    };
    // What has happened to one of the process' threads, or to this one of them.
    News look(pid_t process);
    News look(pid_t process, ThreadId thread);
    // The same, and waits for it.
    News wait(pid_t process);
    News wait(pid_t process, ThreadId thread);
    // What happens to that thread of another process is told to this one, until it is taken back:
    // of a vfork, where the two share one memory.
    void hand_over(ThreadId thread, pid_t process) { handed_over_[thread] = process; }
    void take_back(ThreadId thread) { handed_over_.erase(thread); }
    // Waits until a child stands that its parent has just told of. False: it is gone.
    bool await_newborn(pid_t child);

  private:
    using Inbox = std::deque<News>;
    pid_t owner_of(ThreadId thread);
    void deliver(pid_t owner, News news);
    void forget_what_ended(News news);
    std::optional<News> taken(pid_t process);
    std::optional<News> taken(pid_t process, ThreadId thread);
    using Ask = ThreadId (Kernel::*)(ThreadId, int&);  // look or wait
    News next(pid_t process, Ask ask);
    News next(pid_t process, ThreadId thread, Ask ask);

    Kernel& kernel_;
    std::map<pid_t, Inbox> inboxes_;
    std::map<ThreadId, pid_t> owners_;  // whose thread it is, as far as it has been asked for
    std::map<ThreadId, pid_t> handed_over_;
    std::set<ThreadId> newborns_;  // they stand
};

}  // namespace lantern
