// One debugging session on one program: it launches it, moves it, and keeps its breakpoints, results and selected
// frame. Nothing here prints. Everything must be called from one thread.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/expressions/declared_view.h"
#include "core/expressions/evaluator.h"
#include "core/session/breakpoint.h"
#include "core/session/stop.h"
#include "core/symbols/source_files.h"
#include "core/target/program_file.h"
#include "core/unwind/unwinder.h"
#include "core/values/value_view.h"

namespace lantern {

struct Pin {
    unsigned number = 0;
    std::string text;
};

class Session {
  public:
    // `launch.program` is the program; it is opened here. Throws FileError.
    Session(LaunchOptions launch, std::vector<SourceMapping> mappings, SymbolSearch search = {});
    ~Session();

    const std::string& program() const { return launch_.program; }
    const ModuleSymbols& symbols() const { return *symbols_; }
    SourceFiles& sources() { return sources_; }
    bool is_running() const { return process_ && process_->is_alive(); }
    bool has_run() const { return has_run_; }
    const Stop& last_stop() const { return last_stop_; }
    // Counts the movements: tells whether the last stop is a new one.
    std::uint64_t movements() const { return movements_; }
    const LaunchOptions& launch_options() const { return launch_; }
    LiveProcess& process();            // throws RequestError when the program is not running
    Target& target();                  // the process, or the file while there is none
    ThreadId thread() const { return thread_; }

    // ---- running. Each returns when the program has stopped. Throw TargetError, RequestError.
    Stop launch(std::vector<std::string> arguments);  // empty keeps the arguments of last time
    void set_arguments(std::vector<std::string> arguments);
    void set_redirections(std::string input_file, std::string output_file);  // for the next launch; empty: ours
    Stop launch_again();
    Stop continue_running();
    Stop over_line();
    Stop into_line();
    Stop over_instruction();
    Stop into_instruction();
    Stop out();                        // of the selected frame
    Stop reach(const Place& place);    // launches the program when it is not running
    void kill();

    // ---- breakpoints
    // Throws RequestError when the place is nowhere, ExpressionError for a condition that does not parse.
    const Breakpoint& add_breakpoint(const Place& place, std::string condition = {});
    const std::vector<Breakpoint>& breakpoints() const { return breakpoints_; }
    void switch_breakpoint(unsigned number, bool on);      // throws RequestError for an unknown number
    void drop_breakpoint(unsigned number);

    // ---- looking
    Unwinder& stack();                 // of the current thread; throws RequestError when the program is not running
    const Frame* selected_frame();     // null when the program is not running
    void select_frame(unsigned level); // throws RequestError when there is no such frame
    unsigned selected_level() const { return selected_level_; }
    EvaluationContext context();
    Results& results() { return results_; }
    std::string current_file();        // of the selected frame, else of main; may be empty
    Place place(std::string_view text) { return parse_place(text, current_file()); }
    Assigned assign(std::string_view left, std::string_view right);
    // Runs a function of the program on the current thread, for its value; registers and stack are as before when it
    // returns or throws. Throws RequestError, with the reason, when it does not return.
    Value call_function(const FunctionCall& call);
    // Asked before each call; empty: functions are not called.
    std::function<bool(const std::string& name)> may_call;
    // True if the source that was compiled is older than what lies there now.
    bool is_stale(const std::string& recorded_source);
    SourceState source_state(const std::string& recorded_source);

    // ---- how values are shown
    void declare_views(std::vector<DeclaredView> views);
    const Surroundings& surroundings() const { return *surroundings_; }
    ViewLimits view_limits() const;  // the usual ones, with the surroundings
    // Forms the user wants variables shown in, by name.
    std::map<std::string, Form>& forms() { return forms_; }
    Form form_of(const std::string& name) const;

    std::vector<Pin>& pins() { return pins_; }
    Pin& add_pin(std::string text);

  private:
    friend class Movement;
    friend class LineStep;

    std::shared_ptr<const ModuleSymbols> open_symbols(const std::string& path);
    void start_process();
    Breakpoint& breakpoint(unsigned number);
    void resolve_breakpoint(Breakpoint& breakpoint);
    void follow_address(Breakpoint& breakpoint);
    void resolve_all_for_start();
    void insert_sites(Breakpoint& breakpoint);
    void remove_sites(Breakpoint& breakpoint);
    Stop finished(Stop stop, std::uint64_t stops_before);
    template <class Move>
    Stop moved(Move move);

    LaunchOptions launch_;
    EventLoop events_;
    SymbolSearch search_;
    std::map<std::string, std::shared_ptr<const ModuleSymbols>> open_;
    std::vector<std::shared_ptr<const ModuleSymbols>> retired_;  // kept: types of earlier values point into them
    std::shared_ptr<const ModuleSymbols> symbols_;
    std::unique_ptr<ProgramFile> file_;
    std::unique_ptr<LiveProcess> process_;
    SourceFiles sources_;
    std::vector<Breakpoint> breakpoints_;
    unsigned next_breakpoint_ = 1, next_pin_ = 1;
    std::vector<Pin> pins_;
    Results results_;
    DeclaredViews declared_views_{{}};
    std::unique_ptr<Surroundings> surroundings_;
    std::map<std::string, Form> forms_;
    std::unique_ptr<Unwinder> stack_;
    unsigned selected_level_ = 0;
    ThreadId thread_ = 0;
    bool has_run_ = false;
    std::uint64_t movements_ = 0;
    Stop last_stop_;
};

}  // namespace lantern
