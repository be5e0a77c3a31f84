// What a wait status of a traced thread means (wait(2), ptrace(2)): a TargetEvent, or nothing where
// nobody needs to know. None of it sends a thread on its way.
#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/ptrace.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstddef>
#include <utility>

#include "core/machine/debug_registers.h"
#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/target/emergency.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

int stop_event(int status) {
    return status >> 16;
}

// Signals that the processor raises for the very instruction it is at.
bool is_fault_signal(int signal, int code) {
    bool kind = signal == SIGSEGV || signal == SIGBUS || signal == SIGFPE || signal == SIGILL;
    return kind && code > 0 && code != SI_USER;
}

constexpr int kSystemCallStop = SIGTRAP | 0x80;  // PTRACE_O_TRACESYSGOOD

}  // namespace

std::optional<TargetEvent> LiveProcess::interpret(ThreadId id, int status) {
    if (id == vfork_parent_) {
        if (!WIFSTOPPED(status))
            vfork_parent_ = 0;
        else if (stop_event(status) == PTRACE_EVENT_VFORK_DONE)
            let_vfork_parent_go();
        else
            kernel_.resume(id, Kernel::Motion::go, stop_event(status) ? 0 : WSTOPSIG(status));
        return std::nullopt;
    }
    if (guests_.count(id)) {
        look_after_guest(id, status);
        return std::nullopt;
    }
    if (WIFEXITED(status) || WIFSIGNALED(status)) {
        if (id == process_) return ended(status);
        threads_.erase(id);
        return std::nullopt;
    }
    bool is_new = !threads_.count(id) && stop_event(status) != PTRACE_EVENT_EXEC;
    // One that was killed before it ever stopped tells of its end first.
    if (is_new && stop_event(status) != PTRACE_EVENT_EXIT) return meet_newcomer(id);
    ++stops_;
    Thread& thread = add_thread(id);
    thread.running = false;
    if (stop_event(status)) return interpret_special(id, status);
    if (WSTOPSIG(status) != kSystemCallStop) return interpret_signal(id, WSTOPSIG(status));
    bool entered = kernel_.enters_system_call(id);
    if (entered) thread.inside = Thread::In::entry;
    if (auto event = look_at_system_call(id, entered)) return event;
    CallUnderWay& call = threads_.at(id).call;
    bool is_ours = call.is_ours() || (entered && call.runs_lifted);
    bool is_told = entered && std::exchange(call.entry_is_told, false);
    if (!traces_system_calls_ || is_ours || is_told) return std::nullopt;
    return TargetEvent{
        entered ? TargetEvent::Kind::system_call_entered : TargetEvent::Kind::system_call_left, id};
}

// A thread may stop before the one that made it has told of it.
std::optional<TargetEvent> LiveProcess::meet_newcomer(ThreadId id) {
    ++stops_;
    add_thread(id);
    write_debug_registers(id);
    return TargetEvent{TargetEvent::Kind::thread_started, id};
}

std::optional<TargetEvent> LiveProcess::interpret_special(ThreadId id, int status) {
    std::uint64_t message = kernel_.event_message(id);
    switch (stop_event(status)) {
        case PTRACE_EVENT_CLONE: threads_[id].inside = Thread::In::fork; return std::nullopt;
        case PTRACE_EVENT_FORK:
            threads_[id].inside = Thread::In::fork;
            return interpret_fork(id, static_cast<pid_t>(message), false);
        case PTRACE_EVENT_VFORK:
            threads_[id].inside = Thread::In::vfork;
            return interpret_fork(id, static_cast<pid_t>(message), true);
        case PTRACE_EVENT_VFORK_DONE:
            threads_[id].waits_for_child = false;
            threads_[id].inside = Thread::In::fork;
            if (!protected_.empty()) set_protection(id, true);
            return child_goes_its_way(id);
        case PTRACE_EVENT_EXEC: {
            let_guests_go();  // in the memory that was
            await_vfork_parent();
            threads_.clear();
            threads_met_ = 0;
            add_thread(process_);
            probes_.forget();
            rooms_.forget();
            scratches_.clear();
            maps_no_rooms_ = false;
            protected_.clear();
            watches_.free_all();
            unloaded_.splice(unloaded_.end(), modules_);
            maps_.clear();
            modules_are_of_maps_ = regions_are_of_maps_ = loader_tells_ = false;
            program_ = kernel_.program_of(process_);
            target_moves();
            memory_ = kernel_.memory(process_);
            write_debug_registers(process_);
            return TargetEvent{TargetEvent::Kind::replaced, process_};
        }
        case PTRACE_EVENT_EXIT: {
            threads_[id].is_ending = true;
            TargetEvent event{TargetEvent::Kind::thread_ending, id};
            int code = static_cast<int>(message);
            event.exit_code = WIFEXITED(code) ? WEXITSTATUS(code) : 0;
            event.signal = WIFSIGNALED(code) ? WTERMSIG(code) : 0;
            return event;
        }
        default: return std::nullopt;  // an interruption, or a stop that the next continue ends
    }
}

std::optional<TargetEvent> LiveProcess::interpret_fork(ThreadId id, pid_t child,
                                                       bool shares_memory) {
    tracer_.await_newborn(child);
    TargetEvent event{TargetEvent::Kind::forked, id};
    event.other = child;
    if (follow_ == Follow::child) {
        event.other = process_;
        move_to_child(child, shares_memory);
        event.thread = child;
    } else if (follow_ == Follow::both && !shares_memory) {
        clean_child(child);
        hold_child(child, program_);
    } else {
        let_child_go(child, shares_memory);
        threads_[id].waits_for_child = shares_memory;
        if (shares_memory && follow_ == Follow::both) {
            threads_[id].untold_child = child;
            return std::nullopt;
        }
    }
    return event;
}

// The parent of a vfork goes on: its child has become another program, where it stands, or it has
// ended. The kernel wakes the parent in the middle of that, so the child may still be on its way.
std::optional<TargetEvent> LiveProcess::child_goes_its_way(ThreadId id) {
    pid_t child = threads_.at(id).untold_child;
    if (!child) return std::nullopt;
    while (guests_.count(child)) {
        Tracer::News news = tracer_.wait(process_, child);
        if (!news.has_come()) break;
        look_after_guest(child, news.status);
    }
    threads_.at(id).untold_child = 0;
    TargetEvent event{TargetEvent::Kind::forked, id};
    event.other = child;
    return event;
}

void LiveProcess::hold_child(pid_t child, std::string program) {
    auto& held = newborn_[child];
    held.reset(
        new LiveProcess({child}, child, std::move(program), events_, tracer_, open_symbols_));
    held->attached_ = attached_;
    if (attached_) join_emergency(*held);
}

// A child's memory is a copy of its parent's, our bytes and the rights of watched pages included.
void LiveProcess::clean_child(pid_t child) {
    try {
        clean(*kernel_.memory(child));
    } catch (const TargetError&) {  // it has been killed
        return;
    }
    if (!protected_.empty()) open_pages_of_child(child);
}

void LiveProcess::open_pages_of_child(pid_t child) {
    LiveProcess held({child}, child, program_, events_, tracer_, open_symbols_);
    held.protected_ = protected_;
    try {
        held.set_protection(child, false);
        held.flush_registers(child, held.threads_.at(child));
    } catch (const TargetError&) {  // it has been killed
    }
    held.alive_ = false;  // it is not ours to end
}

std::unique_ptr<LiveProcess> LiveProcess::take_child(pid_t child) {
    auto found = newborn_.extract(child);
    return found ? std::move(found.mapped()) : nullptr;
}

// The child of a fork that is not followed gets clean code and its freedom.
void LiveProcess::let_child_go(pid_t child, bool shares_memory) {
    if (shares_memory) {
        if (!protected_.empty())
            open_pages_of_child(child);  // and so its parent's, until it has gone its own way
        return take_in_guest(child);
    }
    clean_child(child);
    kernel_.detach(child, 0);
}

// From here on the child is the process; its parent goes on alone, with clean code.
void LiveProcess::move_to_child(pid_t child, bool shares_memory) {
    stop_other_threads();
    see_ending_threads_off();
    let_guests_go();
    // The parent of a vfork stands still until its child has gone its own way: our bytes may stay
    // in the memory they share, if no other thread of the parent runs there. It is kept until then,
    // to be given its code back.
    bool keeps_bytes = shares_memory && threads_.size() == 1 && protected_.empty();
    if (keeps_bytes) {
        vfork_parent_ = process_;
        flush_registers(process_, threads_.at(process_));
        kernel_.resume(process_, Kernel::Motion::go, 0);
        threads_.clear();
    } else {
        unmap_what_is_ours();
        clean(*memory_);
    }
    if (shares_memory && !protected_.empty()) {
        open_pages_of_child(child);
        protected_.clear();
    } else if (!protected_.empty()) {
        give_calls_back();
        set_protection(living_thread(), false);
    }
    for (auto& [id, thread] : threads_) {
        if (thread.is_ending && thread.running) continue;
        flush_registers(id, thread);
        kernel_.detach(id, 0);
    }
    threads_.clear();
    tracer_.leave(process_);
    tracer_.join(child);
    if (vfork_parent_) tracer_.hand_over(vfork_parent_, child);
    process_ = child;
    threads_met_ = 0;
    add_thread(child);
    target_moves();
    memory_ = kernel_.memory(child);
    write_debug_registers(child);
    // A child with a memory of its own has copies of our bytes in it. One that shares it with a
    // parent of several threads runs without them until it becomes another program.
    if (!shares_memory || keeps_bytes) return;
    probes_.forget();
    rooms_.forget();
}

// The child has become another program or ended: its parent is about to go on.
void LiveProcess::await_vfork_parent() {
    while (vfork_parent_) {
        Tracer::News news = tracer_.wait(process_, vfork_parent_);
        if (news.has_come())
            interpret(news.thread, news.status);
        else
            vfork_parent_ = 0;
    }
}

void LiveProcess::let_vfork_parent_go() {
    pid_t parent = std::exchange(vfork_parent_, 0);
    try {
        clean(*kernel_.memory(parent));
    } catch (const TargetError&) {  // it has been killed
    }
    kernel_.set_debug_register(parent, kDebugControl, 0);
    kernel_.detach(parent, 0);
}

std::optional<TargetEvent> LiveProcess::interpret_signal(ThreadId id, int signal) {
    if (unsigned hits = signal == SIGTRAP ? watches_.take_hits(kernel_, id) : 0) {
        settle(id);
        TargetEvent event{TargetEvent::Kind::watched, id};
        event.watches = hits;
        return event;
    }
    siginfo_t info{};
    kernel_.read_signal(id, info);
    if (signal == SIGTRAP && info.si_code == TRAP_HWBKPT && watches_.were_ever_written())
        return std::nullopt;  // told already, see take_watch_hits_of_others
    if (signal == SIGTRAP)
        if (auto event = interpret_trap(id, info)) return event;
    Thread& thread = threads_.at(id);
    TargetEvent event{TargetEvent::Kind::signal, id};
    event.signal = signal;
    event.is_fault = is_fault_signal(signal, info.si_code);
    if (event.is_fault)
        event.fault_address = RunAddress(reinterpret_cast<std::uint64_t>(info.si_addr));
    event.origin = origin_of(info);
    if (event.origin.sender) event.origin.sender_name = process_name(event.origin.sender);
    settle(id, &event);
    if (signal == SIGSEGV && info.si_code == SEGV_ACCERR && protected_.contain(event.fault_address))
        return pass_protection(id, event.fault_address);
    thread.signal_information = info;
    return event;
}

std::optional<TargetEvent> LiveProcess::interpret_trap(ThreadId id, const siginfo_t& info) {
    Thread& thread = threads_.at(id);
    if (info.si_code == TRAP_TRACE || (steps_over_call_ && info.si_code == TRAP_BRKPT))
        return TargetEvent{TargetEvent::Kind::stepped, id};
    RunAddress before = registers(id).program_counter() - 1;
    // A thread that was stopped between meeting our byte and telling of it tells later, when the
    // byte may be gone.
    std::byte now{};
    bool met_past_one = probes_.has_stood(before) &&
                        read_available(before, std::span(&now, 1)) == 1 && now != kTrapByte;
    if ((!has_trap(before) && !met_past_one) ||
        (info.si_code != SI_KERNEL && info.si_code != TRAP_BRKPT))
        return std::nullopt;
    Registers back = registers(id);
    back.set_program_counter(before);
    set_registers(id, back);
    thread.in_moved_code = false;
    thread.told_trap = before;
    return TargetEvent{TargetEvent::Kind::trap, id};
}

}  // namespace lantern
