// How a live process moves and stops (ptrace(2)): all its threads go on, one event at a time is judged while the others
// still run, and a stop that counts stops them all.
#include <fmt/format.h>
#include <sched.h>
#include <sys/wait.h>

#include <algorithm>
#include <utility>

#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/support/fibre.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

// How often to look for news before going to sleep: a stop that comes within microseconds costs no sleep then. Where the
// processors are busy with the program's threads, or others have something to do, looking would only take time from them.
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
    thread.met.reset();
    thread.inside = Thread::In::nothing;
    // Where this fails the thread has been killed, and its end will be told like any other.
    kernel_.resume(id, motion, signal);
    thread.running = true;
}

void LiveProcess::deliver(ThreadId id, int signal) {
    auto found = threads_.find(id);
    if (found != threads_.end()) found->second.signal_to_deliver = signal;
}

void LiveProcess::met(ThreadId id) {
    auto found = threads_.find(id);
    if (found == threads_.end() || found->second.pending || found->second.running) return;  // one that is ending runs
    found->second.met = registers(id).program_counter();
}

void LiveProcess::lend_terminal() {
    if (own_terminal_) own_terminal_->begin();
    else if (lends_terminals_) terminal_.lend(process_);
}

void LiveProcess::lend_terminals(bool wanted) {
    lends_terminals_ = wanted;
    if (own_terminal_) own_terminal_->lend_keyboard(wanted);
}

void LiveProcess::take_terminal_back() {
    if (own_terminal_) own_terminal_->end();
    else terminal_.take_back();
}

// ---- going on ----------------------------------------------------------------------------------------------------

// True if the thread must run the instruction under a breakpoint byte by itself, the others held.
bool LiveProcess::needs_step(ThreadId id, Thread& thread) {
    if (!thread.met || !has_trap(*thread.met) || registers(id).program_counter() != *thread.met) return false;
    // A handler that is about to run would return into the copy; it must find the instruction itself.
    return thread.signal_to_deliver || !moved_copy(id, *thread.met);
}

void LiveProcess::go_on(ThreadId id) {
    Thread& thread = threads_.at(id);
    if (thread.met && has_trap(*thread.met) && registers(id).program_counter() == *thread.met) {
        Registers moved = *thread.registers;
        moved.set_program_counter(moved_copy(id, *thread.met)->address);
        set_registers(id, moved);
        thread.in_moved_code = true;
    }
    resume(id, thread, traces_system_calls_ || watches_calls_ || !protected_.empty() ? Kernel::Motion::to_system_call : Kernel::Motion::go);
}

std::optional<TargetEvent> LiveProcess::take_pending(const Passes& passes) {
    for (;;) {
        auto found = std::find_if(threads_.begin(), threads_.end(), [&](const auto& each) { return each.second.pending && (!only_ || each.first == only_); });
        if (found == threads_.end()) return std::nullopt;
        TargetEvent event = *std::exchange(found->second.pending, std::nullopt);
        if (event.kind == TargetEvent::Kind::trap) {
            if (!has_trap(registers(event.thread).program_counter())) continue;  // the breakpoint has gone since
            found->second.met = registers(event.thread).program_counter();
        }
        if (!passes(event)) return event;
    }
}

std::optional<TargetEvent> LiveProcess::set_going(const Passes& passes, ThreadId only) {
    only_ = only;
    wake();
    if (auto event = take_pending(passes)) return event;
    target_moves();
    // All stand: those that must step by themselves do it now. What comes of it is judged like anything else.
    for (ThreadId id : threads()) {
        auto found = threads_.find(id);
        if (found == threads_.end() || found->second.running || (only && id != only) || !needs_step(id, found->second)) continue;
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
            case TargetEvent::Kind::thread_started: case TargetEvent::Kind::thread_ending: case TargetEvent::Kind::forked:
            case TargetEvent::Kind::system_call_entered: case TargetEvent::Kind::system_call_left: return true;
            default: return false;
        }
    });
}

TargetEvent LiveProcess::run(const Passes& passes, ThreadId only) {
    if (auto event = set_going(passes, only)) return *event;
    for (;;) {
        for (int look = 0; look < looks_before_sleep(threads_.size()); ++look)
            if (auto event = poll(passes)) return *event;
        if (events_.wait() != EventLoop::Event::interrupt) continue;
        if (auto event = take_event(passes)) return *event;  // what has happened by now comes first
        return interrupted();
    }
}

std::optional<TargetEvent> LiveProcess::poll(const Passes& passes) {
    if (++events_since_look_ % kEventsBetweenLooks == 0 && events_.let_others_look()) return interrupted();
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

// Threads that have told of their end cannot be stopped: a process of nothing else is waited for.
TargetEvent LiveProcess::interrupted() {
    TargetEvent event;
    event.kind = TargetEvent::Kind::interrupted;
    event = stopped_by(event);
    auto is_gone_soon = [](const auto& each) { return each.second.is_ending && each.second.running; };
    while (alive_ && !threads_.empty() && std::ranges::all_of(threads_, is_gone_soon)) {
        Tracer::News news = tracer_.wait(process_);
        if (!news.has_come()) break;
        interpret(news.thread, news.status);
    }
    if (!alive_) return lost();
    event.thread = only_ && threads_.count(only_) ? only_ : living_thread();
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
        ++round_;
        if (auto event = interpret(id, news.status)) {
            event->round = round_;
            bool is_held = only_ && event->thread != only_ && !event->is_end() && event->kind != TargetEvent::Kind::replaced && threads_.count(event->thread);
            if (is_held) {
                threads_.at(event->thread).pending = event;  // told when that thread may move again
                continue;
            }
            // What several threads write at the same moment is told apart only while all of them stand.
            bool is_watch = event->kind == TargetEvent::Kind::watched || event->kind == TargetEvent::Kind::touched;
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
        if (found == threads_.end()) found = threads_.find(process_);  // an exec has taken the thread's place
        if (found == threads_.end() || found->second.running || (only_ && found->first != only_)) continue;
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
                if (event.kind != TargetEvent::Kind::stepped) threads_.at(event.thread).pending = event;
            }
            if (auto event = set_going(passes, only_)) return stopped_by(*event);
        } else {
            go_on(found->first);
        }
        if (++events_since_look_ % kEventsBetweenLooks == 0) return std::nullopt;  // Ctrl-C gets its chance
    }
}

// Threads that were stopped between their write and telling of it: their debug status knows already.
void LiveProcess::take_watch_hits_of_others(ThreadId first) {
    for (auto& [id, thread] : threads_) {
        if (id == first || thread.running || thread.is_ending || thread.pending) continue;
        unsigned hits = watches_.take_hits(kernel_, id);
        if (!hits) continue;
        TargetEvent event{TargetEvent::Kind::watched, id};
        event.watches = hits;
        event.round = round_;
        thread.pending = event;
    }
}

// ---- stopping ----------------------------------------------------------------------------------------------------

void LiveProcess::wait_for_stop(ThreadId id) {
    Tracer::News news = tracer_.wait(process_, id);
    int status = news.status;
    auto found = threads_.find(id);
    if (!news.has_come()) {
        if (found != threads_.end() && id != process_) threads_.erase(found);
        look_for_exec();
        return;
    }
    if (WIFEXITED(status) || WIFSIGNALED(status)) {
        if (id == process_) ended(status);  // told by whoever asks next, see lost
        else threads_.erase(id);
        return;
    }
    if (auto event = interpret(id, status)) {
        event->round = round_;
        auto thread = threads_.find(event->thread);
        if (thread != threads_.end() && event->kind != TargetEvent::Kind::stepped) thread->second.pending = event;
    }
}

// A thread that is gone without a word may have become another program, in the place of the first one, which stood: nobody would
// look for news of that one before it goes on, and then there is none any more.
void LiveProcess::look_for_exec() {
    if (!alive_ || !threads_.count(process_) || threads_.at(process_).running) return;
    Tracer::News news = tracer_.look(process_, process_);
    if (!news.has_come()) return;
    auto event = interpret(process_, news.status);
    if (event && event->kind == TargetEvent::Kind::replaced) replaced_meanwhile_ = event;
    else if (event && threads_.count(process_)) threads_.at(process_).pending = event;
}

void LiveProcess::stop_other_threads() {
    std::vector<ThreadId> asked;
    for (auto& [id, thread] : threads_)
        if (thread.can_be_stopped() && kernel_.interrupt(id)) asked.push_back(id);
    for (ThreadId id : asked) {
        if (!alive_) return;
        auto found = threads_.find(id);
        if (found != threads_.end() && found->second.can_be_stopped()) wait_for_stop(id);
    }
    for (ThreadId id : threads())
        if (threads_.count(id) && !threads_.at(id).running) settle(id);
}

// Waits for one thread while the others stand. They can still be killed: then they are let go to their end, without which the
// first thread of the process would never be seen to end.
std::optional<int> LiveProcess::wait_for_thread(ThreadId id) {
    for (;;) {
        Tracer::News news = tracer_.wait(process_);
        if (!news.has_come()) return std::nullopt;
        if (news.thread == id) return news.status;
        auto event = interpret(news.thread, news.status);
        if (!alive_) return std::nullopt;
        auto found = threads_.find(news.thread);
        if (found == threads_.end()) continue;
        if (found->second.is_ending) {
            kernel_.resume(news.thread, Kernel::Motion::go, 0);
            found->second.running = true;
        } else if (event) {
            found->second.pending = event;
        }
    }
}

void LiveProcess::leave_system_call(ThreadId id) {
    Thread& thread = threads_.at(id);
    if (thread.inside == Thread::In::nothing) return;
    if (thread.inside == Thread::In::vfork)
        throw RequestError("the thread waits in a vfork for its child, and can run nothing else before that has gone its own way", Next::go_on_first);
    if (thread.inside == Thread::In::entry) {  // it is passed over, and entered once more when the thread goes on
        Registers before = registers(id);
        take_system_call_back(before, static_cast<long>(before.system_call));
        set_registers(id, before);
        thread.inside = Thread::In::nothing;
        thread.call.entry_is_told = true;
        return;
    }
    flush_registers(id, thread);
    kernel_.resume(id, Kernel::Motion::to_system_call, 0);
    thread.inside = Thread::In::nothing;
    Tracer::News news = tracer_.wait(process_, id);
    ++stops_;
    if (!news.has_come() || !WIFSTOPPED(news.status)) throw TargetError("the program ended while it worked for us");
    if (!(news.status >> 16) && WSTOPSIG(news.status) != (SIGTRAP | 0x80)) thread.signal_to_deliver = WSTOPSIG(news.status);
}

// ---- one instruction ---------------------------------------------------------------------------------------------

TargetEvent LiveProcess::step(ThreadId id) {
    wake();
    auto found = threads_.find(id);
    if (found == threads_.end()) throw TargetError(fmt::format("thread {} is gone", id));
    RunAddress at;
    try {
        at = registers(id).program_counter();
    } catch (const TargetError&) {  // killed while it stood: its end is all that is still to come
        auto status = wait_for_thread(id);
        if (!status) return lost();
        return interpret(id, *status).value_or(TargetEvent{TargetEvent::Kind::stepped, living_thread()});
    }
    probes_.lift(at);
    int held_signal = std::exchange(found->second.signal_to_deliver, 0);
    auto held_information = found->second.signal_information;
    std::byte code[kSystemCallLength];
    steps_over_call_ = read_available(at, code) == sizeof code && std::ranges::equal(code, kSystemCallCode);
    if (steps_over_call_ && watches_calls_) keep_what_is_watched(id);
    std::optional<TargetEvent> event;
    while (!event) {
        target_moves();
        resume(id, threads_.at(id), Kernel::Motion::one_instruction);
        auto news = wait_for_thread(id);
        if (!news) return lost();
        int status = *news;
        if ((WIFEXITED(status) || WIFSIGNALED(status)) && id != process_) {
            threads_.erase(id);
            event = TargetEvent{TargetEvent::Kind::stepped, living_thread()};
            break;
        }
        event = interpret(id, status);
        if (!alive_ || !threads_.count(id)) break;
        // Told on the way, and the instruction is still to be done or just was: an interruption of somebody else's, a new
        // thread, a system call. A signal from outside waits until the program goes on.
        bool signal_from_outside = event && event->kind == TargetEvent::Kind::signal && !event->is_fault && event->signal != SIGTRAP;
        if (signal_from_outside) {
            held_signal = event->signal;
            held_information = threads_.at(id).signal_information;
            event.reset();
        }
        if (!event && registers(id).program_counter() != at) event = TargetEvent{TargetEvent::Kind::stepped, id};
        if (threads_.at(id).is_ending) event = TargetEvent{TargetEvent::Kind::stepped, id};
    }
    if (!event) event = lost();
    bool was_call = std::exchange(steps_over_call_, false);
    if (was_call && watches_calls_ && event->kind == TargetEvent::Kind::stepped && threads_.count(id))
        if (auto changed = changed_by_call(id)) event = changed;
    if (alive_ && held_signal && threads_.count(id) && !threads_.at(id).signal_to_deliver) {
        threads_.at(id).signal_to_deliver = held_signal;
        threads_.at(id).signal_information = held_information;
    }
    probes_.set_back(at);
    target_moves();
    return *event;
}

}  // namespace lantern
