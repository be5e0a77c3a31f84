// A fixture as a process of its own, without a session.
#pragma once

#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include "core/target/live_process.h"
#include "tests/testing/command.h"

namespace lantern::testing {

inline std::shared_ptr<const ModuleSymbols> open_symbols(const std::string& path) {
    return std::make_shared<ModuleSymbols>(path);
}

inline LaunchOptions quiet_launch(const std::string& program,
                                  std::vector<std::string> arguments = {}) {
    LaunchOptions options;
    options.program = program;
    options.arguments = std::move(arguments);
    options.output_file = options.input_file = "/dev/null";
    return options;
}

inline RunAddress address_of(LiveProcess& process, const std::string& symbol) {
    const Module& main = process.main_module();
    return main.to_run(main.symbols().symbol_table().named(symbol)->address);
}

// A fixture that runs by itself, and ends with the test.
class RunningProgram {
  public:
    RunningProgram(const std::string& name, std::vector<std::string> arguments) : id_(fork()) {
        std::string program = fixture(name);
        if (id_ == 0) {
            std::vector<char*> all{program.data()};
            for (std::string& argument : arguments) all.push_back(argument.data());
            all.push_back(nullptr);
            if (freopen("/dev/null", "w", stdout)) execv(program.c_str(), all.data());
            _exit(127);
        }
        wait_until_it_runs(id_, program);
    }
    RunningProgram(const RunningProgram&) = delete;
    RunningProgram& operator=(const RunningProgram&) = delete;
    ~RunningProgram() {
        kill(id_, SIGKILL);
        waitpid(id_, nullptr, 0);
    }
    pid_t id() const { return id_; }
    bool is_running() const {
        int status = 0;
        return waitpid(id_, &status, WNOHANG) == 0;
    }

  private:
    pid_t id_;
};

}  // namespace lantern::testing
