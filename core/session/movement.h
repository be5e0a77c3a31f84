// Lets the program go until it meets one of a set of temporary stops, a breakpoint, a signal or its
// end.
#pragma once

#include <functional>
#include <map>
#include <set>
#include <vector>

#include "core/session/hit.h"
#include "core/session/parts.h"
#include "core/session/watching.h"
#include "core/target/live_process.h"

namespace lantern {

// Counts what is hit, and switches off what is spent.
class SessionHits final : public HitSink {
  public:
    explicit SessionHits(SessionParts& parts) : parts_(parts) {}
    void take(Breakpoint& breakpoint, ThreadId thread, Hit hit) override;

  private:
    SessionParts& parts_;
};

class Movement {
  public:
    // `only`: the one thread that moves; 0: all.
    explicit Movement(SessionParts& parts, ThreadId only = 0);
    ~Movement();
    Movement(const Movement&) = delete;
    Movement& operator=(const Movement&) = delete;

    // Says whether a thread that met a temporary stop has arrived. A recursion passes the same
    // addresses deeper down. Null: every thread that meets one has. If not, it is the current
    // thread that moves, and its end is the end of the movement.
    using Arrived = std::function<bool(ThreadId thread)>;

    // Runs on until a temporary stop counts, or something else happens that the user must see. The
    // reason of the result is `stepped` when a temporary stop counted. `positions`: at which
    // position of a temporary stop's address it counts; what stands at later ones is not met yet.
    using Positions = std::map<RunAddress, CodePosition>;
    Stop run(const std::set<RunAddress>& temporary, const Arrived& arrived,
             const Positions* positions = nullptr);
    // Where the current thread stood when the movement began; null once it has run, or where only
    // the address is known.
    const CodePosition* standing() const { return standing_ ? &*standing_ : nullptr; }
    // Goes on to a later position of the same address, which runs nothing: what stands on the way
    // there, or at it, is met.
    Stop advance_to(const CodePosition& position);
    // The frame, by its identity, that the next run wants to come back into: many deeper frames of
    // a recursion pass the same addresses, and are let go by watching its own callee's return
    // address instead. Nothing: there is no such frame.
    void set_home(std::optional<RunAddress> identity) { home_ = identity; }
    // One instruction of the current thread.
    Stop step_instruction();
    // The process was taken where it had become another program: as if it did so now.
    Stop meet_another_program();

    // The address that identifies a frame: the same while its function runs, lower for whatever it
    // calls.
    RunAddress frame_identity(ThreadId thread);

  private:
    struct Arrival {
        bool is_place = false;               // one of the movement's own stops is there
        bool counts = false;                 // for this thread
        const CodePosition* goal = nullptr;  // the position that is meant, where one is
    };
    Arrival verdict_of_movement(ThreadId thread, RunAddress at);
    std::optional<Stop> judge(const TargetEvent& event);
    std::optional<Stop> judge_trap(const TargetEvent& event, Stop stop);
    std::optional<Stop> judge_watch(const TargetEvent& event, Stop stop);
    std::optional<Stop> judge_signal(const TargetEvent& event, Stop stop);
    std::optional<Stop> judge_cause(Cause cause, const TargetEvent& event, Stop stop,
                                    std::vector<StopFact> facts);
    std::optional<Stop> judge_system_call(const TargetEvent& event, Stop stop);
    std::optional<Stop> verdict_of_loader(Stop stop);
    std::optional<Stop> verdict_of_frame_ends(const TargetEvent& event, Stop stop);
    Stop end_watches(const Watching::Left& left, Stop stop);
    Stop stop_for_signal(const TargetEvent& event, Stop stop);
    bool passes_silently(const TargetEvent& event);
    bool has_lost_its_thread(const TargetEvent& event);
    void refuse_what_ends() const;
    LiveProcess::Passes passes();
    std::optional<Stop> judged(const TargetEvent& event);
    static constexpr int kAll = 1 << 20;
    void look_at_jump(ThreadId thread);
    std::vector<unsigned> count_hits(ThreadId thread, Stop& stop, int behind = -1,
                                     int up_to = kAll);
    std::optional<Stop> hits_behind_standing(int up_to);
    bool event_fits(const Breakpoint& breakpoint, ThreadId thread);
    std::optional<RunAddress> behind_system_call();
    void count_block(Breakpoint& breakpoint, ThreadId thread);
    void look_for_doubts(Breakpoint& breakpoint, ThreadId thread, const CodePosition* position);
    bool wants_to_stop(Breakpoint& breakpoint, ThreadId thread,
                       const CodePosition* position = nullptr);
    Stop run_by_steps();

    SessionParts& parts_;
    LiveProcess& process_;
    ThreadId only_;
    SessionHits hits_;
    Watching watching_;
    std::optional<Stop> run_home();

    std::optional<RunAddress> home_;
    unsigned foreign_hits_ = 0;  // temporary stops met by other frames than the one that counts
    std::optional<unsigned> home_watch_;  // the debug register that waits for the return
    RunAddress home_return_;
    const std::set<RunAddress>* temporary_ = nullptr;
    const Arrived* arrived_ = nullptr;
    const Positions* positions_ = nullptr;
    std::optional<CodePosition> standing_;
    std::optional<Stop> found_;
};

}  // namespace lantern
