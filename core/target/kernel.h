// What is asked of the system about the processes that we trace (ptrace(2), wait(2), proc(5)), and
// nothing else: in the tests a played one takes its place, which lets anything happen in any order.
#pragma once

#include <signal.h>
#include <sys/types.h>
#include <sys/user.h>

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/support/address.h"
#include "core/support/byte_reader.h"
#include "core/target/launch.h"
#include "core/target/target.h"

namespace lantern {

// The memory of one process. Addresses are of the running program.
class KernelMemory {
  public:
    virtual ~KernelMemory() = default;
    // How many bytes could be read or written from the address on; what may not be written by the
    // program, we still may.
    virtual std::size_t read(RunAddress address, std::span<std::byte> out) = 0;
    virtual std::size_t write(RunAddress address, ByteSpan bytes) = 0;  // async-signal-safe
};

class Kernel {
  public:
    virtual ~Kernel() = default;

    // ---- a thread that we trace and that stands. False: it is gone, and errno says how.
    enum class Motion { go, to_system_call, one_instruction };
    virtual bool resume(ThreadId thread, Motion motion,
                        int signal) = 0;  // async-signal-safe, as the next three
    virtual bool detach(ThreadId thread, int signal) = 0;
    virtual bool read_registers(ThreadId thread, user_regs_struct& out) = 0;
    virtual bool write_registers(ThreadId thread, const user_regs_struct& registers) = 0;
    virtual bool read_floating(ThreadId thread, user_fpregs_struct& out) = 0;
    virtual bool read_extended(
        ThreadId thread,
        std::vector<std::byte>& state) = 0;  // as long as it can hold; cut to what there is
    virtual bool write_extended(ThreadId thread, ByteSpan state) = 0;
    virtual bool read_signal(ThreadId thread, siginfo_t& out) = 0;  // of the stop it stands at
    virtual bool write_signal(ThreadId thread, const siginfo_t& info) = 0;
    virtual std::uint64_t event_message(ThreadId thread) = 0;
    virtual bool enters_system_call(
        ThreadId thread) = 0;  // at a stop of one: whether it is the first of the two
    virtual std::uint64_t debug_register(ThreadId thread, unsigned number) = 0;
    virtual bool set_debug_register(ThreadId thread, unsigned number, std::uint64_t value) = 0;

    // ---- a thread that runs
    virtual bool interrupt(ThreadId thread) = 0;  // async-signal-safe
    virtual bool kill(pid_t process) = 0;

    // ---- births. Both return with all threads stopped; throw TargetError with the reason (see
    // launch.h, attach.h).
    virtual pid_t launch(const LaunchOptions& options) = 0;
    virtual std::vector<ThreadId> attach(pid_t process) = 0;

    // ---- news. `thread`: one of ours, or -1 for any. 0: nothing yet; below 0: there is none to
    // wait for. Async-signal-safe.
    virtual ThreadId look(ThreadId thread, int& status) = 0;
    virtual ThreadId wait(ThreadId thread, int& status) = 0;

    // ---- processes
    virtual std::vector<ThreadId> threads_of(pid_t process) = 0;
    virtual bool has_thread(pid_t process, ThreadId thread) = 0;
    virtual pid_t process_of(ThreadId thread) = 0;  // 0: it is gone
    // Whether a path means another file to it than to us: it has mounts of its own, as in a
    // container (mount_namespaces(7)).
    virtual bool has_other_mounts(pid_t process) = 0;
    virtual std::string program_of(
        pid_t process) = 0;  // the path of what it runs; empty if it cannot be told
    virtual std::string file(
        pid_t process, ThreadId thread,
        const char* name) = 0;  // what /proc has under that name; empty if it has not
    virtual std::unique_ptr<KernelMemory> memory(pid_t process) = 0;  // throws TargetError
};

// The one that this program runs on.
Kernel& real_kernel();

}  // namespace lantern
