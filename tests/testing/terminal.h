// A program on a pseudo-terminal, typed at by a test.
#pragma once

#include <gtest/gtest.h>
#include <poll.h>
#include <pty.h>
#include <signal.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>

#include <chrono>
#include <fstream>
#include <string>
#include <vector>

#include "tests/testing/command.h"

namespace lantern::testing {

class Terminal {
  public:
    explicit Terminal(const std::vector<std::string>& words, unsigned short width = 120) {
        winsize size{40, width, 0, 0};
        child_ = forkpty(&master_, nullptr, nullptr, &size);
        if (child_ == 0) {
            setenv("LC_ALL", "C.UTF-8", 1);
            setenv("TERM", "xterm", 1);
            setenv("NO_COLOR", "1", 1);
            setenv("XDG_STATE_HOME", state_.path().c_str(), 1);
            std::vector<char*> arguments;
            for (const std::string& word : words)
                arguments.push_back(const_cast<char*>(word.c_str()));
            arguments.push_back(nullptr);
            execvp(arguments[0], arguments.data());
            _exit(127);
        }
    }
    ~Terminal() {
        if (child_ > 0) {
            kill(child_, SIGKILL);
            waitpid(child_, nullptr, 0);
        }
        close(master_);
    }

    void type(const std::string& keys) {
        ASSERT_EQ(write(master_, keys.data(), keys.size()), static_cast<ssize_t>(keys.size()));
    }

    // Reads until the text has appeared after the last one that was waited for; what came before it
    // is forgotten.
    ::testing::AssertionResult shows(const std::string& text) {
        auto end = std::chrono::steady_clock::now() + std::chrono::minutes(1);
        while (seen_.find(text) == std::string::npos) {
            if (std::chrono::steady_clock::now() > end || !read_more(200)) {
                if (std::chrono::steady_clock::now() > end || ended_)
                    return ::testing::AssertionFailure() << "never saw " << text << " in:\n"
                                                         << seen_;
            }
        }
        seen_.erase(0, seen_.find(text) + text.size());
        return ::testing::AssertionSuccess();
    }

    // Waits until the program that is debugged runs, or sleeps in a call of its own, and has not
    // been stopped for a while: a key that is typed now finds it so.
    ::testing::AssertionResult program_runs() {
        return is_steadily([](char state) { return state == 'R' || state == 'S'; });
    }
    // The same of one that is stopped again and again.
    ::testing::AssertionResult program_is_there() {
        return is_steadily([](char state) { return state != '\0'; });
    }

    int wait_for_end() {
        while (read_more(200) || !ended_) {
            if (ended_) break;
        }
        int status = 0;
        waitpid(child_, &status, 0);
        child_ = -1;
        return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    }

    // What has been shown and not been waited for.
    const std::string& rest() const { return seen_; }

    termios settings() const {
        termios now{};
        tcgetattr(master_, &now);
        return now;
    }
    std::string history() const { return state_.read("elm-lantern/history"); }

  private:
    ::testing::AssertionResult is_steadily(bool (*holds)(char state)) {
        constexpr int kLooks = 6000, kSteady = 10, kPause = 10;  // milliseconds between two looks
        for (int look = 0, steady = 0; look < kLooks; ++look) {
            read_more(kPause);
            steady = holds(state_of_program()) ? steady + 1 : 0;
            if (steady == kSteady) return ::testing::AssertionSuccess();
        }
        return ::testing::AssertionFailure() << "no program of it runs:\n" << seen_;
    }

    // As proc(5) has it; 0 while there is none.
    char state_of_program() const {
        std::string task = "/proc/" + std::to_string(child_) + "/task/" + std::to_string(child_);
        std::string program, stat;
        std::ifstream(task + "/children") >> program;
        std::getline(std::ifstream("/proc/" + program + "/stat"), stat);
        std::size_t name = stat.rfind(')');
        return program.empty() || name == std::string::npos ? '\0' : stat[name + 2];
    }

    bool read_more(int milliseconds) {
        pollfd watch{master_, POLLIN, 0};
        if (poll(&watch, 1, milliseconds) <= 0) return false;
        char buffer[4096];
        ssize_t got = read(master_, buffer, sizeof buffer);
        if (got <= 0) {
            ended_ = true;
            return false;
        }
        seen_.append(buffer, static_cast<std::size_t>(got));
        return true;
    }

    TemporaryFolder state_;
    int master_ = -1;
    pid_t child_ = -1;
    std::string seen_;
    bool ended_ = false;
};

}  // namespace lantern::testing
