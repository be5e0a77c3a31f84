#include "core/target/kernel.h"

#include <elf.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/ptrace.h>
#include <sys/uio.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstddef>
#include <cstdlib>
#include <cstring>
#include <filesystem>

#include "core/support/error.h"
#include "core/target/attach.h"

namespace lantern {
namespace {

void* as_data(std::uint64_t value) {
    return reinterpret_cast<void*>(value);
}

std::string whole_text_of(const std::string& path) {
    std::string text;
    int file = open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0) return text;
    char piece[16 << 10];
    for (ssize_t got; (got = read(file, piece, sizeof piece)) > 0;)
        text.append(piece, static_cast<std::size_t>(got));
    close(file);
    return text;
}

class RealMemory final : public KernelMemory {
  public:
    explicit RealMemory(pid_t process)
        : process_(process),
          file_(open(fmt::format("/proc/{}/mem", process).c_str(), O_RDWR | O_CLOEXEC)) {
        if (file_ < 0)
            throw TargetError(
                fmt::format("the program's memory cannot be opened: {}", std::strerror(errno)));
    }
    ~RealMemory() override { close(file_); }

    std::size_t read(RunAddress address, std::span<std::byte> out) override {
        iovec local{out.data(), out.size()},
            remote{reinterpret_cast<void*>(address.value), out.size()};
        ssize_t got = process_vm_readv(process_, &local, 1, &remote, 1, 0);
        // What the program itself may not read, we may.
        if (got < static_cast<ssize_t>(out.size()))
            got = std::max(got,
                           pread(file_, out.data(), out.size(), static_cast<off_t>(address.value)));
        return got > 0 ? static_cast<std::size_t>(got) : 0;
    }
    std::size_t write(RunAddress address, ByteSpan bytes) override {
        ssize_t done = pwrite(file_, bytes.data(), bytes.size(), static_cast<off_t>(address.value));
        return done > 0 ? static_cast<std::size_t>(done) : 0;
    }

  private:
    pid_t process_;
    int file_;
};

class RealKernel final : public Kernel {
  public:
    bool resume(ThreadId thread, Motion motion, int signal) override {
        auto request = motion == Motion::go               ? PTRACE_CONT
                       : motion == Motion::to_system_call ? PTRACE_SYSCALL
                                                          : PTRACE_SINGLESTEP;
        return ptrace(request, thread, nullptr, static_cast<long>(signal)) == 0;
    }
    bool detach(ThreadId thread, int signal) override {
        return ptrace(PTRACE_DETACH, thread, nullptr, static_cast<long>(signal)) == 0;
    }
    bool read_registers(ThreadId thread, user_regs_struct& out) override {
        return ptrace(PTRACE_GETREGS, thread, nullptr, &out) == 0;
    }
    bool write_registers(ThreadId thread, const user_regs_struct& registers) override {
        return ptrace(PTRACE_SETREGS, thread, nullptr, &registers) == 0;
    }
    bool read_floating(ThreadId thread, user_fpregs_struct& out) override {
        return ptrace(PTRACE_GETFPREGS, thread, nullptr, &out) == 0;
    }
    bool read_extended(ThreadId thread, std::vector<std::byte>& state) override {
        iovec where{state.data(), state.size()};
        bool done = ptrace(PTRACE_GETREGSET, thread, as_data(NT_X86_XSTATE), &where) == 0;
        if (done) state.resize(where.iov_len);
        return done;
    }
    bool write_extended(ThreadId thread, ByteSpan state) override {
        std::vector<std::byte> copy(state.begin(), state.end());
        iovec where{copy.data(), copy.size()};
        return ptrace(PTRACE_SETREGSET, thread, as_data(NT_X86_XSTATE), &where) == 0;
    }
    bool read_signal(ThreadId thread, siginfo_t& out) override {
        return ptrace(PTRACE_GETSIGINFO, thread, nullptr, &out) == 0;
    }
    bool write_signal(ThreadId thread, const siginfo_t& info) override {
        return ptrace(PTRACE_SETSIGINFO, thread, nullptr, &info) == 0;
    }
    std::uint64_t event_message(ThreadId thread) override {
        unsigned long message = 0;
        ptrace(PTRACE_GETEVENTMSG, thread, nullptr, &message);
        return message;
    }
    bool enters_system_call(ThreadId thread) override {
        __ptrace_syscall_info info{};
        ptrace(PTRACE_GET_SYSCALL_INFO, thread, sizeof info, &info);
        return info.op == PTRACE_SYSCALL_INFO_ENTRY;
    }
    std::uint64_t debug_register(ThreadId thread, unsigned number) override {
        return static_cast<std::uint64_t>(
            ptrace(PTRACE_PEEKUSER, thread, place_of_debug_register(number), nullptr));
    }
    bool set_debug_register(ThreadId thread, unsigned number, std::uint64_t value) override {
        return ptrace(PTRACE_POKEUSER, thread, place_of_debug_register(number), value) == 0;
    }

    bool interrupt(ThreadId thread) override {
        return ptrace(PTRACE_INTERRUPT, thread, nullptr, nullptr) == 0;
    }
    bool kill(pid_t process) override { return ::kill(process, SIGKILL) == 0; }

    pid_t launch(const LaunchOptions& options) override { return launch_traced(options); }
    std::vector<ThreadId> attach(pid_t process) override { return attach_traced(process); }

    ThreadId look(ThreadId thread, int& status) override {
        return waited(thread, status, __WALL | WNOHANG);
    }
    ThreadId wait(ThreadId thread, int& status) override { return waited(thread, status, __WALL); }

    std::vector<ThreadId> threads_of(pid_t process) override {
        std::vector<ThreadId> threads;
        std::error_code ignored;
        for (const auto& entry :
             std::filesystem::directory_iterator(fmt::format("/proc/{}/task", process), ignored))
            threads.push_back(std::atoi(entry.path().filename().c_str()));
        return threads;
    }
    bool has_thread(pid_t process, ThreadId thread) override {
        return access(fmt::format("/proc/{}/task/{}", process, thread).c_str(), F_OK) == 0;
    }
    pid_t process_of(ThreadId thread) override {
        std::string status = whole_text_of(fmt::format("/proc/{}/status", thread));
        std::size_t at = status.find("\nTgid:");
        return at == std::string::npos ? 0 : std::atoi(status.c_str() + at + 6);
    }
    bool has_other_mounts(pid_t process) override {
        std::error_code ignored;
        auto ours = std::filesystem::read_symlink("/proc/self/ns/mnt", ignored),
             theirs =
                 std::filesystem::read_symlink(fmt::format("/proc/{}/ns/mnt", process), ignored);
        return !theirs.empty() && ours != theirs;
    }
    std::string program_of(pid_t process) override {
        std::error_code ignored;
        std::string path =
            std::filesystem::read_symlink(fmt::format("/proc/{}/exe", process), ignored).string();
        constexpr std::string_view kDeleted = " (deleted)";
        if (path.ends_with(kDeleted)) path.resize(path.size() - kDeleted.size());
        return path;
    }
    std::string file(pid_t process, ThreadId thread, const char* name) override {
        return whole_text_of(fmt::format("/proc/{}/task/{}/{}", process, thread, name));
    }
    std::unique_ptr<KernelMemory> memory(pid_t process) override {
        return std::make_unique<RealMemory>(process);
    }

  private:
    static void* place_of_debug_register(unsigned number) {
        return as_data(offsetof(user, u_debugreg) + number * sizeof(user{}.u_debugreg[0]));
    }
    static ThreadId waited(ThreadId thread, int& status, int options) {
        pid_t got;
        while ((got = waitpid(thread, &status, options)) < 0 && errno == EINTR) continue;
        return got;
    }
};

}  // namespace

Kernel& real_kernel() {
    static RealKernel kernel;
    return kernel;
}

}  // namespace lantern
