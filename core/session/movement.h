// Lets the program go until it meets one of a set of temporary stops, a breakpoint, a signal or its end.
#pragma once

#include <functional>
#include <set>
#include <vector>

#include "core/session/session.h"

namespace lantern {

class Movement {
  public:
    explicit Movement(Session& session);

    // Says whether a thread that met a temporary stop has arrived. A recursion passes the same addresses deeper down.
    using Arrived = std::function<bool(ThreadId thread)>;

    // Runs on until a temporary stop counts, or something else happens that the user must see. The reason of the
    // result is `stepped` when a temporary stop counted.
    Stop run(const std::set<RunAddress>& temporary, const Arrived& arrived);
    // One instruction of the current thread.
    Stop step_instruction();

    // The address that identifies a frame: the same while its function runs, lower for whatever it calls.
    RunAddress frame_identity(ThreadId thread);

  private:
    std::optional<Stop> judge(const TargetEvent& event, const std::set<RunAddress>& temporary, const Arrived& arrived);
    Stop stop_for_signal(const TargetEvent& event);
    bool passes_silently(const TargetEvent& event);
    std::optional<Stop> leave_traps(const std::set<RunAddress>& temporary, const Arrived& arrived);
    std::vector<unsigned> count_hits(ThreadId thread);
    bool condition_holds(Breakpoint& breakpoint, ThreadId thread);

    Session& session_;
    LiveProcess& process_;
};

}  // namespace lantern
