#include "core/analysis/signals_report.h"

#include <string.h>

namespace lantern {

SignalRow report_signal(const SignalRules& rules, int signal) {
    SignalRow row;
    row.number = signal;
    row.name = signal_name(signal);
    const char* meaning = sigdescr_np(signal);
    row.meaning = meaning ? meaning : "";
    row.rule = rules.rule(signal);
    bool natural = row.rule == SignalRule::natural;
    bool is_interrupt = signal == signal_numbered("SIGINT");
    row.stops = row.rule == SignalRule::pause || (natural && ends_program(signal));
    row.passes = row.rule != SignalRule::swallow && !(natural && is_interrupt);
    return row;
}

SignalsReport report_signals(const SignalRules& rules) {
    constexpr int kUsual = 31, kHighest = 64;
    SignalsReport report;
    for (int signal = 1; signal <= kHighest; ++signal)
        if (signal <= kUsual || rules.rule(signal) != SignalRule::natural)
            report.rows.push_back(report_signal(rules, signal));
    return report;
}

}  // namespace lantern
