// Watchpoints of a session: which memory a value lies in, how it is watched, and what a hit on it
// means.
#pragma once

#include "core/session/parts.h"
#include "core/target/live_process.h"

namespace lantern {

class Watching {
  public:
    explicit Watching(SessionParts& parts) : parts_(parts), process_(parts.debuggee.process()) {}

    // Finds where the value lies and sets up what watches it: debug registers where it fits into
    // those that are free, else page protection. Throws RequestError that says why neither can.
    void start(Breakpoint& breakpoint);
    void stop(Breakpoint& breakpoint);
    // The same in a copy of the process it was in, as `thread` has forked it. False: what it
    // watched is not there, or cannot be watched.
    bool start_in_copy(Breakpoint& breakpoint, ThreadId thread);
    // What we change ourselves is nobody's write: from here on it is what was there before.
    template <class Change>
    auto by_us(Change change) {
        auto before = contents();
        auto result = change();
        take_over(before);
        return result;
    }
    // A watched value that is to be followed may lie elsewhere now.
    void follow_all();

    // The watchpoints that a thread has met, by the event, with the bytes they hold now. Those
    // whose bytes are the same as before are left out, unless they wait for any access.
    struct Seen {
        Breakpoint* breakpoint;
        std::vector<std::byte> now;
        Touched touched = Touched::changed;
    };
    std::vector<Seen> seen(const TargetEvent& event);
    // What to tell of it.
    WatchChange change(const Seen& seen, const TargetEvent& event);
    RunAddress writer(ThreadId thread, const RunRange& written);
    // Whether the instruction, or the system call, that did it reads memory.
    enum class Reads { no, yes, unsure };
    Reads reads(const TargetEvent& event, const RunRange& range, bool changed);
    bool begins_function(RunAddress at);
    // From here on what is there now is what was there before.
    void remember(Seen seen) { seen.breakpoint->watched->bytes = std::move(seen.now); }
    // The watchpoints whose variable's frame has been left, now that this thread stands where it
    // does, or lands from there.
    struct Left {
        std::vector<Breakpoint*> watchpoints;
        std::string how;  // "has returned"
    };
    Left left(ThreadId thread);
    // False: what the thread has written lies in another frame, which has taken the place of the
    // one that the variable was in. (A handler of a signal is not looked through.)
    bool is_frame_there(const Breakpoint& breakpoint, ThreadId thread);
    // The numbers of the debug registers that no watchpoint holds.
    std::vector<unsigned> free_debug_registers() const;
    // Something watched step by step has changed; for steps of this thread.
    bool any_by_steps() const;

  private:
    using Contents = std::map<WatchedValue*, std::vector<std::byte>>;
    Contents contents();
    void take_over(const Contents& before);
    void find(Breakpoint& breakpoint);
    bool is_of_program(const std::string& expression, RunAddress address) const;
    void set_up(WatchedValue& watched, bool on_reads);
    void take_down(WatchedValue& watched);
    void watch_frame(WatchedValue& watched);
    void watch_end_of_frame(WatchedValue& watched);

    SessionParts& parts_;
    LiveProcess& process_;
};

}  // namespace lantern
