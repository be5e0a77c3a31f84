// A running program under our control (ptrace(2)). All its threads stop together and go on
// together. Everything here must be called from the thread that launched it. Its code is in
// live_process.cpp (memory, life), live_moving.cpp (running and stepping), live_events.cpp (what a
// stop means), moved_code.cpp (passing breakpoint bytes), live_guests.cpp (children of a vfork),
// live_watch.cpp, live_state.cpp (registers, memory map) and live_modules.cpp.
#pragma once

#include <signal.h>
#include <sys/user.h>

#include <functional>
#include <initializer_list>
#include <list>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "core/target/call_under_way.h"
#include "core/target/code_rooms.h"
#include "core/target/event_loop.h"
#include "core/target/launch.h"
#include "core/target/memory_cache.h"
#include "core/target/own_terminal.h"
#include "core/target/probe_table.h"
#include "core/target/scratch_memory.h"
#include "core/target/target.h"
#include "core/target/target_event.h"
#include "core/target/terminal_handover.h"
#include "core/target/tracer.h"
#include "core/target/watch_registers.h"
#include "core/target/watched_pages.h"

namespace lantern {

class LiveProcess final : public Target {
  public:
    // Gives the symbols of a file; may throw FileError, which leaves that module without symbols.
    using OpenSymbols =
        std::function<std::shared_ptr<const ModuleSymbols>(const std::string& path)>;

    // Launches and returns at the exec, before the first instruction. Throws TargetError.
    LiveProcess(const LaunchOptions& options, EventLoop& events, Tracer& tracer,
                OpenSymbols open_symbols);
    // Takes hold of a process that runs, with all its threads, and stops it. Throws TargetError.
    LiveProcess(pid_t process, EventLoop& events, Tracer& tracer, OpenSymbols open_symbols);
    ~LiveProcess() override;  // a program we launched and that still lives is killed; one we
                              // attached to is released
    LiveProcess(const LiveProcess&) = delete;
    LiveProcess& operator=(const LiveProcess&) = delete;

    // Its own terminal, borrowed; null: it has ours.
    void set_own_terminal(OwnTerminal* terminal) { own_terminal_ = terminal; }
    // Whether the program gets the keyboard while it runs; not while the user types commands
    // meanwhile.
    void lend_terminals(bool wanted);
    pid_t id() const override { return process_; }
    bool is_alive() const { return alive_; }
    // How often the target has stopped since it was launched, for whatever reason.
    std::uint64_t stops() const { return stops_; }
    // How many pages were read of its memory, each with one system call.
    std::uint64_t pages_read() const { return cache_.pages_read(); }

    // Breakpoint bytes (see ProbeTable) are counted: an address asked for twice stays until it is
    // removed twice. They stand from the moment the program goes on. Throws MemoryError where there
    // is no memory.
    void insert_trap(RunAddress address, ProbeClient client = ProbeClient::breakpoint);
    void remove_trap(RunAddress address, ProbeClient client = ProbeClient::breakpoint);
    bool has_trap(RunAddress address) const { return probes_.is_wanted(address); }
    bool has_trap_for(RunAddress address, ProbeClient client) const {
        return probes_.is_wanted_by(address, client);
    }

    // Decides on an event while only its thread is stopped: true lets that thread go on at once, as
    // if nothing had been.
    using Passes = std::function<bool(const TargetEvent& event)>;
    // All threads go on, or `only` one of them (0: all), until something happens that does not
    // pass. Events that came while an earlier one was being reported are told first. A thread that
    // has been told of a breakpoint byte (see `has_told_of_trap`) runs the instruction under it
    // elsewhere, so that no other thread slips past.
    TargetEvent run(const Passes& passes, ThreadId only = 0);
    TargetEvent
    run();  // what a thread or process is born with and ends with passes, and so do system calls
    bool is_moving() const { return moving_; }
    // Others want the processors too: we sleep at once where we would look for the next event for
    // some microseconds, which is quicker on a processor of our own.
    void leave_processors_to_others() { leaves_processors_ = true; }
    // The thread stands on a breakpoint byte and everybody knows: it passes it when it goes on.
    void has_told_of_trap(ThreadId thread);
    // One instruction of one thread, the others held; a breakpoint byte under it is lifted for the
    // moment. Ctrl-C ends one that waits in a system call (`interrupted`).
    TargetEvent step(ThreadId thread);
    // The signal the thread gets when it goes on; 0 for none.
    void deliver(ThreadId thread, int signal);
    // A thread that was stopped in the middle of a system call stands before that call then, which
    // it begins anew as it would have by itself. False: it is in none, or a signal waits for it.
    bool stand_before_broken_call(ThreadId thread);
    bool handles_signal(int signal) const;  // the program has a handler for it
    bool ignores_signal(int signal) const;
    bool is_to_get(int signal) const;  // it has been sent, and no thread has been told of it
    void kill();
    // Lets it run on without us, every byte of its code as we found it.
    void release();
    bool was_attached() const { return attached_; }
    // Gone, or about to be: killed from outside while nobody moved it.
    bool is_over() const;

    // ---- debug registers (Intel SDM 3B, §17.2). At most four; `length` is 1, 2, 4 or 8 and the
    // address a multiple of it.
    void set_watch(unsigned number, RunAddress address, unsigned length, bool on_reads);
    void clear_watch(unsigned number);
    // A system call that the thread makes for us; its registers are as before. Throws TargetError.
    // Returns what the kernel returned, negative for an error.
    std::int64_t system_call(ThreadId thread, long number,
                             std::initializer_list<std::uint64_t> arguments);
    // Whether threads stop when they enter and leave the kernel.
    void trace_system_calls(bool wanted) { traces_system_calls_ = wanted; }
    // Whether what the debug registers watch is looked at around each system call, for what the
    // kernel writes they do not tell.
    void watch_system_calls(bool wanted) { watches_calls_ = wanted; }
    void follow(Follow whom) { follow_ = whom; }
    // A child whose fork was told, held where it was born, with clean code; null unless both are
    // followed. The child of a vfork is told of, and held, where it has become another program.
    std::unique_ptr<LiveProcess> take_child(pid_t child);
    // It was taken as a child that had become another program: nothing is where its parent has it.
    bool began_as_another_program() const { return began_as_another_; }
    // Of a process that we are attached to: no byte of ours is in it from here on until it moves
    // again.
    void rest();
    void let_go_in_emergency();  // async-signal-safe, as far as it goes

    // ---- watching by page protection: any size, slower where the program writes near it.
    void protect(RunRange range, bool against_reads);
    void unprotect(RunRange range);

    void read_memory(RunAddress address, std::span<std::byte> out) override;
    std::size_t read_available(RunAddress address, std::span<std::byte> out) override;
    void write_memory(RunAddress address, ByteSpan bytes) override;
    std::size_t read_bulk(RunAddress address, std::span<std::byte> out) override;
    std::map<RunAddress, std::uint64_t> resident_bytes() override;
    SystemRegisters system_registers(ThreadId thread) override;
    std::vector<ThreadId> threads() const override;
    unsigned thread_number(ThreadId thread) const override;
    std::optional<ThreadId> thread_numbered(unsigned number) const override;
    // It has told of its end: what is left of it to run is the system's.
    bool is_ending(ThreadId thread) const;
    std::string thread_name(ThreadId thread) const override;
    const Registers& registers(ThreadId thread) override;
    void set_registers(ThreadId thread, const Registers& registers) override;
    const VectorRegisters& vector_registers(ThreadId thread) override;
    void set_vector_register(ThreadId thread, unsigned number, ByteSpan bytes) override;
    const std::vector<MemoryRegion>& regions() override;
    std::vector<std::byte> extended_state(ThreadId thread) const override;
    void set_extended_state(ThreadId thread, ByteSpan state);
    // A thread that stands in the middle of a fork, which has just been told, goes on to its end:
    // what we would let it run meanwhile would take the result's place. One at the entry of a
    // system call enters it later. Throws RequestError in a vfork.
    void leave_system_call(ThreadId thread);
    // The general registers as the kernel lays them out.
    user_regs_struct all_registers(ThreadId thread);
    const std::list<Module>& modules() override;
    const Module* module_at(RunAddress address) override;
    const Module& main_module();
    // Libraries have come or gone since the last event.
    void forget_modules() { maps_are_old_ = true; }
    const std::string& program() const { return program_; }

  private:
    pid_t vfork_parent_ = 0;  // whose memory the process uses, our bytes in it, until it becomes
                              // another program or ends
    bool rests_ = false;      // our bytes are taken out until it moves again
    bool began_as_another_ = false;
    bool step_is_interrupted_ = false;
    bool leaves_processors_ = false;

    LiveProcess(std::vector<pid_t> stopped, pid_t process, std::string program, EventLoop& events,
                Tracer& tracer, OpenSymbols open_symbols);
    struct Thread {
        unsigned number = 0;  // from 1, in the order they were met
        bool running = false;
        bool is_ending = false;        // has told of its end and cannot be stopped any more
        bool waits_for_child = false;  // in vfork: it cannot be stopped either
        pid_t untold_child = 0;        // of that vfork: told where it has gone its own way
        enum class In {
            nothing,
            entry,
            fork,
            vfork
        } inside = In::nothing;  // the system call that it stands in, whose result is not there yet
        int signal_to_deliver = 0;
        std::optional<siginfo_t> signal_information;  // of the signal it met last
        std::optional<TargetEvent> pending;  // what happened while another event was being reported
        std::optional<RunAddress>
            told_trap;               // the breakpoint byte it has met and that has been told
        bool in_moved_code = false;  // runs a copy of the instruction under a breakpoint byte
        std::optional<Registers> registers;
        user_regs_struct system_registers{};
        bool registers_changed = false;
        std::optional<VectorRegisters> vectors;
        CallUnderWay call;

        bool can_be_stopped() const { return running && !is_ending && !waits_for_child; }
    };
    void wake();
    const std::string& maps();
    struct Loaded {
        std::string path, file;  // `file` is what to read
        RunAddress begin;
        std::shared_ptr<const ModuleSymbols> symbols;  // null: those that a module of it has
    };
    std::shared_ptr<const ModuleSymbols> symbols_of(const std::string& file);
    std::list<Loaded> loaded_now();
    void refresh_modules();
    void look_for_modules_again();
    void target_moves();
    void resume(ThreadId id, Thread& thread, Kernel::Motion motion);
    void flush_registers(ThreadId id, Thread& thread);
    void go_on(ThreadId id);
    std::optional<TargetEvent> set_going(const Passes& passes, ThreadId only);
    std::optional<TargetEvent> poll(const Passes& passes);
    bool needs_step(ThreadId id, Thread& thread);
    std::optional<TargetEvent> take_pending(const Passes& passes);
    std::optional<TargetEvent> take_event(const Passes& passes);
    void lend_terminal();
    void take_terminal_back();
    TargetEvent stopped_by(TargetEvent event);
    TargetEvent interrupted();
    void wait_for_one_that_stands();
    std::optional<TargetEvent> interpret(ThreadId id, int status);
    std::optional<TargetEvent> interpret_special(ThreadId id, int status);
    std::optional<TargetEvent> interpret_signal(ThreadId id, int signal);
    std::optional<TargetEvent> interpret_trap(ThreadId id, const siginfo_t& info);
    std::optional<TargetEvent> interpret_fork(ThreadId id, pid_t child, bool shares_memory);
    std::optional<TargetEvent> child_goes_its_way(ThreadId id);
    void hold_child(pid_t child, std::string program);
    std::optional<TargetEvent> meet_newcomer(ThreadId id);
    ThreadId living_thread() const;
    Thread& add_thread(ThreadId id);
    std::string task_text(const char* name) const;
    void stop_other_threads();
    void look_for_exec();
    void apply_while_it_runs();
    void wait_for_stop(ThreadId id);
    std::optional<int> wait_for_thread(ThreadId id);
    Tracer::News wait_for_news_of_step(ThreadId id);
    TargetEvent lost();
    void let_child_go(pid_t child, bool shares_memory);
    // Children of a vfork (live_guests.cpp).
    void take_in_guest(pid_t child);
    void look_after_guest(ThreadId id, int status);
    bool step_back_from_byte(ThreadId id);
    void see_ending_threads_off();
    void let_guests_go();
    void clean_child(pid_t child);
    void open_pages_of_child(pid_t child);
    void move_to_child(pid_t child, bool shares_memory);
    void await_vfork_parent();
    void let_vfork_parent_go();
    void clean(KernelMemory& memory);
    TargetEvent ended(int status);

    // Copies of instructions (moved_code.cpp).
    const CodeRooms::Copy* moved_copy(ThreadId id, RunAddress at);
    std::optional<CodeRooms::Copy> copied(RunAddress at, ByteSpan bytes);
    bool take_end_of_code(const Module& module);
    bool map_room(ThreadId id, RunAddress near);
    void unmap_what_is_ours();
    bool has_forbidden_system_calls() const;
    void settle(ThreadId id, const TargetEvent* event = nullptr);

    // Watching (live_watch.cpp).
    void write_debug_registers(ThreadId id);
    void take_watch_hits_of_others(ThreadId first);
    bool do_store(ThreadId id, ByteSpan instruction, RunAddress touched);
    std::optional<TargetEvent> pass_protection(ThreadId id, RunAddress touched);
    void set_protection(ThreadId id, bool protects);
    std::optional<int> rights_of(RunRange pages);
    std::optional<TargetEvent> look_at_system_call(ThreadId id, bool entered);
    void hold_system_call(ThreadId id);
    bool map_scratch(ThreadId id, std::uint64_t size);
    std::optional<TargetEvent> look_at_call_into_pages(ThreadId id, bool entered);
    void keep_what_is_watched(ThreadId id);
    std::optional<TargetEvent> changed_by_call(ThreadId id);
    void leave_to_others(TargetEvent& first);
    void give_calls_back();
    bool lend_scratch(ThreadId id, const CallBuffer& buffer);
    std::optional<TargetEvent> take_scratch_back(ThreadId id);
    TargetEvent touched_by_call(ThreadId id);

    void write_raw(RunAddress address, ByteSpan bytes);
    std::uint64_t signal_mask(std::string_view field) const;

    pid_t process_ = 0;
    EventLoop& events_;
    Tracer& tracer_;
    Kernel& kernel_;
    OpenSymbols open_symbols_;
    TerminalHandover terminal_;
    OwnTerminal* own_terminal_ = nullptr;
    bool lends_terminals_ = true;
    MemoryCache cache_;
    std::unique_ptr<KernelMemory> memory_;
    ProbeTable probes_;
    bool alive_ = false, moving_ = false, attached_ = false, traces_system_calls_ = false,
         watches_calls_ = false;
    unsigned threads_met_ = 0;
    std::map<ThreadId, unsigned>
        reserved_numbers_;  // of threads that were seen and have not told of themselves yet
    ThreadId only_ = 0;     // the one thread that moves; 0: all
    Follow follow_ = Follow::parent;
    std::map<pid_t, std::unique_ptr<LiveProcess>> newborn_;  // that nobody has taken yet
    std::set<ThreadId> guests_;  // they run in our memory and are nobody's business
    std::set<RunAddress> lifted_for_guests_;
    CodeRooms rooms_;
    ScratchMemory scratches_;
    bool maps_no_rooms_ = false;  // it cannot, or must not
    WatchRegisters watches_;
    WatchedPages protected_;
    std::uint64_t batch_ = 0;
    // The map of the memory as the kernel tells it, and what has been made of it.
    std::string maps_;
    bool maps_are_old_ = true, modules_may_be_old_ = true, modules_are_of_maps_ = false,
         regions_are_of_maps_ = false;
    bool loader_tells_ = false;  // a trap stands where it tells that libraries come and go
    bool judging_ = false;  // a thread stands for its event while others move: what was read of
                            // memory holds until it is decided
    bool steps_over_call_ = false;  // one thread steps over the instruction of a system call, which
                                    // traps in a way of its own
    bool others_wait_ = false;
    unsigned events_since_look_ = 0;
    std::uint64_t stops_ = 0;
    std::optional<TargetEvent> end_;
    std::optional<TargetEvent>
        replaced_meanwhile_;  // what a thread did while it was being stopped for another event
    std::map<ThreadId, Thread> threads_;
    std::list<Module> modules_, unloaded_;
    std::vector<MemoryRegion> regions_;
    std::string program_;
};

}  // namespace lantern
