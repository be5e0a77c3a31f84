// The program that is looked at: its files and their symbols, and its process, or what a core file kept of one, or nothing yet.
#pragma once

#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "core/code/flow_graph.h"
#include "core/session/landing.h"
#include "core/symbols/module_symbols.h"
#include "core/target/event_loop.h"
#include "core/target/launch.h"
#include "core/target/own_terminal.h"
#include "core/target/program_file.h"
#include "core/target/target_event.h"
#include "core/target/tracer.h"

namespace lantern {

class CoreFile;
class LiveProcess;

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

class Debuggee {
  public:
    // `launch.program` is the program; it is opened here. Throws FileError.
    Debuggee(LaunchOptions launch, SymbolSearch search);
    // Takes hold of a running process. Throws TargetError, FileError.
    Debuggee(pid_t process, SymbolSearch search);
    // What a core file kept. Throws FileError.
    Debuggee(const CoreRequest& request, SymbolSearch search);
    ~Debuggee();

    EventLoop& events() { return events_; }
    LaunchOptions& launch_options() { return launch_; }
    const LaunchOptions& launch_options() const { return launch_; }

    // ---- files
    const std::string& program() const { return launch_.program; }
    const ModuleSymbols& symbols() const { return *symbols_; }
    bool is_rebuilt() const;           // the program's file is another one than what was read
    // The old tables stay for the values that point into them.
    void read_program_again();
    // The process runs another program now: from here on it is that one's symbols. One that cannot be read goes without names.
    void take_on_what_runs();
    // The ways through a function of a module. Kept.
    const FlowGraph& flow_of(const Module& module, const Function& function);

    // ---- what runs
    bool is_running() const;           // a live process, moving or not
    bool has_threads() const { return is_running() || core_; }
    bool is_moving() const;
    void refuse_while_moving() const;  // throws RequestError
    LiveProcess& process();            // throws RequestError when the program is not running
    LiveProcess* process_if_any() const { return process_.get(); }  // it may have ended
    const CoreFile* core() const { return core_.get(); }  // null: not on a core file
    Target& target();                  // the process or the core, or the file while there is none
    bool was_attached() const { return attached_to_ != 0; }
    // Launches it anew; all that ran before is ended. Throws TargetError; RequestError on a core.
    void start();
    void end();                        // all its processes
    void forget_what_ended();          // the one that is looked at has come to its end
    void release();                    // lets all of them run on without us
    void follow(Follow whom);
    Follow followed() const { return follow_; }
    // The program gets a terminal of its own from its next start on; what it writes there goes to `output`.
    void give_own_terminal(int keyboard, OwnTerminal::Output output);
    void drain_terminal() { if (own_terminal_) own_terminal_->drain(); }
    // Where control lands when frames are left: of what is loaded now. `forget_landing_hooks` when libraries came or went.
    const std::vector<LandingHook>& landing_hooks();
    void forget_landing_hooks();

    // ---- processes: the one that is looked at, and the others that wait where they stopped (see Follow::both)
    std::vector<ProcessFact> processes() const;
    unsigned hold(std::unique_ptr<LiveProcess> process);  // its number
    bool is_selected(unsigned number) const { return is_running() && number == process_number_; }
    void require_held(unsigned number);  // throws RequestError, and forgets one that has been ended from outside
    void change_to(unsigned number);     // one that is held; what stays behind must be clean
    // The number of a held process that every thread of the one that runs waits for; 0 if they do not.
    unsigned held_child_waited_for() const;

  private:
    std::shared_ptr<const ModuleSymbols> open_symbols(const std::string& path);
    void open_program();

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
    std::map<const Function*, std::unique_ptr<FlowGraph>> flows_;
    std::vector<LandingHook> landing_hooks_;
    std::size_t landing_hooks_for_ = 0;           // how many modules were looked through for them
    Follow follow_ = Follow::parent;
    pid_t attached_to_ = 0;
    bool has_ended_ = false;
    std::map<unsigned, std::unique_ptr<LiveProcess>> held_;  // the other processes, by number
    unsigned process_number_ = 1, processes_met_ = 1;
};

}  // namespace lantern
