// What becomes of each signal that the program gets.
#pragma once

#include <string>
#include <vector>

#include "core/session/signal_rules.h"

namespace lantern {

struct SignalRow {
    int number = 0;
    std::string name, meaning;
    SignalRule rule = SignalRule::natural;
    bool stops = false, passes = true;  // what happens now
};
struct SignalsReport {
    std::vector<SignalRow> rows;
};

SignalRow report_signal(const SignalRules& rules, int signal);
// The usual ones, and those of the real-time ones that have a rule.
SignalsReport report_signals(const SignalRules& rules);

}  // namespace lantern
