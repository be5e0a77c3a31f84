// How a live process moves and stops (ptrace(2)): all its threads go on, one event at a time is
// judged while the others still run, and a stop that counts stops them all.
#include <fmt/format.h>
#include <sched.h>
#include <sys/wait.h>

#include <algorithm>
#include <chrono>
#include <thread>
#include <utility>

#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/support/fibre.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

// How often to look for news before going to sleep: a stop that comes within microseconds costs no
// sleep then. Where the processors are busy with the program's threads, or others have something to
// do, looking would only take time from them.
int looks_before_sleep(std::size_t threads) {
    if (Fibre::current()) return 1;
    static const bool has_another_processor = [] {
        cpu_set_t set;
        return sched_getaffinity(0, sizeof set, &set) == 0 && CPU_COUNT(&set) > 1;
    }();
    return threads == 1 && has_another_processor ? 300 : 2;
}

constexpr unsigned kEventsBetweenLooks = 256;  // at Ctrl-C, while one event follows the other

}  // namespace

void LiveProcess::target_moves() {
    cache_.clear();
    maps_are_old_ = true;
}

void LiveProcess::resume(ThreadId id, Thread& thread, Kernel::Motion motion) {
    probes_.apply(*memory_);
    flush_registers(id, thread);
    int signal = std::exchange(thread.signal_to_deliver, 0);
    // After a step in between the kernel has forgotten where the signal came from.
    if (signal && thread.signal_information && thread.signal_information->si_signo == signal)
        kernel_.write_signal(id, *thread.signal_information);
    thread.signal_information.reset();
    thread.told_trap.reset();
    thread.inside = Thread::In::nothing;
    // Where this fails the thread has been killed, and its end will be told like any other.
    kernel_.resume(id, motion, signal);
    thread.running = true;
}

void LiveProcess::deliver(ThreadId id, int signal) {
    auto found = threads_.find(id);
    if (found != threads_.end()) found->second.signal_to_deliver = signal;
}

bool LiveProcess::stand_before_broken_call(ThreadId id) {
    auto found = threads_.find(id);
    if (found == threads_.end()) return false;
    const Thread& thread = found->second;
    bool is_free = thread.inside == Thread::In::nothing && !thread.signal_to_deliver &&
                   !thread.call.passed_over && !thread.call.lent;
    Registers now = registers(id);
    if (!is_free || !take_broken_call_back(now)) return false;
    set_registers(id, now);
    return true;
}

void LiveProcess::has_told_of_trap(ThreadId id) {
    auto found = threads_.find(id);
    if (found == threads_.end() || found->second.pending || found->second.running)
        return;  // one that is ending runs
    found->second.told_trap = registers(id).program_counter();
}

void LiveProcess::lend_terminal() {
    if (own_terminal_)
        own_terminal_->begin();
    else if (lends_terminals_)
        terminal_.lend(process_);
}

void LiveProcess::lend_terminals(bool wanted) {
    lends_terminals_ = wanted;
    if (own_terminal_) own_terminal_->lend_keyboard(wanted);
}

void LiveProcess::take_terminal_back() {
    if (own_terminal_)
        own_terminal_->end();
    else
        terminal_.take_back();
}

// ---- going on

// True if the thread must run the instruction under a breakpoint byte by itself, the others held.
bool LiveProcess::needs_step(ThreadId id, Thread& thread) {
    if (!thread.told_trap || !has_trap(*thread.told_trap) ||
        registers(id).program_counter() != *thread.told_trap)
        return false;
    // A handler that is about to run would return into the copy; it must find the instruction
    // itself.
    return thread.signal_to_deliver || !moved_copy(id, *thread.told_trap);
}

void LiveProcess::go_on(ThreadId id) {
    Thread& thread = threads_.at(id);
    if (thread.told_trap && has_trap(*thread.told_trap) &&
        registers(id).program_counter() == *thread.told_trap) {
        Registers moved = *thread.registers;
        moved.set_program_counter(moved_copy(id, *thread.told_trap)->address);
        set_registers(id, moved);
        thread.in_moved_code = true;
    }
    resume(id, thread,
           traces_system_calls_ || watches_calls_ || !protected_.empty()
               ? Kernel::Motion::to_system_call
               : Kernel::Motion::go);
}

std::optional<TargetEvent> LiveProcess::take_pending(const Passes& passes) {
    for (;;) {
        auto found = std::find_if(threads_.begin(), threads_.end(), [&](const auto& each) {
            return each.second.pending && (!only_ || each.first == only_);
        });
        if (found == threads_.end()) return std::nullopt;
        TargetEvent event = *std::exchange(found->second.pending, std::nullopt);
        if (event.kind == TargetEvent::Kind::trap) {
            if (!has_trap(registers(event.thread).program_counter()))
                continue;  // the breakpoint has gone since
            found->second.told_trap = registers(event.thread).program_counter();
        }
        if (!passes(event)) return event;
    }
}

std::optional<TargetEvent> LiveProcess::set_going(const Passes& passes, ThreadId only) {
    only_ = only;
    wake();
    if (auto event = take_pending(passes)) return event;
    target_moves();
    // All stand: those that must step by themselves do it now. What comes of it is judged like
    // anything else.
    for (ThreadId id : threads()) {
        auto found = threads_.find(id);
        if (found == threads_.end() || found->second.running || (only && id != only) ||
            !needs_step(id, found->second))
            continue;
        TargetEvent event = step(id);
        if (event.is_end()) return event;
        if (event.kind != TargetEvent::Kind::stepped) threads_.at(event.thread).pending = event;
        if (auto pending = take_pending(passes)) return pending;
    }
    lend_terminal();
    moving_ = true;
    for (auto& [id, thread] : threads_)
        if (!thread.running && (!only || id == only)) go_on(id);
    return std::nullopt;
}

TargetEvent LiveProcess::run() {
    return run([](const TargetEvent& event) {
        switch (event.kind) {
            case TargetEvent::Kind::thread_started:
            case TargetEvent::Kind::thread_ending:
            case TargetEvent::Kind::forked:
            case TargetEvent::Kind::system_call_entered:
            case TargetEvent::Kind::system_call_left: return true;
            default: return false;
        }
    });
}

TargetEvent LiveProcess::run(const Passes& passes, ThreadId only) {
    if (auto event = set_going(passes, only)) return *event;
    for (;;) {
        int looks = leaves_processors_ ? 1 : looks_before_sleep(threads_.size());
        for (int look = 0; look < looks; ++look)
            if (auto event = poll(passes)) return *event;
        if (events_.wait() != EventLoop::Event::interrupt) continue;
        if (auto event = take_event(passes)) return *event;  // what has happened by now comes first
        return interrupted();
    }
}

std::optional<TargetEvent> LiveProcess::poll(const Passes& passes) {
    if (++events_since_look_ % kEventsBetweenLooks == 0 && events_.let_others_look())
        return interrupted();
    return take_event(passes);
}

// Everything is held again, and the event is for whoever asked.
TargetEvent LiveProcess::stopped_by(TargetEvent event) {
    if (!event.is_end()) stop_other_threads();
    moving_ = false;
    take_terminal_back();
    target_moves();
    return replaced_meanwhile_ ? *std::exchange(replaced_meanwhile_, std::nullopt) : event;
}

// Threads that have told of their end cannot be stopped, nor can one in a vfork: a process of
// nothing else is waited for, but not for ever for a child that goes no way of its own.
void LiveProcess::wait_for_one_that_stands() {
    constexpr std::chrono::seconds kLongest(2);
    constexpr std::chrono::microseconds kBetween(200);
    auto until = std::chrono::steady_clock::now() + kLongest;
    auto cannot_be_stopped = [](const auto& each) {
        return each.second.running && (each.second.is_ending || each.second.waits_for_child);
    };
    auto waits = [](const auto& each) { return each.second.waits_for_child; };
    while (alive_ && !threads_.empty() && std::ranges::all_of(threads_, cannot_be_stopped)) {
        bool may_take_long = std::ranges::any_of(threads_, waits);
        Tracer::News news = may_take_long ? tracer_.look(process_) : tracer_.wait(process_);
        if (!news.can_come()) break;
        if (!news.has_come()) {
            if (std::chrono::steady_clock::now() > until) break;
            std::this_thread::sleep_for(kBetween);
        } else if (auto event = interpret(news.thread, news.status)) {
            if (auto told = threads_.find(event->thread); told != threads_.end())
                told->second.pending = event;
        }
    }
}

TargetEvent LiveProcess::interrupted() {
    TargetEvent event;
    event.kind = TargetEvent::Kind::interrupted;
    event = stopped_by(event);
    wait_for_one_that_stands();
    if (!alive_) return lost();
    auto stands = std::ranges::find_if(
        threads_, [](const auto& each) { return !each.second.running && !each.second.is_ending; });
    event.thread = only_ && threads_.count(only_) ? only_
                   : stands != threads_.end()     ? stands->first
                                                  : living_thread();
    return event;
}

// Takes what has happened, as long as it passes; nothing when there is no more news.
std::optional<TargetEvent> LiveProcess::take_event(const Passes& passes) {
    for (;;) {
        Tracer::News news = tracer_.look(process_);
        if (!news.can_come()) return stopped_by(lost());
        if (!news.has_come()) return std::nullopt;
        ThreadId id = news.thread;
        cache_.clear();
        modules_may_be_old_ = true;
        if (guests_.count(id)) {
            look_after_guest(id, news.status);
            continue;
        }
        ++batch_;
        if (auto event = interpret(id, news.status)) {
            event->batch = batch_;
            bool is_held = only_ && event->thread != only_ && !event->is_end() &&
                           event->kind != TargetEvent::Kind::replaced &&
                           threads_.count(event->thread);
            if (is_held) {
                threads_.at(event->thread).pending = event;  // told when that thread may move again
                continue;
            }
            // What several threads write at the same moment is told apart only while all of them
            // stand.
            bool is_watch = event->kind == TargetEvent::Kind::watched ||
                            event->kind == TargetEvent::Kind::touched;
            if (is_watch && threads_.size() > 1) {
                stop_other_threads();
                if (!alive_) return stopped_by(lost());
                take_watch_hits_of_others(event->thread);
                leave_to_others(*event);
                others_wait_ = true;
            }
            bool is_anothers = event->kind == TargetEvent::Kind::watched && !event->watches;
            judging_ = true;
            bool goes_on = is_anothers || (!event->is_end() && passes(*event));
            judging_ = false;
            if (!goes_on) return stopped_by(*event);
        }
        auto found = threads_.find(id);
        if (found == threads_.end())
            found = threads_.find(process_);  // an exec has taken the thread's place
        if (found == threads_.end() || found->second.running || (only_ && found->first != only_))
            continue;
        if (std::exchange(others_wait_, false)) {
            if (auto event = set_going(passes, only_)) return stopped_by(*event);
        } else if (needs_step(found->first, found->second)) {
            // The one case in which the others must stand for it.
            ThreadId stepper = found->first;
            stop_other_threads();
            if (!alive_) return stopped_by(lost());
            if (threads_.count(stepper)) {
                TargetEvent event = step(stepper);
                if (event.is_end()) return stopped_by(event);
                if (event.kind != TargetEvent::Kind::stepped)
                    threads_.at(event.thread).pending = event;
            }
            if (auto event = set_going(passes, only_)) return stopped_by(*event);
        } else {
            go_on(found->first);
        }
        if (++events_since_look_ % kEventsBetweenLooks == 0)
            return std::nullopt;  // Ctrl-C gets its chance
    }
}

// Threads that were stopped between their write and telling of it: their debug status knows
// already.
void LiveProcess::take_watch_hits_of_others(ThreadId first) {
    for (auto& [id, thread] : threads_) {
        if (id == first || thread.running || thread.is_ending || thread.pending) continue;
        unsigned hits = watches_.take_hits(kernel_, id);
        if (!hits) continue;
        TargetEvent event{TargetEvent::Kind::watched, id};
        event.watches = hits;
        event.batch = batch_;
        thread.pending = event;
    }
}

// ---- stopping

// ---- one instruction

}  // namespace lantern
