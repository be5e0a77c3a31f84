// The processes of a session where both sides of a fork are kept: one is looked at and moves, the others wait where they stopped.
#include <fmt/format.h>

#include <sys/syscall.h>
#include <sys/wait.h>

#include <fstream>

#include "core/session/session.h"
#include "core/session/watching.h"
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

unsigned Session::hold(std::unique_ptr<LiveProcess> process) {
    process->set_own_terminal(own_terminal_.get());
    process->follow(follow_);
    held_[++processes_met_] = std::move(process);
    process_->set_stuck_check([this] { return held_child_waited_for() != 0; });
    return processes_met_;
}

unsigned Session::held_child_waited_for() const {
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

std::vector<ProcessFact> Session::processes() const {
    std::vector<ProcessFact> facts;
    for (const auto& [number, process] : held_) facts.push_back({number, process->id(), process->program(), false});
    if (is_running()) facts.push_back({process_number_, process_->id(), process_->program(), true});
    std::sort(facts.begin(), facts.end(), [](const ProcessFact& a, const ProcessFact& b) { return a.number < b.number; });
    return facts;
}

void Session::select_process(unsigned number) {
    refuse_while_moving();
    auto found = held_.find(number);
    if (is_running() && number == process_number_) return;
    if (found == held_.end()) throw RequestError(fmt::format("there is no process {}", number), "processes lists them");
    if (found->second->is_over()) {
        held_.erase(found);
        throw RequestError(fmt::format("process {} has been ended from outside while it waited", number), "processes lists those that are left");
    }
    if (is_running()) {
        // The one that stays behind waits with the program's own code in it: it may be released or end at any time.
        for (Breakpoint& breakpoint : breakpoints_.all()) {
            remove_sites(breakpoint);
            if (breakpoint.is_watch() && breakpoint.is_on) Watching(*this).stop(breakpoint);
        }
        if (loader_hook_) process_->remove_trap(*loader_hook_, ProbeClient::loader);
        held_[process_number_] = std::move(process_);
    }
    process_ = std::move(found->second);
    held_.erase(found);
    process_number_ = number;
    stack_.reset();
    selected_level_ = 0;
    thread_ = process_->threads().empty() ? process_->id() : process_->threads().front();
    look_at_program_anew();
    last_stop_ = Stop{};
    last_stop_.reason = StopReason::selected;
    last_stop_.thread = thread_;
    selected_level_ = level_of_users_code();
    ++movements_;
}

}  // namespace lantern
