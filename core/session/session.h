// One debugging session on one program: the movements, and everything else that is asked of its
// parts by name. Nothing here prints. Everything must be called from one thread.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/session/processes.h"
#include "core/session/step_options.h"

namespace lantern {

class Movement;

class Session {
  public:
    // `launch.program` is the program; it is opened here. Throws FileError.
    Session(LaunchOptions launch, std::vector<SourceMapping> mappings, SymbolSearch search = {});
    // Takes hold of a running process. Throws TargetError, FileError.
    Session(pid_t process, std::vector<SourceMapping> mappings, SymbolSearch search = {});
    // Looks at what a core file kept. Throws FileError.
    Session(const CoreRequest& request, std::vector<SourceMapping> mappings,
            SymbolSearch search = {});
    ~Session();

    const std::string& program() const { return here().debuggee.program(); }
    const ModuleSymbols& symbols() const { return here().debuggee.symbols(); }
    SourceFiles& sources() { return shared_.sources; }
    bool is_running() const {
        return here().debuggee.is_running();
    }  // a live process, moving or not
    bool has_threads() const {
        return here().debuggee.has_threads();
    }  // a live process, or what a core file kept of one
    const CoreFile* core() const { return here().debuggee.core(); }  // null: not on a core file
    bool has_run() const { return here().last_stop.reason != StopReason::none; }
    const Stop& last_stop() const { return here().last_stop; }
    // Counts the movements: tells whether the last stop is a new one.
    std::uint64_t movements() const { return shared_.movements; }
    const LaunchOptions& launch_options() const { return here().debuggee.launch_options(); }
    LiveProcess& process() {
        return here().debuggee.process();
    }                    // throws RequestError when the program is not running
    pid_t process_id();  // throws RequestError
    Target& target() {
        return here().debuggee.target();
    }  // the process or the core, or the file while there is none
    ThreadId thread() const { return here().selection.thread(); }

    // ---- running. Each returns when the program has stopped. Throw TargetError, RequestError.
    Stop launch(std::vector<std::string> arguments);  // empty keeps the arguments of last time
    void set_arguments(std::vector<std::string> arguments);
    void set_redirections(std::string input_file,
                          std::string output_file);  // for the next launch; empty: ours
    Stop launch_again();
    // Starts it, and leaves it before its first instruction: what is to be set up can be, and a
    // movement goes on from there.
    Stop start();
    Stop continue_running(const StepOptions& wish = {});
    Stop over_line(const StepOptions& wish = {});
    Stop into_line(const StepOptions& wish = {});
    Stop over_instruction(const StepOptions& wish = {});
    Stop into_instruction();
    Stop out();          // of the selected frame
    Stop out_of_loop();  // to the first line behind the innermost loop around the current line
    Stop reach(const Place& place);  // launches the program when it is not running
    // A movement so many times, as long as it arrives and nothing else stops the program. `goes_on`
    // is asked in between.
    Stop repeat(std::uint64_t times, const std::function<Stop()>& move,
                const std::function<bool(const Stop&)>& goes_on);
    // The current thread goes on at `place` without running what lies between. Returns a warning
    // where that leaves the function; empty otherwise. Throws RequestError.
    std::string divert(const Place& place);
    // Ends the selected frame's function as if it had returned `value` (empty: nothing is set).
    // Throws RequestError.
    Stop leave(std::string_view value);
    // Any of the movements above, without waiting for its end: it goes on while we do other things.
    // Nothing is returned while it does; `meanwhile` tells when it has ended, and `pause` ends it.
    std::optional<Stop> begin_meanwhile(std::function<Stop()> movement);
    std::optional<Stop> meanwhile();
    // The same for whoever cannot tell of it now: how it ended is kept for the next of meanwhile,
    // wait and pause.
    void look_after_it();
    Stop wait();                                       // until what goes on meanwhile has stopped
    std::optional<Stop> wait_at_most(double seconds);  // nothing: it still runs
    Stop pause();
    bool sleep(double seconds);  // between two movements; false: Ctrl-C was pressed
    bool is_moving() const { return here().debuggee.is_moving(); }
    EventLoop& events() { return shared_.host.events; }
    int event_descriptor() { return events().descriptor(); }
    // The program gets a terminal of its own from its next start on; what it writes there goes to
    // `output`.
    void give_own_terminal(int keyboard, OwnTerminal::Output output);
    void kill();
    // Lets the program run on without us.
    void release();
    bool was_attached() const { return here().debuggee.was_attached(); }
    void follow(Follow whom);
    Follow followed() const { return shared_.host.follow; }
    SignalRules& signals() { return shared_.signals; }
    // Reads the program and its breakpoints anew after a rebuild; a running one is ended. Returns
    // what has changed, a sentence each. Throws FileError.
    std::vector<std::string> reload();

    // ---- processes: see Processes
    std::vector<ProcessFact> processes() const { return processes_->facts(); }
    void select_process(unsigned number);  // throws RequestError
    // A child of the program is left to itself, standing still as by SIGSTOP, for whoever takes
    // hold of it next. Throws RequestError for the one that is looked at, and where there is none.
    void let_go(unsigned process);
    // See Processes.
    unsigned open_beside(const LaunchOptions& launch) { return processes_->open_beside(launch); }

    // ---- threads
    // 0: there is no process.
    void select_thread(unsigned number);  // throws RequestError
    unsigned thread_number() const { return here().selection.thread_number(); }

    // ---- breakpoints
    // See BreakpointSites.
    const Breakpoint& add_breakpoint(Breakpoint wish, bool may_wait = false);
    const Breakpoint& add_breakpoint(const Place& place, std::string condition = {});
    std::vector<unsigned> others_at(const Breakpoint& wanted) const {
        return here().breakpoints.others_at(wanted);
    }
    const std::list<Breakpoint>& breakpoints() const { return here().breakpoints.all(); }
    void switch_breakpoint(unsigned number, bool on);  // throws RequestError for an unknown number
    void drop_breakpoint(unsigned number);
    NoteTable& notes() { return shared_.notes; }
    LibraryRules& libraries() { return shared_.libraries; }

    // ---- looking
    Unwinder& stack() {
        return here().selection.stack();
    }  // of the current thread; throws RequestError when the program is not running
    // Of the current thread at the stop before this one; null where it did not stop then.
    const RegisterSnapshot* registers_before() const { return here().selection.registers_before(); }
    const Frame* selected_frame() {
        return here().selection.frame();
    }  // null when the program is not running
    void select_frame(unsigned level) {
        here().selection.select_frame(level);
    }  // throws RequestError when there is no such frame
    unsigned selected_level() const { return here().selection.level(); }
    // What is looked at meanwhile changes nothing for whoever looks already.
    Selection::Detour look_elsewhere() { return Selection::Detour(here().selection); }
    EvaluationContext context() { return moment().context(); }
    // What is looked at now: holds until something moves or another frame is selected.
    Moment moment() { return here().moment(); }
    Presentation& presentation() { return shared_.presentation; }
    std::string current_file();  // of the selected frame, else of main; may be empty
    Place place(std::string_view text) { return parse_place(text, current_file()); }
    // From the next launch with the heap library on: the places whose births get a page of their
    // own. Returns why, of each that the program's own file does not have: a library may bring it.
    // Throws RequestError for what is no place.
    std::vector<std::string> guard_births_at(std::span<const std::string> places);
    std::span<const Place> guarded_births() const { return shared_.guarded_births; }
    // Throws RequestError while nothing runs, MemoryError.
    void write_memory(RunAddress address, ByteSpan bytes);
    Assigned assign(std::string_view left, std::string_view right);
    // Expressions may call functions of the program from now on; asked before each call. Empty:
    // they may not.
    void allow_calls(std::function<bool(const std::string& name)> may_call);
    // Says what is doubtful of the values that a condition or a note reads ("total: perhaps of
    // before line 18"); asked once for each function in which it is met. Runs nothing.
    void ask_for_doubts(
        std::function<std::string(const Moment& at, const std::string& expression)> doubts);

    // The listener is told of what happens besides the stops for as long as the answer is kept.
    [[nodiscard]] std::shared_ptr<SessionListener> subscribe(SessionListener listener);

  private:
    Session(std::vector<SourceMapping> mappings, SymbolSearch search);
    SessionParts& here() { return processes_->here(); }
    const SessionParts& here() const { return processes_->here(); }
    // Of the processes that have the breakpoint. Throws RequestError where none has.
    void for_each_with(unsigned breakpoint, const std::function<void(SessionParts&)>& change);
    void start_process();
    void read_again();
    struct ShownFrame {
        RunAddress back, identity;  // where its callee returns to; its call frame address
        std::uint32_t line = 0;
        const Scope* inlined =
            nullptr;  // the call that runs now, where it was inlined into the shown one
    };
    std::optional<ShownFrame> shown_further_out();
    std::optional<Stop> come_back_to(const ShownFrame& shown, Movement& movement);
    Stop out_of_inlined(const Frame& frame);
    Stop moved(const std::function<Stop(Movement&)>& move, const StepOptions& wish = {});
    Stop told_of(Stop stop);
    std::optional<Stop> resume_meanwhile(Fibre::Word word);
    void leave_meanwhile();

    SharedParts shared_;
    std::unique_ptr<Processes> processes_;
    std::optional<Stop> stop_meanwhile_, untold_;  // how what went on meanwhile ended
    std::unique_ptr<Fibre> going_;                 // it is left before the parts are gone
};

}  // namespace lantern
