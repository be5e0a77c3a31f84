// One debugging session on one program: it launches it, moves it, and keeps its breakpoints, results and selected
// frame. Nothing here prints. Everything must be called from one thread.
#pragma once

#include <functional>
#include <list>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/code/flow_graph.h"
#include "core/expressions/declared_view.h"
#include "core/expressions/evaluator.h"
#include "core/session/breakpoint_set.h"
#include "core/session/landing.h"
#include "core/session/library_rules.h"
#include "core/session/moment.h"
#include "core/session/notes.h"
#include "core/session/presentation.h"
#include "core/session/signal_rules.h"
#include "core/session/stop.h"
#include "core/symbols/source_files.h"
#include "core/target/event_loop.h"
#include "core/target/launch.h"
#include "core/target/own_terminal.h"
#include "core/target/program_file.h"
#include "core/target/target_event.h"
#include "core/target/tracer.h"
#include "core/unwind/unwinder.h"
#include "core/values/value_view.h"

namespace lantern {

class CoreFile;
class LiveProcess;
class Meanwhile;
class Movement;

// A core file to look into; `program` is empty to take the one it names.
struct CoreRequest {
    std::string core, program;
};

// A process of ours: the first, or a child that was kept.
struct ProcessFact {
    unsigned number = 0;
    pid_t id = 0;
    std::string program;
    bool is_selected = false;
};

// How a step is to be done.
struct StepWish {
    bool alone = false;      // the other threads are held meanwhile
    bool anyway = false;     // into: functions without lines and of libraries too
    std::string into;        // into: only the function of this name
};

class Session {
  public:
    // `launch.program` is the program; it is opened here. Throws FileError.
    Session(LaunchOptions launch, std::vector<SourceMapping> mappings, SymbolSearch search = {});
    // Takes hold of a running process. Throws TargetError, FileError.
    Session(pid_t process, std::vector<SourceMapping> mappings, SymbolSearch search = {});
    // Looks at what a core file kept. Throws FileError.
    Session(const CoreRequest& request, std::vector<SourceMapping> mappings, SymbolSearch search = {});
    ~Session();

    const std::string& program() const { return launch_.program; }
    const ModuleSymbols& symbols() const { return *symbols_; }
    SourceFiles& sources() { return sources_; }
    bool is_running() const;           // a live process, moving or not
    bool has_threads() const;          // a live process, or what a core file kept of one
    const CoreFile* core() const { return core_.get(); }  // null: not on a core file
    bool has_run() const { return has_run_; }
    const Stop& last_stop() const { return last_stop_; }
    // Counts the movements: tells whether the last stop is a new one.
    std::uint64_t movements() const { return movements_; }
    const LaunchOptions& launch_options() const { return launch_; }
    LiveProcess& process();            // throws RequestError when the program is not running
    pid_t process_id();                // throws RequestError
    Target& target();                  // the process or the core, or the file while there is none
    ThreadId thread() const { return thread_; }

    // ---- running. Each returns when the program has stopped. Throw TargetError, RequestError.
    Stop launch(std::vector<std::string> arguments);  // empty keeps the arguments of last time
    void set_arguments(std::vector<std::string> arguments);
    void set_redirections(std::string input_file, std::string output_file);  // for the next launch; empty: ours
    Stop launch_again();
    Stop continue_running(const StepWish& wish = {});
    Stop over_line(const StepWish& wish = {});
    Stop into_line(const StepWish& wish = {});
    Stop over_instruction(const StepWish& wish = {});
    Stop into_instruction();
    Stop out();                        // of the selected frame
    Stop out_of_loop();                // to the first line behind the innermost loop around the current line
    Stop reach(const Place& place);    // launches the program when it is not running
    // The current thread goes on at `place` without running what lies between. Returns a warning where that leaves the
    // function; empty otherwise. Throws RequestError.
    std::string divert(const Place& place);
    // Ends the selected frame's function as if it had returned `value` (empty: nothing is set). Throws RequestError.
    Stop leave(std::string_view value);
    // Any of the movements above, without waiting for its end: it goes on while we do other things. Nothing is returned while
    // it does; `meanwhile` tells when it has ended, and `pause` ends it.
    std::optional<Stop> begin_meanwhile(std::function<Stop()> movement);
    std::optional<Stop> meanwhile();
    Stop wait();                       // until what goes on meanwhile has stopped
    std::optional<Stop> wait_at_most(double seconds);  // nothing: it still runs
    Stop pause();
    bool is_moving() const;
    int event_descriptor() const { return events_.descriptor(); }
    // The program gets a terminal of its own from its next start on; what it writes there goes to `output`.
    void give_own_terminal(int keyboard, OwnTerminal::Output output);
    void kill();
    // Lets the program run on without us.
    void release();
    bool was_attached() const { return attached_to_ != 0; }
    void follow(Follow whom);
    Follow followed() const { return follow_; }
    SignalRules& signals() { return signals_; }
    // Reads the program and its breakpoints anew after a rebuild; a running one is ended. Returns what has changed, a
    // sentence each. Throws FileError.
    std::vector<std::string> reload();

    // ---- processes: the one that is looked at, and the others that wait where they stopped (see Follow::both)
    std::vector<ProcessFact> processes() const;
    void select_process(unsigned number);          // throws RequestError

    // ---- threads
    // 0: there is no process.
    void select_thread(unsigned number);           // throws RequestError
    unsigned thread_number() const;

    // ---- breakpoints
    // Takes the wish as it is (without a number) and sets it up. A place that is nowhere is refused unless `may_wait`; then it
    // waits for a library that brings it. Throws RequestError, and ExpressionError for a condition that does not parse.
    const Breakpoint& add_breakpoint(Breakpoint wish, bool may_wait = false);
    std::vector<unsigned> others_at(const Breakpoint& wanted) const { return breakpoints_.others_at(wanted); }
    const Breakpoint& add_breakpoint(const Place& place, std::string condition = {});
    const std::list<Breakpoint>& breakpoints() const { return breakpoints_.all(); }
    void switch_breakpoint(unsigned number, bool on);      // throws RequestError for an unknown number
    void drop_breakpoint(unsigned number);
    NoteTable& notes() { return notes_; }
    LibraryRules& libraries() { return libraries_; }

    // The ways through a function of a module. Kept.
    const FlowGraph& flow_of(const Module& module, const Function& function);

    // ---- looking
    // The position at which the current thread stands, where one is known besides the address.
    const CodePosition* standing() const;
    Unwinder& stack();                 // of the current thread; throws RequestError when the program is not running
    // Of the current thread at the stop before this one; null where it did not stop then.
    const RegisterSnapshot* registers_before() const;
    const Frame* selected_frame();     // null when the program is not running
    void select_frame(unsigned level); // throws RequestError when there is no such frame
    unsigned selected_level() const { return selected_level_; }
    EvaluationContext context() { return moment().context(); }
    // What is looked at now: holds until something moves or another frame is selected.
    Moment moment();
    Presentation& presentation() { return presentation_; }
    std::string current_file();        // of the selected frame, else of main; may be empty
    Place place(std::string_view text) { return parse_place(text, current_file()); }
    // Throws RequestError while nothing runs, MemoryError.
    void write_memory(RunAddress address, ByteSpan bytes);
    Assigned assign(std::string_view left, std::string_view right);
    // Runs a function of the program on the current thread, for its value; registers and stack are as before when it
    // returns or throws. Throws RequestError, with the reason, when it does not return.
    Value call_function(const FunctionCall& call);
    // Asked before each call; empty: functions are not called.
    std::function<bool(const std::string& name)> may_call;
    // True if the source that was compiled is older than what lies there now.
    bool is_stale(const std::string& recorded_source);

    // ---- how values are shown
    ViewLimits view_limits() { return moment().view_limits(); }
    Form form_of(const std::string& name) { return moment().form_of(name); }


  private:
    friend class Movement;
    friend class LineStep;
    friend class Watching;

    std::shared_ptr<const ModuleSymbols> open_symbols(const std::string& path);
    void start_process();
    void program_was_replaced();
    void look_at_program_anew();
    unsigned hold(std::unique_ptr<LiveProcess> process);  // its number
    void open_program();
    void read_again();
    void resolve_breakpoint(Breakpoint& breakpoint);
    void resolve_place_sites(Breakpoint& breakpoint);
    void follow_address(Breakpoint& breakpoint);
    void find_again(Breakpoint& breakpoint);
    void remember_source(Breakpoint& breakpoint);
    void require_of_program(Breakpoint& wish);
    void watch_anew(Breakpoint& breakpoint);
    void resolve_all_for_start();
    void look_at_libraries(std::vector<std::string>& loaded, std::vector<std::string>& unloaded);
    void want_loader_hook();
    void insert_sites(Breakpoint& breakpoint);
    void remove_sites(Breakpoint& breakpoint);
    void forget_sites();
    void refuse_while_moving() const;  // throws RequestError
    const std::vector<LandingHook>& landing_hooks();
    unsigned level_of_users_code();
    // The number of a held process that every thread of the one that runs waits for; 0 if they do not.
    unsigned held_child_waited_for() const;
    struct ShownFrame {
        RunAddress back, identity;       // where its callee returns to; its call frame address
        std::uint32_t line = 0;
        const Scope* inlined = nullptr;  // the call that runs now, where it was inlined into the shown one
    };
    std::optional<ShownFrame> shown_further_out();
    std::optional<Stop> come_back_to(const ShownFrame& shown, Movement& movement);
    Stop out_of_inlined(const Frame& frame);
    void stand_at(const CodePosition& position);
    void keep_registers();
    Stop finished(Stop stop, std::uint64_t stops_before);
    template <class Move>
    Stop moved(Move move, const StepWish& wish = {});
    template <class Look>
    std::optional<Stop> ended_meanwhile(Look look);

    LaunchOptions launch_;
    EventLoop events_;
    Tracer tracer_{real_kernel()};
    int keyboard_ = -1;
    OwnTerminal::Output terminal_output_;
    std::unique_ptr<OwnTerminal> own_terminal_;
    SymbolSearch search_;
    std::map<std::string, std::shared_ptr<const ModuleSymbols>> open_;
    std::set<std::string> kept_open_;  // paths whose file was replaced while a process of the old one runs
    std::vector<std::shared_ptr<const ModuleSymbols>> retired_;  // kept: types of earlier values point into them
    std::shared_ptr<const ModuleSymbols> symbols_;
    std::unique_ptr<ProgramFile> file_;
    std::unique_ptr<LiveProcess> process_;
    std::unique_ptr<CoreFile> core_;
    SourceFiles sources_;
    BreakpointSet breakpoints_;
    // Where a thread stands, as long as it has not moved.
    struct Standing {
        ThreadId thread = 0;
        RunAddress at;
        CodePosition position;
    };
    std::optional<Standing> standing_;
    std::map<const Function*, std::unique_ptr<FlowGraph>> flows_;
    NoteTable notes_;
    SignalRules signals_;
    Follow follow_ = Follow::parent;
    LibraryRules libraries_;
    std::optional<RunAddress> loader_hook_;       // where the loader tells that libraries came or went
    std::set<std::string> known_libraries_;
    std::vector<LandingHook> landing_hooks_;
    std::size_t landing_hooks_for_ = 0;           // how many modules were looked through for them
    pid_t attached_to_ = 0;
    std::map<unsigned, std::unique_ptr<LiveProcess>> held_;  // the other processes, by number
    unsigned process_number_ = 1, processes_met_ = 1;
    std::unique_ptr<Meanwhile> going_;            // what goes on meanwhile
    Presentation presentation_;
    std::unique_ptr<Surroundings> surroundings_;
    std::unique_ptr<Unwinder> stack_;
    std::optional<RegisterSnapshot> registers_before_, registers_now_;
    unsigned selected_level_ = 0;
    ThreadId thread_ = 0;
    bool has_run_ = false;
    std::uint64_t movements_ = 0;
    Stop last_stop_;
};

}  // namespace lantern
