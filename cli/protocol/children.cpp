// What the program forks, as sessions of their own: each child is let go where it was born,
// standing still, and the client is asked to begin a session that takes hold of it (the protocol's
// reverse request "startDebugging").
#include <fmt/format.h>
#include <signal.h>

#include "cli/log.h"
#include "cli/protocol/conversation.h"
#include "core/session/process_fact.h"
#include "core/support/error.h"

namespace lantern::cli {

void Conversation::debug_children(const Json& configuration) {
    session_->follow(Follow::both);
    Breakpoint births;
    births.cause = Cause::fork;
    fork_breakpoint_ = session_->add_breakpoint(births, true).number;
    child_configuration_ = configuration;
}

// Nothing else has stopped it.
bool Conversation::is_only_of_children(const Stop& stop) const {
    return fork_breakpoint_ && stop.reason == StopReason::event && stop.cause == Cause::fork &&
           stop.breakpoints == std::vector<unsigned>{fork_breakpoint_};
}

void Conversation::hand_over_children() {
    for (const ProcessFact& child : session_->processes()) {
        if (child.is_selected) continue;
        try {
            session_->let_go(child.number);
        } catch (const Error& error) {  // it has ended where it was born
            log_line(fmt::format("child {}: {}", child.id, error.what()));
            continue;
        }
        Json configuration = child_configuration_;
        configuration["name"] = fmt::format("child {}", child.id);
        configuration["pid"] = child.id;
        unsigned request = wire_.ask(
            "startDebugging", {{"request", "attach"}, {"configuration", std::move(configuration)}});
        offered_[request] = child.id;
    }
}

// A child that nobody wants goes on by itself.
void Conversation::take_response(const Json& response) {
    auto number = response.find("request_seq"), success = response.find("success");
    if (number == response.end() || !number->is_number_integer()) return;
    auto offered = offered_.find(number->get<std::int64_t>());
    if (offered == offered_.end()) return;
    bool is_taken = success != response.end() && *success == Json(true);
    if (!is_taken) kill(offered->second, SIGCONT);
    offered_.erase(offered);
}

}  // namespace lantern::cli
