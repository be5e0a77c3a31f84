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

#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/target/attach.h"
#include "core/target/emergency.h"

namespace lantern {

std::string program_of(pid_t process) {
    std::error_code ignored;
    std::string path = std::filesystem::read_symlink(fmt::format("/proc/{}/exe", process), ignored).string();
    constexpr std::string_view kDeleted = " (deleted)";
    if (path.ends_with(kDeleted)) path.resize(path.size() - kDeleted.size());
    return path;
}

LiveProcess::LiveProcess(std::vector<pid_t> stopped, pid_t process, std::string program, EventLoop& events, OpenSymbols open_symbols)
    : process_(process),
      events_(events),
      open_symbols_(std::move(open_symbols)),
      terminal_(0),
      cache_([this](RunAddress page, std::span<std::byte> out) {
          iovec local{out.data(), out.size()}, remote{reinterpret_cast<void*>(page.value), out.size()};
          if (process_vm_readv(process_, &local, 1, &remote, 1, 0) == static_cast<ssize_t>(out.size())) return true;
          return pread(memory_, out.data(), out.size(), static_cast<off_t>(page.value)) == static_cast<ssize_t>(out.size());
      }),
      program_(std::move(program)) {
    alive_ = true;
    for (pid_t id : stopped) add_thread(id);
    set_up_memory();
}

LiveProcess::LiveProcess(const LaunchOptions& options, EventLoop& events, OpenSymbols open_symbols)
    : LiveProcess({}, (events.forget_interrupts(), launch_traced(options)), options.program, events, std::move(open_symbols)) {
    add_thread(process_);
}

LiveProcess::LiveProcess(pid_t process, EventLoop& events, OpenSymbols open_symbols)
    : LiveProcess(attach_traced(process), process, program_of(process), events, std::move(open_symbols)) {
    attached_ = rests_ = true;
    join_emergency(*this);
    events.forget_interrupts();
}

LiveProcess::~LiveProcess() {
    if (attached_) leave_emergency(*this);
    if (attached_) release();
    kill();
    if (memory_ >= 0) close(memory_);
}

void LiveProcess::set_up_memory() {
    if (memory_ >= 0) close(memory_);
    memory_ = open(fmt::format("/proc/{}/mem", process_).c_str(), O_RDWR | O_CLOEXEC);
    if (memory_ < 0) throw TargetError(fmt::format("the program's memory cannot be opened: {}", std::strerror(errno)));
}

LiveProcess::Thread& LiveProcess::add_thread(ThreadId id) {
    Thread& thread = threads_[id];
    if (thread.number) return thread;
    // Threads born at the same time are met in any order; their numbers follow their births.
    auto reserved = reserved_numbers_.find(id);
    if (reserved == reserved_numbers_.end()) {
        std::set<ThreadId> unmet{id};
        std::error_code ignored;
        for (const auto& entry : std::filesystem::directory_iterator(fmt::format("/proc/{}/task", process_), ignored)) {
            ThreadId other = std::atoi(entry.path().filename().c_str());
            if (other < id && !threads_.count(other) && !reserved_numbers_.count(other)) unmet.insert(other);
        }
        for (ThreadId each : unmet) reserved_numbers_[each] = ++threads_met_;
        reserved = reserved_numbers_.find(id);
    }
    thread.number = reserved->second;
    reserved_numbers_.erase(reserved);
    return thread;
}

unsigned LiveProcess::thread_number(ThreadId id) const {
    auto found = threads_.find(id);
    return found == threads_.end() ? 0 : found->second.number;
}

std::string LiveProcess::thread_name(ThreadId id) const {
    std::ifstream file(fmt::format("/proc/{}/task/{}/comm", process_, id));
    std::string name;
    std::getline(file, name);
    return name;
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

std::string LiveProcess::task_file(const char* name) const {
    return fmt::format("/proc/{}/task/{}/{}", process_, living_thread(), name);
}

// ---- memory ------------------------------------------------------------------------------------------------------

std::size_t LiveProcess::read_available(RunAddress address, std::span<std::byte> out) {
    if (!alive_) return 0;
    if (moving_ && !judging_) cache_.clear();  // it changes under us
    std::size_t got = cache_.read(address, out);
    hide_our_bytes(address, out.first(got));
    return got;
}

void LiveProcess::hide_our_bytes(RunAddress address, std::span<std::byte> bytes) const {
    for (auto trap = traps_.lower_bound(address); trap != traps_.end() && trap->first < address + bytes.size(); ++trap)
        bytes[trap->first - address] = trap->second.original;
}

std::size_t LiveProcess::read_bulk(RunAddress address, std::span<std::byte> out) {
    if (!alive_) return 0;
    iovec local{out.data(), out.size()}, remote{reinterpret_cast<void*>(address.value), out.size()};
    ssize_t got = process_vm_readv(process_, &local, 1, &remote, 1, 0);
    if (got < 0) got = pread(memory_, out.data(), out.size(), static_cast<off_t>(address.value));  // without the right to read, we still may
    if (got <= 0) return 0;
    hide_our_bytes(address, out.first(static_cast<std::size_t>(got)));
    return static_cast<std::size_t>(got);
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
        if (!rests_) patched[trap->first - address] = kTrapByte;
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
    if (!rests_) write_raw(address, ByteSpan(&kTrapByte, 1));
}

void LiveProcess::remove_trap(RunAddress address) {
    auto found = traps_.find(address);
    if (found == traps_.end() || --found->second.count) return;
    std::byte original = found->second.original;
    traps_.erase(found);
    past_traps_.insert(address);
    if (alive_) write_raw(address, ByteSpan(&original, 1));
}

// ---- the end -----------------------------------------------------------------------------------------------------

TargetEvent LiveProcess::ended(int status) {
    await_vfork_parent();
    alive_ = moving_ = false;
    threads_.clear();
    TargetEvent event;
    event.thread = process_;
    event.kind = WIFEXITED(status) ? TargetEvent::Kind::exited : TargetEvent::Kind::killed;
    event.exit_code = WIFEXITED(status) ? WEXITSTATUS(status) : 0;
    event.signal = WIFSIGNALED(status) ? WTERMSIG(status) : 0;
    return event;
}

TargetEvent LiveProcess::lost() {
    return ended(SIGKILL);
}

bool stands_at_its_end(ThreadId id) {
    siginfo_t info{};
    return ptrace(PTRACE_GETSIGINFO, id, nullptr, &info) == 0 && info.si_code >> 8 == PTRACE_EVENT_EXIT;
}

void LiveProcess::kill() {
    if (!alive_) return;
    ::kill(process_, SIGKILL);
    // Threads tell of their end before they are gone, and the first is the last to be told of. Only our own are waited for: others
    // have their own end to hear of; and one that somebody else ended may have been heard of already.
    auto is_over = [](pid_t id) {
        int status = 0;
        if (stands_at_its_end(id)) ptrace(PTRACE_CONT, id, nullptr, nullptr);
        pid_t got = waitpid(id, &status, __WALL | WNOHANG);
        if (got == id && WIFSTOPPED(status)) ptrace(PTRACE_CONT, id, nullptr, nullptr);
        return (got == id && !WIFSTOPPED(status)) || (got < 0 && errno == ECHILD);
    };
    for (auto& [id, thread] : threads_)  // a thread that stands at its own end does not hear of it
        if (thread.is_ending && !thread.running) ptrace(PTRACE_CONT, id, nullptr, nullptr);
    while (!is_over(process_)) {
        std::error_code ignored;
        for (const auto& entry : std::filesystem::directory_iterator(fmt::format("/proc/{}/task", process_), ignored)) {
            ThreadId id = std::atoi(entry.path().filename().c_str());
            if (id != process_) is_over(id);
        }
        usleep(100);
    }
    await_vfork_parent();
    take_terminal_back();
    alive_ = moving_ = false;
    threads_.clear();
}

// While nothing moves a process that is not ours keeps none of our bytes: should we be killed, it goes on as if we had not been.
void LiveProcess::rest() {
    if (!attached_ || !alive_ || moving_ || rests_) return;
    rests_ = true;
    for (const auto& [address, trap] : traps_) (void)!pwrite(memory_, &trap.original, 1, static_cast<off_t>(address.value));
    // A thread that stands where a trap was to be delivered would get it, were we gone: it is led on to a stop without a signal.
    for (ThreadId id : threads()) {
        siginfo_t info{};
        auto found = threads_.find(id);
        if (found == threads_.end() || found->second.running) continue;
        flush_registers(id, found->second);
        bool holds_trap = ptrace(PTRACE_GETSIGINFO, id, nullptr, &info) == 0 && info.si_signo == SIGTRAP && (info.si_code >> 8) == 0;
        if (!holds_trap || found->second.pending || found->second.signal_to_deliver || found->second.is_ending) continue;
        if (ptrace(PTRACE_INTERRUPT, id, nullptr, nullptr) != 0 || ptrace(PTRACE_CONT, id, nullptr, nullptr) != 0) continue;
        found->second.running = true;
        wait_for_stop(id);
    }
}

void LiveProcess::wake() {
    if (!std::exchange(rests_, false) || !alive_) return;
    for (const auto& [address, trap] : traps_) (void)!pwrite(memory_, &kTrapByte, 1, static_cast<off_t>(address.value));
}

namespace {

// Waits for a stop of a thread that was asked for one, not for long; the signal that it was to get, and whether it stands.
bool stands_soon(ThreadId id, int& signal) {
    constexpr int kMilliseconds = 200;
    for (int i = 0; i < kMilliseconds; ++i) {
        int status = 0;
        pid_t got = waitpid(id, &status, __WALL | WNOHANG);
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

}  // namespace

// From the handler of our own crash: system calls only, on what the tables hold. Copies of instructions stay where they are: a
// thread may be in one.
void LiveProcess::let_go_in_emergency() {
    if (!alive_) return;
    for (const auto& [address, trap] : traps_) (void)!pwrite(memory_, &trap.original, 1, static_cast<off_t>(address.value));
    for (auto& [id, thread] : threads_) {
        int signal = thread.signal_to_deliver;
        if (thread.running && (ptrace(PTRACE_INTERRUPT, id, nullptr, nullptr) != 0 || !stands_soon(id, signal))) continue;
        user_regs_struct registers;
        if (thread.registers_changed && thread.registers && !thread.running) {
            thread.registers->to_system(thread.system_registers);
            ptrace(PTRACE_SETREGS, id, nullptr, &thread.system_registers);
        } else if (signal == SIGTRAP && ptrace(PTRACE_GETREGS, id, nullptr, &registers) == 0) {
            signal = 0;
            if (traps_.count(RunAddress(registers.rip - 1))) {
                --registers.rip;
                ptrace(PTRACE_SETREGS, id, nullptr, &registers);
            }
        }
        ptrace(PTRACE_POKEUSER, id, offsetof(struct user, u_debugreg) + 7 * sizeof(long), 0);
        ptrace(PTRACE_DETACH, id, nullptr, static_cast<long>(signal));
    }
}

namespace {

// Signals that wait for this very thread (proc(5): SigPnd).
bool has_waiting_trap(pid_t process, ThreadId id) {
    std::ifstream status(fmt::format("/proc/{}/task/{}/status", process, id));
    for (std::string line; std::getline(status, line);)
        if (line.starts_with("SigPnd:")) return std::strtoull(line.c_str() + 7, nullptr, 16) >> (SIGTRAP - 1) & 1;
    return false;
}

}  // namespace

void LiveProcess::release() {
    if (!alive_) return;
    if (moving_) interrupted();
    // A thread that met a breakpoint byte while it was being stopped has not told of it yet: without us that would end it.
    bool any_met = !traps_.empty() || !past_traps_.empty();
    for (ThreadId id : threads()) {
        if (!any_met || !alive_ || !threads_.count(id) || threads_.at(id).running || !has_waiting_trap(process_, id)) continue;
        resume(id, threads_.at(id), PTRACE_CONT);
        wait_for_stop(id);
    }
    if (!alive_) return;
    // Threads born a moment ago stand too, and have not told of themselves.
    std::error_code ignored;
    for (const auto& entry : std::filesystem::directory_iterator(fmt::format("/proc/{}/task", process_), ignored)) {
        ThreadId id = std::atoi(entry.path().filename().c_str());
        int status = 0;
        if (threads_.count(id) || waitpid(id, &status, __WALL) < 0) continue;
        if (WIFSTOPPED(status)) add_thread(id);
    }
    for (unsigned number = 0; number < std::size(watches_); ++number) clear_watch(number);
    while (!protected_.empty()) unprotect(protected_.back().watched);
    clean(memory_);
    forget_moved_code();
    for (auto& [id, thread] : threads_) {
        if (thread.is_ending && thread.running) continue;  // on its way out by itself
        flush_registers(id, thread);
        int signal = thread.pending && thread.pending->kind == TargetEvent::Kind::signal ? thread.pending->signal : thread.signal_to_deliver;
        ptrace(PTRACE_DETACH, id, nullptr, reinterpret_cast<void*>(static_cast<long>(signal)));
    }
    take_terminal_back();
    alive_ = false;
    threads_.clear();
    traps_.clear();
}

// Puts the program's own bytes back into a memory that holds ours.
void LiveProcess::clean(int memory) {
    for (const auto& [address, trap] : traps_) (void)!pwrite(memory, &trap.original, 1, static_cast<off_t>(address.value));
    for (const auto& [start, bytes] : room_taken_) (void)!pwrite(memory, bytes.data(), bytes.size(), static_cast<off_t>(start.value));
}

// ---- signals -----------------------------------------------------------------------------------------------------

std::uint64_t LiveProcess::signal_mask(const char* field) const {
    FILE* file = fopen(task_file("status").c_str(), "re");
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
