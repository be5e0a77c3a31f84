#include "core/analysis/signal_sentence.h"

#include <fmt/format.h>
#include <signal.h>
#include <string.h>

#include <algorithm>

#include "core/analysis/fault_cause.h"
#include "core/session/signal_rules.h"
#include "core/session/system_calls.h"
#include "core/support/text.h"
#include "core/target/core_file.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

// "process 4711 (sh)"; empty for what nobody sent.
std::string sender_words(const Moment& moment, const Stop& stop) {
    const SignalOrigin& origin = stop.origin;
    bool was_sent = origin.code == SI_USER || origin.code == SI_TKILL || origin.code == SI_QUEUE;
    if (!was_sent || !origin.sender) return {};
    pid_t own = moment.target().id();
    if (origin.sender == own) return "the program itself sent it";
    return fmt::format("process {}{} sent it", origin.sender,
                       origin.sender_name.empty()
                           ? ""
                           : fmt::format(" ({})", escape_for_display(origin.sender_name)));
}

std::string plain_words(int signal) {
    switch (signal) {
        case SIGPIPE: return "it wrote to a pipe that nobody reads any more";
        case SIGALRM: return "its timer ran out";
        case SIGTERM: return "somebody asked it to end";
        case SIGXCPU: return "it used more processor time than it may";
        case SIGXFSZ: return "it wrote a file larger than it may";
        default: {
            const char* text = sigdescr_np(signal);
            return text ? text : "a signal without a description";
        }
    }
}

std::string fault_words(const Moment& moment, const Stop& stop) {
    switch (stop.signal) {
        case SIGSEGV:
        case SIGBUS: return memory_fault_cause(moment, stop);
        case SIGFPE: return arithmetic_fault_cause(moment, stop);
        case SIGILL: return instruction_fault_cause(moment, stop);
        default: return plain_words(stop.signal);
    }
}

}  // namespace

std::string signal_sentence(const Moment& moment, const Stop& stop) {
    std::string name = signal_name(stop.signal), sender = sender_words(moment, stop);
    if (stop.is_fault) return fmt::format("{}: {}", name, fault_words(moment, stop));
    bool is_own = sender.starts_with("the program");
    bool threw = std::any_of(stop.facts.begin(), stop.facts.end(),
                             [](const StopFact& fact) { return fact.label == "threw"; });
    if (stop.signal == SIGABRT && threw)
        return fmt::format("{}: the program gave up, for nobody catches what was thrown", name);
    if (!stop.knows_origin && stop.facts.empty())
        return fmt::format("{}: {}; the core does not say where it came from", name,
                           plain_words(stop.signal));
    if (stop.signal == SIGABRT && (is_own || sender.empty()))
        return fmt::format("{}: the program gave up by itself (abort, or a failed assertion)",
                           name);
    if (stop.signal == SIGTRAP && sender.empty())
        return fmt::format("{}: it came to a breakpoint instruction of its own", name);
    if (stop.signal == SIGSYS && stop.origin.system_call >= 0)
        return fmt::format("{}: it asked for the system call {}, which a filter of its own forbids",
                           name, system_call_name(stop.origin.system_call));
    std::string words = plain_words(stop.signal);
    return sender.empty() ? fmt::format("{}: {}", name, words)
                          : fmt::format("{}: {}; {}", name, words, sender);
}

}  // namespace lantern
