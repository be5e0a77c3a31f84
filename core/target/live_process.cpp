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
#include <cstddef>
#include <cstdio>
#include <cstring>
#include <ctime>
#include <filesystem>
#include <fstream>
#include <utility>

#include "core/machine/debug_registers.h"
#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/target/emergency.h"

namespace lantern {

LiveProcess::LiveProcess(std::vector<pid_t> stopped, pid_t process, std::string program,
                         EventLoop& events, Tracer& tracer, OpenSymbols open_symbols)
    : process_(process),
      events_(events),
      tracer_(tracer),
      kernel_(tracer.kernel()),
      open_symbols_(std::move(open_symbols)),
      terminal_(0),
      cache_([this](RunAddress page, std::span<std::byte> out) {
          return memory_->read(page, out) == out.size();
      }),
      program_(std::move(program)) {
    alive_ = true;
    tracer_.join(process_);
    for (pid_t id : stopped) add_thread(id);
    memory_ = kernel_.memory(process_);
}

LiveProcess::LiveProcess(const LaunchOptions& options, EventLoop& events, Tracer& tracer,
                         OpenSymbols open_symbols)
    : LiveProcess({}, (events.forget_interrupts(), tracer.kernel().launch(options)),
                  options.program, events, tracer, std::move(open_symbols)) {
    threads_[process_].number = ++threads_met_;  // it is the only one
}

LiveProcess::LiveProcess(pid_t process, EventLoop& events, Tracer& tracer, OpenSymbols open_symbols)
    : LiveProcess(tracer.kernel().attach(process), process, tracer.kernel().program_of(process),
                  events, tracer, std::move(open_symbols)) {
    attached_ = rests_ = true;
    probes_.withdraw(*memory_);
    join_emergency(*this);
    events.forget_interrupts();
}

LiveProcess::~LiveProcess() {
    if (attached_) leave_emergency(*this);
    if (attached_) release();
    kill();
    tracer_.leave(process_);
}

LiveProcess::Thread& LiveProcess::add_thread(ThreadId id) {
    Thread& thread = threads_[id];
    if (thread.number) return thread;
    // Threads born at the same time are met in any order; their numbers follow their births.
    auto reserved = reserved_numbers_.find(id);
    if (reserved == reserved_numbers_.end()) {
        std::set<ThreadId> unmet{id};
        for (ThreadId other : kernel_.threads_of(process_))
            if (other < id && !threads_.count(other) && !reserved_numbers_.count(other))
                unmet.insert(other);
        for (ThreadId each : unmet) reserved_numbers_[each] = ++threads_met_;
        reserved = reserved_numbers_.find(id);
    }
    thread.number = reserved->second;
    reserved_numbers_.erase(reserved);
    return thread;
}

bool LiveProcess::is_ending(ThreadId id) const {
    auto found = threads_.find(id);
    return found != threads_.end() && found->second.is_ending;
}

unsigned LiveProcess::thread_number(ThreadId id) const {
    auto found = threads_.find(id);
    return found == threads_.end() ? 0 : found->second.number;
}

std::string LiveProcess::thread_name(ThreadId id) const {
    std::string name = kernel_.file(process_, id, "comm");
    return name.substr(0, name.find('\n'));
}

std::optional<ThreadId> LiveProcess::thread_numbered(unsigned number) const {
    for (const auto& [id, thread] : threads_)
        if (thread.number == number && !(thread.is_ending && thread.running)) return id;
    return std::nullopt;
}

// A process whose first thread has ended tells of itself through the others alone.
ThreadId LiveProcess::living_thread() const {
    for (const auto& [id, thread] : threads_)
        if (!thread.is_ending) return id;
    return process_;
}

std::string LiveProcess::task_text(const char* name) const {
    return kernel_.file(process_, living_thread(), name);
}

// ---- memory

std::size_t LiveProcess::read_available(RunAddress address, std::span<std::byte> out) {
    if (!alive_) return 0;
    if (moving_ && !judging_) cache_.clear();  // it changes under us
    std::size_t got = cache_.read(address, out);
    probes_.hide(address, out.first(got));
    return got;
}

std::size_t LiveProcess::read_bulk(RunAddress address, std::span<std::byte> out) {
    if (!alive_) return 0;
    std::size_t got = memory_->read(address, out);
    probes_.hide(address, out.first(got));
    return got;
}

void LiveProcess::read_memory(RunAddress address, std::span<std::byte> out) {
    std::size_t got = read_available(address, out);
    if (got < out.size())
        throw MemoryError(
            fmt::format("nothing can be read at address {:#x}", (address + got).value));
}

void LiveProcess::write_raw(RunAddress address, ByteSpan bytes) {
    std::size_t done = memory_->write(address, bytes);
    cache_.clear();
    if (done != bytes.size())
        throw MemoryError(
            fmt::format("nothing can be written at address {:#x}", (address + done).value));
}

void LiveProcess::write_memory(RunAddress address, ByteSpan bytes) {
    write_raw(address, probes_.with_ours(address, bytes));
    probes_.take_originals(address, bytes);
}

void LiveProcess::insert_trap(RunAddress address, ProbeClient client) {
    std::byte original;
    if (read_available(address, std::span(&original, 1)) != 1)
        throw MemoryError(
            fmt::format("no breakpoint can be set at {:#x}: there is no memory", address.value));
    probes_.want(address, client, original);
    loader_tells_ |= client == ProbeClient::loader;
    apply_while_it_runs();
}

void LiveProcess::remove_trap(RunAddress address, ProbeClient client) {
    probes_.drop(address, client);
    apply_while_it_runs();
}

// Where nobody is about to be let go, nobody else would.
void LiveProcess::apply_while_it_runs() {
    if (alive_ && moving_ && !judging_) probes_.apply(*memory_);
}

// ---- the end

TargetEvent LiveProcess::ended(int status) {
    let_guests_go();
    await_vfork_parent();
    alive_ = moving_ = false;
    threads_.clear();
    TargetEvent event;
    event.thread = process_;
    event.kind = WIFEXITED(status) ? TargetEvent::Kind::exited : TargetEvent::Kind::killed;
    event.exit_code = WIFEXITED(status) ? WEXITSTATUS(status) : 0;
    event.signal = WIFSIGNALED(status) ? WTERMSIG(status) : 0;
    end_ = event;
    return event;
}

// It is gone, as was told on the way; where nothing was told, something from outside has ended it.
TargetEvent LiveProcess::lost() {
    return end_ ? *end_ : ended(SIGKILL);
}

namespace {

// Killed, or ending by itself, and still to be let go to its end.
bool stands_at_its_end(Kernel& kernel, ThreadId id) {
    siginfo_t info{};
    return kernel.read_signal(id, info) && info.si_code >> 8 == PTRACE_EVENT_EXIT;
}

}  // namespace

// Gone, about to be, or nothing of it left but its exit status (proc(5), stat).
bool LiveProcess::is_over() const {
    if (stands_at_its_end(kernel_, process_)) return true;
    std::string text = kernel_.file(process_, process_, "stat");
    std::size_t name_end = text.rfind(')');
    if (name_end == std::string::npos || name_end + 2 >= text.size()) return true;
    return text[name_end + 2] == 'Z' || text[name_end + 2] == 'X';
}

void LiveProcess::kill() {
    if (!alive_) return;
    let_guests_go();
    kernel_.kill(process_);
    // Threads tell of their end before they are gone, and the first is the last to be told of.
    auto let_end = [this](ThreadId id) {
        if (stands_at_its_end(kernel_, id)) kernel_.resume(id, Kernel::Motion::go, 0);
        Tracer::News news = tracer_.look(process_, id);
        if (news.has_come() && WIFSTOPPED(news.status)) kernel_.resume(id, Kernel::Motion::go, 0);
        return !news.can_come() || (news.has_come() && !WIFSTOPPED(news.status));
    };
    for (auto& [id, thread] : threads_)  // a thread that stands at its own end does not hear of it
        if (thread.is_ending && !thread.running) kernel_.resume(id, Kernel::Motion::go, 0);
    constexpr int kLooks = 200;  // a process of one thread is gone within them
    bool is_gone = false;
    for (int look = 0; look < kLooks && !is_gone; ++look) is_gone = let_end(process_);
    while (!is_gone && !let_end(process_)) {
        for (ThreadId id : kernel_.threads_of(process_))
            if (id != process_) let_end(id);
        usleep(100);
    }
    await_vfork_parent();
    take_terminal_back();
    alive_ = moving_ = false;
    threads_.clear();
}

// While nothing moves a process that is not ours keeps none of our bytes: should we be killed, it
// goes on as if we had not been.
void LiveProcess::rest() {
    if (!attached_ || !alive_ || moving_ || rests_) return;
    rests_ = true;
    probes_.withdraw(*memory_);
    cache_.clear();
    // A thread that stands where a trap was to be delivered would get it, were we gone: it is led
    // on to a stop without a signal.
    for (ThreadId id : threads()) {
        siginfo_t info{};
        auto found = threads_.find(id);
        if (found == threads_.end() || found->second.running) continue;
        flush_registers(id, found->second);
        bool holds_trap =
            kernel_.read_signal(id, info) && info.si_signo == SIGTRAP && (info.si_code >> 8) == 0;
        if (!holds_trap || found->second.pending || found->second.signal_to_deliver ||
            found->second.is_ending)
            continue;
        if (!kernel_.interrupt(id) || !kernel_.resume(id, Kernel::Motion::go, 0)) continue;
        found->second.running = true;
        wait_for_stop(id);
    }
}

void LiveProcess::wake() {
    if (std::exchange(rests_, false)) probes_.restore();
}

namespace {

// Waits for a stop of a thread that was asked for one, not for long; the signal that it was to get,
// and whether it stands.
bool stands_soon(Kernel& kernel, ThreadId id, int& signal) {
    constexpr int kMilliseconds = 200;
    for (int i = 0; i < kMilliseconds; ++i) {
        int status = 0;
        pid_t got = kernel.look(id, status);
        if (got == id && WIFSTOPPED(status)) {
            signal = status >> 16 ? 0 : WSTOPSIG(status);
            return true;
        }
        if (got != 0) return false;
        timespec moment{0, 1'000'000};
        nanosleep(&moment, nullptr);
    }
    return false;
}

// A trap that it was about to get for one of our bytes is none of the program's. Async-signal-safe.
void take_trap_back(Kernel& kernel, const ProbeTable& probes, ThreadId id, int& signal) {
    user_regs_struct registers;
    if (signal != SIGTRAP || !kernel.read_registers(id, registers)) return;
    signal = 0;
    if (!probes.has_stood(RunAddress(registers.rip - 1))) return;
    --registers.rip;
    kernel.write_registers(id, registers);
}

}  // namespace

// From the handler of our own crash: system calls only, on what the tables hold. Copies of
// instructions stay where they are: a thread may be in one.
void LiveProcess::let_go_in_emergency() {
    if (!alive_) return;
    probes_.clean(*memory_);
    for (ThreadId id : guests_) {
        int signal = 0;
        if (!kernel_.interrupt(id) || !stands_soon(kernel_, id, signal)) continue;
        take_trap_back(kernel_, probes_, id, signal);
        kernel_.detach(id, signal);
    }
    for (auto& [id, thread] : threads_) {
        int signal = thread.signal_to_deliver;
        if (thread.running && (!kernel_.interrupt(id) || !stands_soon(kernel_, id, signal)))
            continue;
        if (thread.registers_changed && thread.registers && !thread.running) {
            thread.registers->to_system(thread.system_registers);
            kernel_.write_registers(id, thread.system_registers);
        } else {
            take_trap_back(kernel_, probes_, id, signal);
        }
        kernel_.set_debug_register(id, kDebugControl, 0);
        kernel_.detach(id, signal);
    }
}

namespace {

// Signals that wait for this very thread (proc(5): SigPnd).
bool has_waiting_trap(Kernel& kernel, pid_t process, ThreadId id) {
    std::string status = kernel.file(process, id, "status");
    std::size_t at = status.find("\nSigPnd:");
    return at != std::string::npos &&
           (std::strtoull(status.c_str() + at + 8, nullptr, 16) >> (SIGTRAP - 1) & 1);
}

}  // namespace

// A dead thread whose end nobody has fetched keeps its whole process from being reaped when that
// ends. (The first thread's end is told when it is the last.)
void LiveProcess::see_ending_threads_off() {
    std::vector<ThreadId> ending;
    for (const auto& [id, thread] : threads_)
        if (thread.is_ending && thread.running && id != process_) ending.push_back(id);
    for (ThreadId id : ending)
        if (alive_ && threads_.count(id)) wait_for_stop(id);
}

void LiveProcess::release() {
    if (!alive_) return;
    if (moving_) interrupted();
    // A thread that met a breakpoint byte while it was being stopped has not told of it yet:
    // without us that would end it.
    bool any_met = probes_.has_ever_stood();
    for (ThreadId id : threads()) {
        if (!any_met || !alive_ || !threads_.count(id) || threads_.at(id).running ||
            !has_waiting_trap(kernel_, process_, id))
            continue;
        resume(id, threads_.at(id), Kernel::Motion::go);
        wait_for_stop(id);
    }
    see_ending_threads_off();
    if (!alive_) return;
    // Threads born a moment ago stand too, and have not told of themselves.
    for (ThreadId id : kernel_.threads_of(process_)) {
        if (threads_.count(id)) continue;
        if (Tracer::News news = tracer_.wait(process_, id);
            news.has_come() && WIFSTOPPED(news.status))
            add_thread(id);
    }
    for (auto& [id, child] : newborn_) child->release();
    newborn_.clear();
    for (unsigned number = 0; number < kDebugAddresses; ++number) clear_watch(number);
    while (!protected_.empty()) unprotect(protected_.all().back().watched);
    let_guests_go();
    clean(*memory_);
    unmap_what_is_ours();
    rooms_.forget();
    for (auto& [id, thread] : threads_) {
        if (thread.is_ending && thread.running) continue;  // on its way out by itself
        flush_registers(id, thread);
        int signal = thread.pending && thread.pending->kind == TargetEvent::Kind::signal
                         ? thread.pending->signal
                         : thread.signal_to_deliver;
        kernel_.detach(id, signal);
    }
    take_terminal_back();
    alive_ = false;
    threads_.clear();
    probes_.forget();
}

// Puts the program's own bytes back into a memory that holds ours.
void LiveProcess::clean(KernelMemory& memory) {
    probes_.clean(memory);
    rooms_.put_back(memory);
}

// ---- signals

std::uint64_t LiveProcess::signal_mask(std::string_view field) const {
    std::string status = task_text("status");
    std::size_t at = status.find(field);
    return at == std::string::npos ? 0
                                   : std::strtoull(status.c_str() + at + field.size(), nullptr, 16);
}

bool LiveProcess::handles_signal(int signal) const {
    return signal_mask("\nSigCgt:") >> (signal - 1) & 1;
}

bool LiveProcess::is_to_get(int signal) const {
    for (const auto& [id, thread] : threads_)
        if (thread.pending && thread.pending->kind == TargetEvent::Kind::signal &&
            thread.pending->signal == signal)
            return true;
    return (signal_mask("\nSigPnd:") | signal_mask("\nShdPnd:")) >> (signal - 1) & 1;
}

bool LiveProcess::ignores_signal(int signal) const {
    return signal_mask("\nSigIgn:") >> (signal - 1) & 1;
}

}  // namespace lantern
