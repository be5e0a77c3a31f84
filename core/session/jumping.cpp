#include "core/session/jumping.h"

#include "core/target/jump_goal.h"

namespace lantern {

void Jumping::look(Target& target, ThreadId thread) {
    RunAddress from = target.registers(thread).program_counter();
    if (auto to = jump_goal(target, thread))
        jumps_[thread] = {from, *to};
    else
        jumps_.erase(thread);
}

std::optional<RunAddress> Jumping::came_from(ThreadId thread, RunAddress at) {
    auto found = jumps_.find(thread);
    if (found == jumps_.end() || found->second.to != at) return std::nullopt;
    RunAddress from = found->second.from;
    jumps_.erase(found);
    return from;
}

}  // namespace lantern
