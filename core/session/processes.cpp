// The processes of a session where both sides of a fork are kept: one is looked at and moves, the others wait where they stopped.
#include <fmt/format.h>

#include "core/session/session.h"
#include "core/session/watching.h"
#include "core/support/error.h"
#include "core/target/live_process.h"

namespace lantern {

unsigned Session::hold(std::unique_ptr<LiveProcess> process) {
    process->set_own_terminal(own_terminal_.get());
    process->follow(follow_);
    held_[++processes_met_] = std::move(process);
    return processes_met_;
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
    if (is_running()) {
        // The one that stays behind waits with the program's own code in it: it may be released or end at any time.
        for (Breakpoint& breakpoint : breakpoints_) {
            remove_sites(breakpoint);
            if (breakpoint.is_watch() && breakpoint.is_on) Watching(*this).stop(breakpoint);
        }
        if (loader_hook_) process_->remove_trap(*loader_hook_);
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
