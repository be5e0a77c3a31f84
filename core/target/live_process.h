// A running program under our control (ptrace(2)). All its threads stop together and go on together. Everything here
// must be called from the thread that launched it.
#pragma once

#include <functional>
#include <map>
#include <deque>
#include <memory>
#include <optional>
#include <set>

#include "core/target/event_loop.h"
#include "core/target/launch.h"
#include "core/target/memory_cache.h"
#include "core/target/target.h"
#include "core/target/terminal_handover.h"

namespace lantern {

// What made the target stop.
struct TargetEvent {
    enum class Kind {
        trap,         // one of our breakpoint bytes; the program counter is back on it
        stepped,      // the single step that was asked for is done
        signal,       // a signal is about to be delivered
        interrupted,  // we were asked to pause it
        replaced,     // it became another program (exec)
        exited,       // it ended by itself
        killed,       // a signal ended it
    };
    Kind kind = Kind::stepped;
    ThreadId thread = 0;
    int signal = 0;
    int exit_code = 0;
    bool is_fault = false;       // the signal comes from the instruction at the program counter
    RunAddress fault_address{};  // what the faulting instruction touched

    bool is_end() const { return kind == Kind::exited || kind == Kind::killed; }
};

class LiveProcess final : public Target {
  public:
    // Gives the symbols of a file; may throw FileError, which leaves that module without symbols.
    using OpenSymbols = std::function<std::shared_ptr<const ModuleSymbols>(const std::string& path)>;

    // Launches and returns at the exec, before the first instruction. Throws TargetError.
    LiveProcess(const LaunchOptions& options, EventLoop& events, OpenSymbols open_symbols);
    ~LiveProcess() override;  // a program that still lives is killed
    LiveProcess(const LiveProcess&) = delete;
    LiveProcess& operator=(const LiveProcess&) = delete;

    pid_t id() const { return process_; }
    bool is_alive() const { return alive_; }
    // How often the target has stopped since it was launched, for whatever reason.
    std::uint64_t stops() const { return stops_; }
    // How many pages were read of its memory, each with one system call.
    std::uint64_t pages_read() const { return cache_.pages_read(); }

    // Breakpoint bytes are counted: an address asked for twice stays until it is removed twice. Throws MemoryError.
    void insert_trap(RunAddress address);
    void remove_trap(RunAddress address);
    bool has_trap(RunAddress address) const { return traps_.count(address) != 0; }

    // All threads go on until something happens. A breakpoint byte at a thread's program counter must be stepped
    // over first.
    TargetEvent run();
    // What another thread met at the very moment of the last stop and that nobody has been told yet: a breakpoint byte
    // that still stands, a signal, the end. Ask until there is nothing before anything moves.
    std::optional<TargetEvent> take_pending();
    // One instruction of one thread, the others held; a breakpoint byte under it is lifted for the moment.
    TargetEvent step(ThreadId thread);
    // The signal the thread gets when it goes on; 0 for none.
    void deliver(ThreadId thread, int signal);
    bool handles_signal(int signal) const;   // the program has a handler for it
    bool ignores_signal(int signal) const;
    void kill();

    void read_memory(RunAddress address, std::span<std::byte> out) override;
    std::size_t read_available(RunAddress address, std::span<std::byte> out) override;
    void write_memory(RunAddress address, ByteSpan bytes) override;
    std::vector<ThreadId> threads() const override;
    const Registers& registers(ThreadId thread) override;
    void set_registers(ThreadId thread, const Registers& registers) override;
    const VectorRegisters& vector_registers(ThreadId thread) override;
    void set_vector_register(ThreadId thread, unsigned number, ByteSpan bytes) override;
    const std::vector<MemoryRegion>& regions() override;
    // All of the processor's state beyond the general registers, as the kernel keeps it (Intel SDM 1, §13.4): to be given
    // back as it is.
    std::vector<std::byte> extended_state(ThreadId thread) const;
    void set_extended_state(ThreadId thread, ByteSpan state);
    const std::deque<Module>& modules() override;
    const Module* module_at(RunAddress address) override;
    const Module& main_module();

  private:
    struct Thread {
        bool running = false;
        int signal_to_deliver = 0;
        std::optional<int> pending_status;  // a stop that came while another one was being reported
        bool pending_trap = false;          // the same, on a breakpoint byte; the program counter is back on it
        std::optional<Registers> registers;
        bool registers_changed = false;
        std::optional<VectorRegisters> vectors;
    };
    struct Trap {
        unsigned count = 0;
        std::byte original{};
    };

    void set_up_memory();
    void refresh_modules();
    void add_module(const std::string& path, std::uint64_t bias);
    void target_moves();
    void resume(ThreadId id, Thread& thread, int request);
    void flush_registers(ThreadId id, Thread& thread);
    TargetEvent wait_for_event();
    std::optional<TargetEvent> next_status();
    std::optional<TargetEvent> interpret(ThreadId id, int status);
    std::optional<TargetEvent> interpret_special(ThreadId id, int status);
    TargetEvent interpret_signal(ThreadId id, int signal);
    void stop_other_threads();
    void let_child_go(pid_t child, bool shares_memory);
    TargetEvent ended(int status);
    void write_raw(RunAddress address, ByteSpan bytes);
    std::uint64_t signal_mask(const char* field) const;

    pid_t process_ = 0;
    EventLoop& events_;
    OpenSymbols open_symbols_;
    TerminalHandover terminal_;
    MemoryCache cache_;
    int memory_ = -1;  // /proc/PID/mem
    bool alive_ = false, pause_requested_ = false, modules_are_old_ = true;
    std::uint64_t stops_ = 0;
    std::map<ThreadId, Thread> threads_;
    std::map<RunAddress, Trap> traps_;
    std::set<RunAddress> past_traps_;  // where our bytes stood: a thread may have met one and not told us yet
    std::deque<Module> modules_;
    std::vector<MemoryRegion> regions_;
    bool regions_are_old_ = true;
    std::string program_;
};

}  // namespace lantern
