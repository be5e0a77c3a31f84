// The program that is looked at: its files and their symbols, and its process, or what a core file
// kept of one, or nothing yet.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "core/code/flow_graph.h"
#include "core/session/host.h"
#include "core/session/landing.h"
#include "core/symbols/module_symbols.h"
#include "core/target/launch.h"
#include "core/target/program_file.h"

namespace lantern {

class CoreFile;
class LiveProcess;

// A core file to look into; `program` is empty to take the one it names.
struct CoreRequest {
    std::string core, program;
};

class Debuggee {
  public:
    // `launch.program` is the program; it is opened here. Throws FileError. The host is borrowed by
    // all of them.
    Debuggee(Host& host, LaunchOptions launch);
    // Takes hold of a running process. Throws TargetError, FileError.
    Debuggee(Host& host, pid_t process);
    // What a core file kept. Throws FileError.
    Debuggee(Host& host, const CoreRequest& request);
    // The child of a process that forked, held where it was born.
    Debuggee(const Debuggee& parent, std::unique_ptr<LiveProcess> child);
    ~Debuggee();

    EventLoop& events() { return host_.events; }
    LaunchOptions& launch_options() { return launch_; }
    const LaunchOptions& launch_options() const { return launch_; }

    // ---- files
    const std::string& program() const { return launch_.program; }
    const ModuleSymbols& symbols() const { return *symbols_; }
    bool is_rebuilt() const;  // the program's file is another one than what was read
    // The old tables stay for the values that point into them.
    void read_program_again();
    // The process runs another program now: from here on it is that one's symbols. One that cannot
    // be read goes without names.
    void take_on_what_runs();
    // The ways through a function of a module. Kept.
    const FlowGraph& flow_of(const Module& module, const Function& function);

    // ---- what runs
    bool is_running() const;  // a live process, moving or not
    bool has_threads() const { return is_running() || core_; }
    bool is_moving() const;            // see Host::goes_meanwhile
    void refuse_while_moving() const;  // throws RequestError
    LiveProcess& process();            // throws RequestError when the program is not running
    LiveProcess* process_if_any() const { return process_.get(); }  // it may have ended
    const CoreFile* core() const { return core_.get(); }            // null: not on a core file
    Target& target();  // the process or the core, or the file while there is none
    bool was_attached() const { return attached_to_ != 0; }
    // Launches it anew; what ran before is ended. Throws TargetError; RequestError on a core.
    void start();
    void end();
    void forget_what_ended();  // it has come to its end
    void release();            // lets it run on without us
    Follow followed() const { return host_.follow; }
    // The one that is looked at gets the session's terminal while it runs, the others do not.
    void come_to_front();
    void step_back();
    void drain_terminal() {
        if (host_.own_terminal) host_.own_terminal->drain();
    }
    // Where control lands when frames are left: of what is loaded now. `forget_landing_hooks` when
    // libraries came or went.
    const std::vector<LandingHook>& landing_hooks();
    void forget_landing_hooks();

  private:
    void open_program();
    std::function<std::shared_ptr<const ModuleSymbols>(const std::string& path)> opener();

    Host& host_;
    LaunchOptions launch_;
    std::shared_ptr<const ModuleSymbols> symbols_;
    std::unique_ptr<ProgramFile> file_;
    std::unique_ptr<LiveProcess> process_;
    std::unique_ptr<CoreFile> core_;
    std::vector<LandingHook> landing_hooks_;
    std::size_t landing_hooks_for_ = 0;  // how many modules were looked through for them
    pid_t attached_to_ = 0;
    bool has_ended_ = false;
};

}  // namespace lantern
