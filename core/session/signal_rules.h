// What happens when a signal comes to the program: whether it stops, and whether the program gets
// to see the signal.
#pragma once

#include <array>
#include <string>
#include <string_view>
#include <vector>

namespace lantern {

enum class SignalRule {
    natural,  // stops where the signal would end the program; the program gets it
    pass,     // the program gets it, and nobody stops
    swallow,  // the program does not get it, and nobody stops
    pause,    // stops; the program gets it when it goes on
};

class SignalRules {
  public:
    SignalRule rule(int signal) const {
        return rules_[static_cast<std::size_t>(signal) % rules_.size()];
    }
    void set(int signal, SignalRule rule) {
        rules_[static_cast<std::size_t>(signal) % rules_.size()] = rule;
    }

  private:
    std::array<SignalRule, 65> rules_{};
};

// "SIGINT", "sigint", "INT" or "2"; 0 for what is no signal.
int signal_numbered(std::string_view name);
std::string signal_name(int signal);  // "SIGSEGV"; "signal 77" for one without a name
// True for signals whose default action ends the program (signal(7)).
bool ends_program(int signal);

}  // namespace lantern
