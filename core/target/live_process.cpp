#include "core/target/live_process.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/ptrace.h>
#include <sys/uio.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <utility>

#include "core/machine/instruction.h"
#include "core/support/error.h"

namespace lantern {
namespace {

void* as_data(long value) {
    return reinterpret_cast<void*>(value);
}

int stop_event(int status) {
    return status >> 16;
}

// Signals that the processor raises for the very instruction it is at.
bool is_fault_signal(int signal, int code) {
    bool kind = signal == SIGSEGV || signal == SIGBUS || signal == SIGFPE || signal == SIGILL;
    return kind && code > 0 && code != SI_USER;
}

}  // namespace

LiveProcess::LiveProcess(const LaunchOptions& options, EventLoop& events, OpenSymbols open_symbols)
    : events_(events),
      open_symbols_(std::move(open_symbols)),
      terminal_(0),
      cache_([this](RunAddress page, std::span<std::byte> out) {
          iovec local{out.data(), out.size()}, remote{reinterpret_cast<void*>(page.value), out.size()};
          if (process_vm_readv(process_, &local, 1, &remote, 1, 0) == static_cast<ssize_t>(out.size())) return true;
          return pread(memory_, out.data(), out.size(), static_cast<off_t>(page.value)) == static_cast<ssize_t>(out.size());
      }),
      program_(options.program) {
    events_.forget_interrupts();
    process_ = launch_traced(options);
    alive_ = true;
    threads_[process_];
    set_up_memory();
}

LiveProcess::~LiveProcess() {
    kill();
    if (memory_ >= 0) close(memory_);
}

void LiveProcess::set_up_memory() {
    if (memory_ >= 0) close(memory_);
    memory_ = open(fmt::format("/proc/{}/mem", process_).c_str(), O_RDWR | O_CLOEXEC);
    if (memory_ < 0) throw TargetError(fmt::format("the program's memory cannot be opened: {}", std::strerror(errno)));
}

// ---- memory ------------------------------------------------------------------------------------------------------

std::size_t LiveProcess::read_available(RunAddress address, std::span<std::byte> out) {
    if (!alive_) return 0;
    std::size_t got = cache_.read(address, out);
    for (auto trap = traps_.lower_bound(address); trap != traps_.end() && trap->first < address + got; ++trap)
        out[trap->first - address] = trap->second.original;
    return got;
}

void LiveProcess::read_memory(RunAddress address, std::span<std::byte> out) {
    std::size_t got = read_available(address, out);
    if (got < out.size()) throw MemoryError(fmt::format("nothing can be read at address {:#x}", (address + got).value));
}

void LiveProcess::write_raw(RunAddress address, ByteSpan bytes) {
    ssize_t done = pwrite(memory_, bytes.data(), bytes.size(), static_cast<off_t>(address.value));
    cache_.clear();
    if (done != static_cast<ssize_t>(bytes.size()))
        throw MemoryError(fmt::format("nothing can be written at address {:#x}", address.value + std::max<ssize_t>(done, 0)));
}

void LiveProcess::write_memory(RunAddress address, ByteSpan bytes) {
    std::vector<std::byte> patched(bytes.begin(), bytes.end());
    for (auto trap = traps_.lower_bound(address); trap != traps_.end() && trap->first < address + bytes.size(); ++trap)
        patched[trap->first - address] = kTrapByte;
    write_raw(address, patched);
    for (auto trap = traps_.lower_bound(address); trap != traps_.end() && trap->first < address + bytes.size(); ++trap)
        trap->second.original = bytes[trap->first - address];
}

void LiveProcess::insert_trap(RunAddress address) {
    Trap& trap = traps_[address];
    if (trap.count++) return;
    std::byte original;
    if (pread(memory_, &original, 1, static_cast<off_t>(address.value)) != 1) {
        traps_.erase(address);
        throw MemoryError(fmt::format("no breakpoint can be set at {:#x}: there is no memory", address.value));
    }
    trap.original = original;
    write_raw(address, ByteSpan(&kTrapByte, 1));
}

void LiveProcess::remove_trap(RunAddress address) {
    auto found = traps_.find(address);
    if (found == traps_.end() || --found->second.count) return;
    std::byte original = found->second.original;
    traps_.erase(found);
    past_traps_.insert(address);
    if (alive_) write_raw(address, ByteSpan(&original, 1));
}

// ---- moving ------------------------------------------------------------------------------------------------------

void LiveProcess::target_moves() {
    cache_.clear();
    modules_are_old_ = true;
    regions_are_old_ = true;
}

void LiveProcess::resume(ThreadId id, Thread& thread, int request) {
    flush_registers(id, thread);
    long signal = std::exchange(thread.signal_to_deliver, 0);
    thread.running = ptrace(static_cast<__ptrace_request>(request), id, nullptr, as_data(signal)) == 0;
}

void LiveProcess::deliver(ThreadId id, int signal) {
    auto found = threads_.find(id);
    if (found != threads_.end()) found->second.signal_to_deliver = signal;
}

std::optional<TargetEvent> LiveProcess::take_pending() {
    for (auto& [id, thread] : threads_) {
        if (std::exchange(thread.pending_trap, false) && has_trap(registers(id).program_counter()))
            return TargetEvent{TargetEvent::Kind::trap, id};
        // Clones and the like send the thread on and wait for `run`.
        if (!thread.pending_status || (WIFSTOPPED(*thread.pending_status) && stop_event(*thread.pending_status))) continue;
        int status = *std::exchange(thread.pending_status, std::nullopt);
        if (auto event = interpret(id, status)) return event;
        break;  // the thread is gone, and the loop's place with it; whoever asks, asks again
    }
    return std::nullopt;
}

TargetEvent LiveProcess::run() {
    for (auto& [id, thread] : threads_) {
        if (!thread.pending_status) continue;
        int status = *thread.pending_status;
        thread.pending_status.reset();
        if (auto event = interpret(id, status)) return *event;
        break;  // it was of no interest and that thread runs on; the loop below resumes the rest
    }
    target_moves();
    terminal_.lend(process_);
    for (auto& [id, thread] : threads_)
        if (!thread.running) resume(id, thread, PTRACE_CONT);
    TargetEvent event = wait_for_event();
    terminal_.take_back();
    target_moves();
    return event;
}

TargetEvent LiveProcess::wait_for_event() {
    pause_requested_ = false;
    for (;;) {
        if (auto event = next_status()) {
            if (!event->is_end()) stop_other_threads();
            return *event;
        }
        if (events_.wait() == EventLoop::Event::interrupt) {
            pause_requested_ = true;
            // Any thread will do: the first one may have ended while the others go on.
            for (auto& [id, thread] : threads_)
                if (thread.running && ptrace(PTRACE_INTERRUPT, id, nullptr, nullptr) == 0) break;
        }
    }
}

// Takes everything that has already happened; nothing if the target just runs.
std::optional<TargetEvent> LiveProcess::next_status() {
    for (;;) {
        int status = 0;
        pid_t id = waitpid(-1, &status, __WALL | WNOHANG);
        if (id < 0 && errno == EINTR) continue;
        if (id < 0 && errno == ECHILD) {
            alive_ = false;
            threads_.clear();
            TargetEvent lost;
            lost.kind = TargetEvent::Kind::killed;
            lost.thread = process_;
            lost.signal = SIGKILL;
            return lost;
        }
        if (id <= 0) return std::nullopt;
        if (auto event = interpret(id, status)) return event;
    }
}

TargetEvent LiveProcess::ended(int status) {
    alive_ = false;
    threads_.clear();
    TargetEvent event;
    event.thread = process_;
    event.kind = WIFEXITED(status) ? TargetEvent::Kind::exited : TargetEvent::Kind::killed;
    event.exit_code = WIFEXITED(status) ? WEXITSTATUS(status) : 0;
    event.signal = WIFSIGNALED(status) ? WTERMSIG(status) : 0;
    return event;
}

// What a wait status means; nothing if it is of no interest and the thread has been sent on its way.
std::optional<TargetEvent> LiveProcess::interpret(ThreadId id, int status) {
    if (WIFEXITED(status) || WIFSIGNALED(status)) {
        if (id == process_) return ended(status);
        threads_.erase(id);
        return std::nullopt;
    }
    ++stops_;
    Thread& thread = threads_[id];  // a new thread may stop before its creator reports it
    thread.running = false;
    if (stop_event(status)) return interpret_special(id, status);
    return interpret_signal(id, WSTOPSIG(status));
}

std::optional<TargetEvent> LiveProcess::interpret_special(ThreadId id, int status) {
    Thread& thread = threads_[id];
    unsigned long message = 0;
    ptrace(PTRACE_GETEVENTMSG, id, nullptr, &message);
    switch (stop_event(status)) {
        case PTRACE_EVENT_FORK: let_child_go(static_cast<pid_t>(message), false); break;
        case PTRACE_EVENT_VFORK: let_child_go(static_cast<pid_t>(message), true); break;
        case PTRACE_EVENT_VFORK_DONE:
            for (const auto& [address, trap] : traps_) write_raw(address, ByteSpan(&kTrapByte, 1));
            break;
        case PTRACE_EVENT_EXEC: {
            threads_.clear();
            threads_[process_];
            traps_.clear();
            modules_.clear();
            target_moves();
            set_up_memory();
            return TargetEvent{TargetEvent::Kind::replaced, process_};
        }
        case PTRACE_EVENT_STOP:
            if (pause_requested_ && WSTOPSIG(status) == SIGTRAP) {
                pause_requested_ = false;
                return TargetEvent{TargetEvent::Kind::interrupted, id};
            }
            break;
        default: break;
    }
    resume(id, thread, PTRACE_CONT);
    return std::nullopt;
}

TargetEvent LiveProcess::interpret_signal(ThreadId id, int signal) {
    TargetEvent event;
    event.thread = id;
    event.signal = signal;
    event.kind = TargetEvent::Kind::signal;
    siginfo_t info{};
    ptrace(PTRACE_GETSIGINFO, id, nullptr, &info);
    if (signal == SIGTRAP) {
        if (info.si_code == TRAP_TRACE) {
            event.kind = TargetEvent::Kind::stepped;
            return event;
        }
        RunAddress before = registers(id).program_counter() - 1;
        // A thread that was stopped between meeting our byte and telling of it tells later, when the byte may be gone.
        std::byte now{};
        bool met_past_one = past_traps_.count(before) && read_available(before, std::span(&now, 1)) == 1 && now != kTrapByte;
        if ((traps_.count(before) || met_past_one) && (info.si_code == SI_KERNEL || info.si_code == TRAP_BRKPT)) {
            Registers back = registers(id);
            back.set_program_counter(before);
            set_registers(id, back);
            event.kind = TargetEvent::Kind::trap;
            return event;
        }
    }
    event.is_fault = is_fault_signal(signal, info.si_code);
    if (event.is_fault) event.fault_address = RunAddress(reinterpret_cast<std::uint64_t>(info.si_addr));
    return event;
}

void LiveProcess::stop_other_threads() {
    for (auto& [id, thread] : threads_)
        if (thread.running) ptrace(PTRACE_INTERRUPT, id, nullptr, nullptr);
    for (auto it = threads_.begin(); it != threads_.end();) {
        auto& [id, thread] = *it;
        if (!thread.running) {
            ++it;
            continue;
        }
        int status = 0;
        pid_t got;
        while ((got = waitpid(id, &status, __WALL)) < 0 && errno == EINTR) continue;
        if (got < 0 || ((WIFEXITED(status) || WIFSIGNALED(status)) && id != process_)) {
            it = threads_.erase(it);
            continue;
        }
        thread.running = false;
        bool plain_stop = WIFSTOPPED(status) && stop_event(status) == PTRACE_EVENT_STOP;
        if (!plain_stop) {
            thread.pending_status = status;
            if (WIFSTOPPED(status) && !stop_event(status) && WSTOPSIG(status) == SIGTRAP) {
                TargetEvent event = interpret_signal(id, SIGTRAP);
                thread.pending_trap = event.kind == TargetEvent::Kind::trap;
                if (event.kind != TargetEvent::Kind::signal) thread.pending_status.reset();
            }
        }
        ++it;
    }
}

TargetEvent LiveProcess::step(ThreadId id) {
    auto found = threads_.find(id);
    if (found == threads_.end()) throw TargetError(fmt::format("thread {} is gone", id));
    Thread& thread = found->second;
    RunAddress at = registers(id).program_counter();
    auto trap = traps_.find(at);
    std::byte original = trap != traps_.end() ? trap->second.original : std::byte{};
    if (trap != traps_.end()) write_raw(at, ByteSpan(&original, 1));
    int held_signal = std::exchange(thread.signal_to_deliver, 0);
    std::optional<TargetEvent> event;
    while (!event) {
        target_moves();
        resume(id, thread, PTRACE_SINGLESTEP);
        int status = 0;
        pid_t got;
        while ((got = waitpid(id, &status, __WALL)) < 0 && errno == EINTR) continue;
        if (got < 0) {
            event = ended(SIGKILL);
            break;
        }
        if (WIFSTOPPED(status) && stop_event(status) == PTRACE_EVENT_STOP) {
            thread.running = false;
            ++stops_;
            continue;  // somebody else's interruption: step again
        }
        if ((WIFEXITED(status) || WIFSIGNALED(status)) && id != process_) {
            threads_.erase(id);
            return TargetEvent{TargetEvent::Kind::stepped, process_};
        }
        event = interpret(id, status);
        if (!event && threads_.count(id) && threads_[id].running) {
            // The step ran into an event (a clone, a fork) that sent the thread on: catch it again.
            ptrace(PTRACE_INTERRUPT, id, nullptr, nullptr);
            while (waitpid(id, &status, __WALL) < 0 && errno == EINTR) continue;
            if (WIFEXITED(status) || WIFSIGNALED(status)) {
                event = ended(status);
                break;
            }
            threads_[id].running = false;
            event = TargetEvent{TargetEvent::Kind::stepped, id};
            break;
        }
        // A signal from outside in the middle of a step waits until the program goes on.
        if (event && event->kind == TargetEvent::Kind::signal && !event->is_fault && event->signal != SIGTRAP) {
            held_signal = event->signal;
            if (registers(id).program_counter() == at) event.reset();
            else event = TargetEvent{TargetEvent::Kind::stepped, id};
        }
    }
    if (alive_ && threads_.count(id)) {
        if (held_signal && !threads_[id].signal_to_deliver) threads_[id].signal_to_deliver = held_signal;
        if (traps_.count(at) && event->kind != TargetEvent::Kind::replaced) write_raw(at, ByteSpan(&kTrapByte, 1));
    }
    target_moves();
    return *event;
}

// A forked child is not ours to debug yet: it gets clean code and its freedom.
void LiveProcess::let_child_go(pid_t child, bool shares_memory) {
    int status = 0;
    while (waitpid(child, &status, __WALL) < 0 && errno == EINTR) continue;
    if (shares_memory) {
        for (const auto& [address, trap] : traps_) write_raw(address, ByteSpan(&trap.original, 1));
    } else if (int memory = open(fmt::format("/proc/{}/mem", child).c_str(), O_RDWR | O_CLOEXEC); memory >= 0) {
        for (const auto& [address, trap] : traps_)
            (void)!pwrite(memory, &trap.original, 1, static_cast<off_t>(address.value));
        close(memory);
    }
    ptrace(PTRACE_DETACH, child, nullptr, nullptr);
}

void LiveProcess::kill() {
    if (!alive_) return;
    ::kill(process_, SIGKILL);
    int status = 0;
    for (;;) {
        pid_t got = waitpid(-1, &status, __WALL);
        if (got < 0 && errno == EINTR) continue;
        if (got < 0 || (got == process_ && (WIFEXITED(status) || WIFSIGNALED(status)))) break;
    }
    terminal_.take_back();
    alive_ = false;
    threads_.clear();
}

// ---- signals -----------------------------------------------------------------------------------------------------

std::uint64_t LiveProcess::signal_mask(const char* field) const {
    FILE* file = fopen(fmt::format("/proc/{}/status", process_).c_str(), "re");
    if (!file) return 0;
    std::uint64_t mask = 0;
    char line[256];
    while (fgets(line, sizeof line, file))
        if (std::strncmp(line, field, std::strlen(field)) == 0) mask = std::strtoull(line + std::strlen(field), nullptr, 16);
    fclose(file);
    return mask;
}

bool LiveProcess::handles_signal(int signal) const {
    return signal_mask("SigCgt:") >> (signal - 1) & 1;
}

bool LiveProcess::ignores_signal(int signal) const {
    return signal_mask("SigIgn:") >> (signal - 1) & 1;
}

}  // namespace lantern
