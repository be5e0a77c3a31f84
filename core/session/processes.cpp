#include "core/session/processes.h"

#include <fmt/format.h>
#include <signal.h>

#include <utility>

#include "core/session/movement.h"
#include "core/support/error.h"

namespace lantern {
namespace {

void tell_what_it_became(SessionParts& parts) {
    parts.shared.tell({SessionEvent::Kind::process_became,
                       parts.number,
                       parts.debuggee.process().id(),
                       0,
                       0,
                       parts.debuggee.program(),
                       {}});
}

// On to wherever the program stops by itself. That it has become another program is told, and no
// reason to stop.
Stop gone_by_itself(SessionParts& parts) {
    for (;;) {
        std::uint64_t stops_before = parts.debuggee.process().stops();
        parts.selection.leave_stack();
        Movement movement(parts);
        Stop stop = parts.finished(movement.run({}, nullptr), stops_before);
        if (stop.reason != StopReason::replaced) return stop;
        tell_what_it_became(parts);
    }
}

// It was only held because another one stopped.
bool is_nothing_to_tell(const Stop& stop) {
    return stop.reason == StopReason::paused && stop.breakpoints.empty() && stop.facts.empty();
}

}  // namespace

Processes::Process::Process(unsigned number, const SessionParts& parent, ThreadId thread,
                            std::unique_ptr<LiveProcess> child)
    : parts(parent, number, thread, std::move(child)) {}

std::vector<ProcessFact> Processes::facts() const {
    std::vector<ProcessFact> facts;
    for (const auto& [number, process] : processes_)
        if (const LiveProcess* live = process.parts.debuggee.process_if_any();
            live && live->is_alive())
            facts.push_back({number, live->id(), live->program(), &process == here_});
    return facts;
}

std::optional<unsigned> Processes::one_that_is_left() const {
    for (const auto& [number, process] : processes_)
        if (const LiveProcess* live = process.parts.debuggee.process_if_any();
            &process != here_ && live && !live->is_over())
            return number;
    return std::nullopt;
}

std::vector<unsigned> Processes::others() const {
    std::vector<unsigned> numbers;
    for (const auto& [number, process] : processes_)
        if (&process != here_) numbers.push_back(number);
    return numbers;
}

void Processes::for_each_other(const std::function<void(SessionParts&)>& visit) {
    for (unsigned number : others()) visit(processes_.at(number).parts);
}

void Processes::look_at(unsigned number) {
    auto found = processes_.find(number);
    if (found == processes_.end())
        throw RequestError(fmt::format("there is no process {}", number), Next::list_processes);
    if (&found->second == here_) return;
    const LiveProcess* live = found->second.parts.debuggee.process_if_any();
    if (live && live->is_over()) {
        processes_.erase(found);
        throw RequestError(
            fmt::format("process {} has been ended from outside while it stood", number),
            Next::list_processes_left);
    }
    unsigned left = this->number();
    bool has_ended = !here().debuggee.is_running();
    here().debuggee.step_back();
    here_ = &found->second;
    if (has_ended) processes_.erase(left);
    here().debuggee.come_to_front();
}

unsigned Processes::keep(const SessionParts& parent, ThreadId thread,
                         std::unique_ptr<LiveProcess> child) {
    unsigned number = ++shared_.processes_met;
    SessionEvent event{SessionEvent::Kind::process_began,      number, child->id(), parent.number,
                       parent.debuggee.process_if_any()->id(), {},     {}};
    try {
        Process& kept =
            processes_.try_emplace(number, number, parent, thread, std::move(child)).first->second;
        shared_.tell(event);
        if (kept.parts.debuggee.process().began_as_another_program()) begin_anew(kept);
    } catch (
        const TargetError&) {  // it was killed where it was born: its parent's movement goes on
    }
    return number;
}

// The child of a vfork: it is held behind its exec, which nobody has judged yet.
void Processes::begin_anew(Process& process) {
    Stop stop = Movement(process.parts).meet_another_program();
    tell_what_it_became(process.parts);
    if (stop.reason != StopReason::replaced)
        process.untold = process.parts.finished(stop, process.parts.debuggee.process().stops());
}

unsigned Processes::open_beside(const LaunchOptions& launch) {
    unsigned number = shared_.processes_met + 1;
    auto made = processes_.try_emplace(number, shared_, launch).first;
    shared_.processes_met = number;
    shared_.are_apart = true;
    here().debuggee.step_back();
    here_ = &made->second;
    here().number = number;
    return number;
}

void Processes::let_go(unsigned number) {
    auto found = processes_.find(number);
    if (found == processes_.end() || &found->second == here_)
        throw RequestError(fmt::format("there is no other process {}", number),
                           Next::list_processes);
    SessionParts& parts = found->second.parts;
    // It is delivered when we let go.
    kill(parts.debuggee.process().id(), SIGSTOP);
    parts.sites.take_out_all();
    parts.debuggee.release();
    processes_.erase(found);
}

void Processes::end_others() {
    if (shared_.are_apart) return;
    for (unsigned number : others()) processes_.erase(number);
    shared_.processes_met = 1;
    if (number() == 1) return;
    auto node = processes_.extract(number());
    node.key() = here().number = 1;
    processes_.insert(std::move(node));
}

// ---- moving

void Processes::let_others_go() {
    if (shared_.are_apart) return;
    go_ = true;
    shared_.host.events.look_meanwhile([this] { return look_at_others(); });
}

// A movement that fails is something to tell as well.
void Processes::resume(Process& process, Fibre::Word word) {
    try {
        if (process.going->resume(word)) process.going.reset();
    } catch (const Error& error) {
        process.going.reset();
        Stop stop;
        stop.reason = StopReason::paused;
        stop.thread = process.parts.selection.thread();
        stop.facts.push_back({"trouble", error.what()});
        process.untold = std::move(stop);
    }
}

bool Processes::look_at_others() {
    bool has_news = false;
    for (unsigned number : others()) {
        Process& process = processes_.at(number);
        if (!process.going && !process.untold)
            process.going = std::make_unique<Fibre>(
                [&process] { process.untold = gone_by_itself(process.parts); });
        if (process.going) resume(process, Fibre::Word::go_on);
        has_news |= process.untold && !process.untold->is_end();
    }
    forget_those_that_ended();
    return has_news;
}

void Processes::hold_others() {
    go_ = false;
    shared_.host.events.look_meanwhile({});
    for (unsigned number : others()) {
        Process& process = processes_.at(number);
        while (process.going) resume(process, Fibre::Word::interrupt);
        if (process.untold && is_nothing_to_tell(*process.untold)) process.untold.reset();
    }
    forget_those_that_ended();
}

void Processes::take_pause_for_all() {
    for (auto& [number, process] : processes_)
        if (const LiveProcess* live = process.parts.debuggee.process_if_any();
            live && live->is_alive())
            process.parts.is_paused_already = live->is_to_get(SIGINT);
}

void Processes::forget_those_that_ended() {
    for (unsigned number : others()) {
        Process& process = processes_.at(number);
        if (!process.untold || !process.untold->is_end()) continue;
        SessionEvent event{SessionEvent::Kind::process_ended,
                           number,
                           process.untold->thread,
                           0,
                           0,
                           {},
                           *process.untold};
        processes_.erase(number);
        shared_.tell(event);
    }
}

std::optional<Stop> Processes::take_told() {
    for (unsigned number : others()) {
        Process& process = processes_.at(number);
        if (!process.untold) continue;
        Stop stop = *std::exchange(process.untold, std::nullopt);
        look_at(number);
        return stop;
    }
    return std::nullopt;
}

}  // namespace lantern
