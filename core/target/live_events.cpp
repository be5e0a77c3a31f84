// What a wait status of a traced thread means (wait(2), ptrace(2)): a TargetEvent, or nothing where nobody needs to know. None
// of it sends a thread on its way.
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

bool LiveProcess::is_our_thread(ThreadId id) const {
    return access(fmt::format("/proc/{}/task/{}", process_, id).c_str(), F_OK) == 0;
}

std::optional<TargetEvent> LiveProcess::interpret(ThreadId id, int status) {
    if (id == vfork_parent_) {
        if (!WIFSTOPPED(status)) vfork_parent_ = 0;
        else if (stop_event(status) == PTRACE_EVENT_VFORK_DONE) let_vfork_parent_go();
        else ptrace(PTRACE_CONT, id, nullptr, static_cast<long>(stop_event(status) ? 0 : WSTOPSIG(status)));
        return std::nullopt;
    }
    if (WIFEXITED(status) || WIFSIGNALED(status)) {
        if (id == process_) return ended(status);
        threads_.erase(id);
        early_children_.erase(id);
        return std::nullopt;
    }
    bool is_new = !threads_.count(id) && stop_event(status) != PTRACE_EVENT_EXEC;
    // One that was killed before it ever stopped tells of its end first.
    if (is_new && (stop_event(status) != PTRACE_EVENT_EXIT || !is_our_thread(id))) return meet_newcomer(id);
    ++stops_;
    Thread& thread = add_thread(id);
    thread.running = false;
    if (stop_event(status)) return interpret_special(id, status);
    if (WSTOPSIG(status) != kSystemCallStop) return interpret_signal(id, WSTOPSIG(status));
    __ptrace_syscall_info info{};
    ptrace(PTRACE_GET_SYSCALL_INFO, id, sizeof info, &info);
    bool entered = info.op == PTRACE_SYSCALL_INFO_ENTRY;
    if (auto event = look_at_system_call(id, entered)) return event;
    bool is_ours = threads_.at(id).held_call || threads_.at(id).lifts_next_call || (entered && threads_.at(id).runs_lifted_call);
    if (!traces_system_calls_ || is_ours) return std::nullopt;
    return TargetEvent{entered ? TargetEvent::Kind::system_call_entered : TargetEvent::Kind::system_call_left, id};
}

// A thread or a child process may stop before whoever made it has told of it.
std::optional<TargetEvent> LiveProcess::meet_newcomer(ThreadId id) {
    if (!is_our_thread(id)) {
        early_children_.insert(id);
        return std::nullopt;
    }
    ++stops_;
    add_thread(id);
    write_debug_registers(id);
    return TargetEvent{TargetEvent::Kind::thread_started, id};
}

std::optional<TargetEvent> LiveProcess::interpret_special(ThreadId id, int status) {
    unsigned long message = 0;
    ptrace(PTRACE_GETEVENTMSG, id, nullptr, &message);
    switch (stop_event(status)) {
        case PTRACE_EVENT_FORK: return interpret_fork(id, static_cast<pid_t>(message), false);
        case PTRACE_EVENT_VFORK: return interpret_fork(id, static_cast<pid_t>(message), true);
        case PTRACE_EVENT_VFORK_DONE:
            threads_[id].waits_for_child = false;
            for (const auto& [address, trap] : traps_) write_raw(address, ByteSpan(&kTrapByte, 1));
            if (!protected_.empty()) set_protection(id, true);
            return std::nullopt;
        case PTRACE_EVENT_EXEC: {
            await_vfork_parent();
            threads_.clear();
            threads_met_ = 0;
            add_thread(process_);
            traps_.clear();
            past_traps_.clear();
            moved_.clear();
            room_taken_.clear();
            room_used_.clear();
            protected_.clear();
            for (DebugRegister& watch : watches_) watch.length = 0;
            modules_.clear();
            program_ = program_of(process_);
            target_moves();
            set_up_memory();
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

std::optional<TargetEvent> LiveProcess::interpret_fork(ThreadId id, pid_t child, bool shares_memory) {
    if (!early_children_.erase(child)) {
        int status = 0;
        while (waitpid(child, &status, __WALL) < 0 && errno == EINTR) continue;
    }
    TargetEvent event{TargetEvent::Kind::forked, id};
    event.other = child;
    if (follow_ == Follow::child) {
        event.other = process_;
        move_to_child(child, shares_memory);
        event.thread = child;
    } else if (follow_ == Follow::both && !shares_memory) {
        clean_child(child);
        child_.reset(new LiveProcess({child}, child, program_, events_, open_symbols_));
        child_->attached_ = attached_;
        if (attached_) join_emergency(*child_);
    } else {
        let_child_go(child, shares_memory);
        threads_[id].waits_for_child = shares_memory;
    }
    return event;
}

// A child's memory is a copy of its parent's, our bytes and the rights of watched pages included.
void LiveProcess::clean_child(pid_t child) {
    int memory = open(fmt::format("/proc/{}/mem", child).c_str(), O_RDWR | O_CLOEXEC);
    if (memory < 0) return;
    clean(memory);
    close(memory);
    if (!protected_.empty()) open_pages_of_child(child);
}

void LiveProcess::open_pages_of_child(pid_t child) {
    LiveProcess held({child}, child, program_, events_, open_symbols_);
    held.protected_ = protected_;
    try {
        held.set_protection(child, false);
        held.flush_registers(child, held.threads_.at(child));
    } catch (const TargetError&) {  // it has been killed
    }
    held.alive_ = false;  // it is not ours to end
}

// The child of a fork that is not followed gets clean code and its freedom.
void LiveProcess::let_child_go(pid_t child, bool shares_memory) {
    if (shares_memory) {
        for (const auto& [address, trap] : traps_) write_raw(address, ByteSpan(&trap.original, 1));
        if (!protected_.empty()) open_pages_of_child(child);  // and so its parent's, until it has gone its own way
    } else {
        clean_child(child);
    }
    ptrace(PTRACE_DETACH, child, nullptr, nullptr);
}

// From here on the child is the process; its parent goes on alone, with clean code.
void LiveProcess::move_to_child(pid_t child, bool shares_memory) {
    stop_other_threads();
    // The parent of a vfork stands still until its child has gone its own way: our bytes may stay in the memory they share, if no
    // other thread of the parent runs there. It is kept until then, to be given its code back.
    bool keeps_bytes = shares_memory && threads_.size() == 1 && protected_.empty();
    if (keeps_bytes) {
        vfork_parent_ = process_;
        flush_registers(process_, threads_.at(process_));
        ptrace(PTRACE_CONT, process_, nullptr, nullptr);
        threads_.clear();
    } else {
        clean(memory_);
    }
    if (shares_memory && !protected_.empty()) {
        open_pages_of_child(child);
        protected_.clear();
    } else if (!protected_.empty()) {
        set_protection(living_thread(), false);
    }
    for (auto& [id, thread] : threads_) {
        if (thread.is_ending && thread.running) continue;
        flush_registers(id, thread);
        ptrace(PTRACE_DETACH, id, nullptr, nullptr);
    }
    threads_.clear();
    process_ = child;
    threads_met_ = 0;
    add_thread(child);
    target_moves();
    set_up_memory();
    write_debug_registers(child);
    // A child with a memory of its own has copies of our bytes in it. One that shares it with a parent of several threads runs
    // without them until it becomes another program.
    if (!shares_memory || keeps_bytes) return;
    traps_.clear();
    moved_.clear();
    room_taken_.clear();
    room_used_.clear();
}

// The child has become another program or ended: its parent is about to go on.
void LiveProcess::await_vfork_parent() {
    while (vfork_parent_) {
        int status = 0;
        pid_t got = waitpid(vfork_parent_, &status, __WALL);
        if (got < 0 && errno == EINTR) continue;
        if (got < 0) vfork_parent_ = 0;
        else interpret(got, status);
    }
}

void LiveProcess::let_vfork_parent_go() {
    pid_t parent = std::exchange(vfork_parent_, 0);
    int memory = open(fmt::format("/proc/{}/mem", parent).c_str(), O_RDWR | O_CLOEXEC);
    if (memory >= 0) {
        clean(memory);
        close(memory);
    }
    ptrace(PTRACE_POKEUSER, parent, offsetof(struct user, u_debugreg) + kDebugControl * sizeof(long), 0);
    ptrace(PTRACE_DETACH, parent, nullptr, nullptr);
}

std::optional<TargetEvent> LiveProcess::interpret_signal(ThreadId id, int signal) {
    if (unsigned hits = signal == SIGTRAP ? take_watch_hits(id) : 0) {
        settle(id);
        TargetEvent event{TargetEvent::Kind::watched, id};
        event.watches = hits;
        return event;
    }
    siginfo_t info{};
    ptrace(PTRACE_GETSIGINFO, id, nullptr, &info);
    if (signal == SIGTRAP && info.si_code == TRAP_HWBKPT && watches_written_) return std::nullopt;  // told already, see take_watch_hits_of_others
    if (signal == SIGTRAP)
        if (auto event = interpret_trap(id, info)) return event;
    Thread& thread = threads_.at(id);
    TargetEvent event{TargetEvent::Kind::signal, id};
    event.signal = signal;
    event.is_fault = is_fault_signal(signal, info.si_code);
    if (event.is_fault) event.fault_address = RunAddress(reinterpret_cast<std::uint64_t>(info.si_addr));
    event.origin = origin_of(info);
    if (event.origin.sender) event.origin.sender_name = process_name(event.origin.sender);
    settle(id, &event);
    if (signal == SIGSEGV && info.si_code == SEGV_ACCERR && is_protected(event.fault_address)) return pass_protection(id, event.fault_address);
    thread.signal_information = info;
    return event;
}

std::optional<TargetEvent> LiveProcess::interpret_trap(ThreadId id, const siginfo_t& info) {
    Thread& thread = threads_.at(id);
    if (info.si_code == TRAP_TRACE) return TargetEvent{TargetEvent::Kind::stepped, id};
    RunAddress before = registers(id).program_counter() - 1;
    // A thread that was stopped between meeting our byte and telling of it tells later, when the byte may be gone.
    std::byte now{};
    bool met_past_one = past_traps_.count(before) && read_available(before, std::span(&now, 1)) == 1 && now != kTrapByte;
    if ((!traps_.count(before) && !met_past_one) || (info.si_code != SI_KERNEL && info.si_code != TRAP_BRKPT)) return std::nullopt;
    Registers back = registers(id);
    back.set_program_counter(before);
    set_registers(id, back);
    thread.in_moved_code = false;
    thread.met = before;
    return TargetEvent{TargetEvent::Kind::trap, id};
}

}  // namespace lantern
