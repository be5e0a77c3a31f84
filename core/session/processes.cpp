// The processes of a session where both sides of a fork are kept: one is looked at and moves, the others wait where they stopped.
#include <fmt/format.h>

#include <sys/syscall.h>
#include <sys/wait.h>

#include <fstream>

#include "core/session/debuggee.h"
#include "core/support/error.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

// The process that a thread waits for in wait4 or waitid; of several that it might be, one; nothing if it does something else
// (proc(5), syscall and children).
std::optional<pid_t> child_waited_for(pid_t process, ThreadId thread) {
    std::ifstream call(fmt::format("/proc/{}/task/{}/syscall", process, thread));
    std::string number;
    std::uint64_t first = 0, second = 0;
    if (!(call >> number >> std::hex >> first >> second)) return std::nullopt;
    bool waits_id = number == std::to_string(SYS_waitid), waits = number == std::to_string(SYS_wait4);
    if (!waits && !waits_id) return std::nullopt;
    auto wanted = static_cast<std::int32_t>(waits_id ? (first == P_PID ? second : static_cast<std::uint64_t>(-1)) : first);
    if (wanted > 0) return wanted;
    std::ifstream children(fmt::format("/proc/{}/task/{}/children", process, thread));
    std::optional<pid_t> only;
    for (pid_t child; children >> child;) {
        if (only) return std::nullopt;  // another may end first
        only = child;
    }
    return only;
}

}  // namespace

unsigned Debuggee::hold(std::unique_ptr<LiveProcess> process) {
    process->set_own_terminal(own_terminal_.get());
    process->follow(follow_);
    held_[++processes_met_] = std::move(process);
    process_->set_stuck_check([this] { return held_child_waited_for() != 0; });
    return processes_met_;
}

unsigned Debuggee::held_child_waited_for() const {
    if (held_.empty() || !process_) return 0;
    unsigned found = 0;
    for (ThreadId thread : process_->threads()) {
        auto child = child_waited_for(process_->id(), thread);
        if (!child) return 0;
        unsigned number = 0;
        for (const auto& [held, process] : held_)
            if (*child == process->id()) number = held;
        if (!number) return 0;
        found = number;
    }
    return found;
}

std::vector<ProcessFact> Debuggee::processes() const {
    std::vector<ProcessFact> facts;
    for (const auto& [number, process] : held_) facts.push_back({number, process->id(), process->program(), false});
    if (is_running()) facts.push_back({process_number_, process_->id(), process_->program(), true});
    std::sort(facts.begin(), facts.end(), [](const ProcessFact& a, const ProcessFact& b) { return a.number < b.number; });
    return facts;
}

void Debuggee::require_held(unsigned number) {
    auto found = held_.find(number);
    if (found == held_.end()) throw RequestError(fmt::format("there is no process {}", number), "processes lists them");
    if (!found->second->is_over()) return;
    held_.erase(found);
    throw RequestError(fmt::format("process {} has been ended from outside while it waited", number), "processes lists those that are left");
}

void Debuggee::change_to(unsigned number) {
    if (is_running()) held_[process_number_] = std::move(process_);
    process_ = std::move(held_.at(number));
    held_.erase(number);
    process_number_ = number;
}

}  // namespace lantern
