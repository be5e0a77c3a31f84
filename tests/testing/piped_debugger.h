// The built elm-lantern with its commands on a pipe, which a test can go on writing to while it
// reads what comes.
#pragma once

#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <string>

namespace lantern::testing {

class PipedDebugger {
  public:
    PipedDebugger(int process, const std::string& commands)
        : PipedDebugger("attach", std::to_string(process), commands) {}
    PipedDebugger(const std::string& how, const std::string& what, const std::string& commands) {
        int in[2], out[2];
        if (pipe(in) != 0 || pipe(out) != 0) return;
        debugger_ = fork();
        if (debugger_ == 0) {
            dup2(in[0], 0);
            dup2(out[1], 1);
            dup2(out[1], 2);
            for (int each : {in[0], in[1], out[0], out[1]}) close(each);
            execl(LANTERN_PROGRAM, LANTERN_PROGRAM, how.c_str(), what.c_str(), nullptr);
            _exit(127);
        }
        close(in[0]);
        close(out[1]);
        input_ = in[1];
        output_ = out[0];
        (void)!write(input_, commands.data(), commands.size());
    }
    ~PipedDebugger() {
        close(input_);
        if (output_ >= 0) close(output_);
    }
    std::string read_until(const std::string& text) {
        std::string got;
        char piece[256];
        while (got.find(text) == std::string::npos) {
            ssize_t size = read(output_, piece, sizeof piece);
            if (size <= 0) break;
            got.append(piece, static_cast<std::size_t>(size));
        }
        EXPECT_NE(got.find(text), std::string::npos) << got;
        return got;
    }
    void type(const std::string& text) { (void)!write(input_, text.data(), text.size()); }
    void close_output() {
        close(output_);
        output_ = -1;
    }
    int end_by(int signal) {
        if (signal) kill(debugger_, signal);
        int status = 0;
        for (int i = 0; i < 200; ++i) {
            if (waitpid(debugger_, &status, WNOHANG) == debugger_)
                return WIFSIGNALED(status) ? WTERMSIG(status) : 0;
            usleep(50'000);
        }
        kill(debugger_, SIGKILL);
        waitpid(debugger_, &status, 0);
        return -1;
    }

  private:
    pid_t debugger_ = 0;
    int input_ = -1, output_ = -1;
};

}  // namespace lantern::testing
