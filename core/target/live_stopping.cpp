// Stopping threads, each in its own way, and single instructions.
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
        if (id == process_)
            ended(status);  // told by whoever asks next, see lost
        else
            threads_.erase(id);
        return;
    }
    if (auto event = interpret(id, status)) {
        event->batch = batch_;
        auto thread = threads_.find(event->thread);
        if (thread != threads_.end() && event->kind != TargetEvent::Kind::stepped)
            thread->second.pending = event;
    }
}

// A thread that is gone without a word may have become another program, in the place of the first
// one, which stood: nobody would look for news of that one before it goes on, and then there is
// none any more.
void LiveProcess::look_for_exec() {
    if (!alive_ || !threads_.count(process_) || threads_.at(process_).running) return;
    Tracer::News news = tracer_.look(process_, process_);
    if (!news.has_come()) return;
    auto event = interpret(process_, news.status);
    if (event && event->kind == TargetEvent::Kind::replaced)
        replaced_meanwhile_ = event;
    else if (event && threads_.count(process_))
        threads_.at(process_).pending = event;
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

// Waits for one thread while the others stand. They can still be killed: then they are let go to
// their end, without which the first thread of the process would never be seen to end.
// An instruction is done at once, or it is a system call that waits: for that there is the event
// loop, and Ctrl-C ends it.
Tracer::News LiveProcess::wait_for_news_of_step(ThreadId id) {
    constexpr int kLooks = 500;
    for (;;) {
        for (int look = 0; look < kLooks; ++look)
            if (Tracer::News news = tracer_.look(process_); news.has_come() || !news.can_come())
                return news;
        bool was_moving = std::exchange(moving_, true);
        EventLoop::Event event = events_.wait();
        moving_ = was_moving;
        if (event != EventLoop::Event::interrupt) continue;
        step_is_interrupted_ = true;
        kernel_.interrupt(id);
    }
}

std::optional<int> LiveProcess::wait_for_thread(ThreadId id) {
    for (;;) {
        Tracer::News news = wait_for_news_of_step(id);
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
        throw RequestError(
            "the thread waits in a vfork for its child, and can run nothing else before that has "
            "gone its own way",
            Next::go_on_first);
    if (thread.inside ==
        Thread::In::entry) {  // it is passed over, and entered once more when the thread goes on
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
    if (!news.has_come() || !WIFSTOPPED(news.status))
        throw TargetError("the program ended while it worked for us");
    if (!(news.status >> 16) && WSTOPSIG(news.status) != (SIGTRAP | 0x80))
        thread.signal_to_deliver = WSTOPSIG(news.status);
}

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
        return interpret(id, *status)
            .value_or(TargetEvent{TargetEvent::Kind::stepped, living_thread()});
    }
    probes_.lift(at);
    int held_signal = std::exchange(found->second.signal_to_deliver, 0);
    auto held_information = found->second.signal_information;
    std::byte code[kSystemCallLength];
    steps_over_call_ =
        read_available(at, code) == sizeof code && std::ranges::equal(code, kSystemCallCode);
    if (steps_over_call_ && watches_calls_) keep_what_is_watched(id);
    std::optional<TargetEvent> event;
    step_is_interrupted_ = false;
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
        // Told on the way, and the instruction is still to be done or just was: an interruption of
        // somebody else's, a new thread, a system call. A signal from outside waits until the
        // program goes on.
        bool signal_from_outside = event && event->kind == TargetEvent::Kind::signal &&
                                   !event->is_fault && event->signal != SIGTRAP;
        if (signal_from_outside) {
            held_signal = event->signal;
            held_information = threads_.at(id).signal_information;
            event.reset();
        }
        if (!event && registers(id).program_counter() != at)
            event = TargetEvent{TargetEvent::Kind::stepped, id};
        if (threads_.at(id).is_ending) event = TargetEvent{TargetEvent::Kind::stepped, id};
        if (!event && step_is_interrupted_) event = TargetEvent{TargetEvent::Kind::interrupted, id};
    }
    if (!event) event = lost();
    bool was_call = std::exchange(steps_over_call_, false);
    if (was_call && watches_calls_ && event->kind == TargetEvent::Kind::stepped &&
        threads_.count(id))
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
