#include "cli/protocol/conversation.h"

#include <fmt/format.h>
#include <poll.h>
#include <signal.h>
#include <unistd.h>

#include <algorithm>

#include "cli/advice_text.h"
#include "cli/log.h"
#include "cli/progress.h"
#include "cli/protocol/request.h"
#include "cli/protocol/variable_json.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string text_member(const Json& message, const char* name) {
    if (!message.is_object()) return {};
    auto found = message.find(name);
    return found != message.end() && found->is_string() ? found->get<std::string>() : "";
}

std::string with_advice(const Error& error) {
    std::string advice = advice_text(error.advice());
    return advice.empty() ? error.what() : fmt::format("{}. Next: {}", error.what(), advice);
}

// The request that is to be cancelled; 0: the message is no such wish.
std::int64_t cancelled_by(const Json& message) {
    if (text_member(message, "command") != "cancel") return 0;
    auto arguments = message.find("arguments");
    if (arguments == message.end() || !arguments->is_object()) return 0;
    auto id = arguments->find("requestId");
    return id != arguments->end() && id->is_number_integer() ? id->get<std::int64_t>() : 0;
}

bool only_looks(const Received& each) {
    const Request* known = request_named(text_member(each.message, "command"));
    return text_member(each.message, "type") == "request" && known && known->only_looks;
}

// It does not change what those see that are answered before it.
bool may_be_passed(const Received& each) {
    if (only_looks(each)) return true;
    std::string command = text_member(each.message, "command");
    if (command != "evaluate") return command == "completions" || command == "cancel";
    auto arguments = each.message.find("arguments");
    return arguments == each.message.end() || text_member(*arguments, "context") != "repl";
}

}  // namespace

Conversation::Conversation(Wire& wire, Settings settings)
    : wire_(wire), settings_(std::move(settings)) {}

Conversation::~Conversation() = default;

Session& Conversation::session() {
    if (!session_) throw RequestError("nothing is debugged yet", "launch or attach comes first");
    return *session_;
}

Session& Conversation::standing() {
    Session& there = session();
    if (there.is_moving()) throw NotStopped("the program runs");
    if (!there.has_threads())
        throw NotStopped(there.last_stop().is_end() ? "the program has ended"
                                                    : "the program has not been started");
    return there;
}

Shell& Conversation::shell() {
    session();
    return *shell_;
}

void Conversation::take(std::unique_ptr<Session> session, bool is_ours) {
    session_ = std::move(session);
    is_ours_ = is_ours;
    // Nothing but the protocol goes to standard output: what commands show is taken by whoever runs
    // them.
    output_ = std::make_unique<Output>(Format::text, Style{}, false);
    output_->start_capture();
    shell_ = std::make_unique<Shell>(*session_, *output_);
    shell_->moves_meanwhile = true;
    shell_->syntax = settings_.att_syntax ? Syntax::att : Syntax::intel;
    shell_->own_words = settings_.words;
    session_->presentation().views = DeclaredViews(settings_.views);
    session_->libraries().folders = settings_.library_folders;
    subscription_ = session_->subscribe([this](const SessionEvent& event) { shell_->tell(event); });
    // While something takes long, messages come in; one that is urgent ends it as Ctrl-C would.
    session_->events().watch(wire_.input(), [this] {
        bool is_to_end = is_to_give_up();
        if (wire_.is_gone()) session_->events().forget(wire_.input());
        if (is_to_end && is_busy_) kill(getpid(), SIGINT);
        if (session_->is_moving()) answer_who_only_looks();
    });
    give_up_when([this] {
        wire_.take();
        answer_who_only_looks();
        return is_to_give_up();
    });
    give_terminal();
}

bool Conversation::is_to_give_up() {
    return !wire_.take() || std::ranges::any_of(wire_.waiting(), [this](const Received& each) {
        return ends_what_is_under_way(each.message);
    });
}

bool Conversation::ends_what_is_under_way(const Json& message) const {
    std::string command = text_member(message, "command");
    if (command == "cancel") return under_way_ && cancelled_by(message) == under_way_;
    return command == "pause" || command == "terminate" || command == "disconnect";
}

// In the middle of one that takes long. Nothing that this one looks at changes for it. While a
// function of the program is called, the one who looks waits a moment for it to come back, and is
// told then that the program runs.
void Conversation::answer_who_only_looks() {
    constexpr std::chrono::seconds kLongCall(1);
    if (is_looking_ || !is_busy_ || !session_) return;
    if (session_->is_moving() && std::chrono::steady_clock::now() - under_way_since_ < kLongCall)
        return;
    is_looking_ = true;
    auto afterwards = std::exchange(afterwards_, {});
    note_cancels();
    while (auto received = wire_.next_of(only_looks, may_be_passed)) {
        auto meanwhile = session_->look_elsewhere();
        answer(received->message);
    }
    afterwards_ = std::move(afterwards);
    is_looking_ = false;
}

// What it writes is told; or it has one of the client's, and Ctrl-C there is for it.
void Conversation::give_terminal() {
    if (!terminal)
        return session_->give_own_terminal(
            -1, [this](std::string_view bytes) { tell_program_output(bytes); });
    session_->events().watch(terminal->descriptor(), [this, watched = terminal->descriptor()] {
        if (terminal->take_interrupt() && session_->is_running())
            kill(session_->process_id(), SIGINT);
        if (terminal->descriptor() < 0) session_->events().forget(watched);
    });
}

void Conversation::run() {
    while (!has_ended_) {
        if (wire_.is_gone() && wire_.waiting().empty()) break;
        if (!session_) {
            pollfd ready{wire_.input(), POLLIN, 0};
            if (wire_.waiting().empty()) poll(&ready, 1, -1);
        } else if (wire_.waiting().empty()) {
            std::vector<pollfd> ready;
            for (int descriptor : session_->events().descriptors())
                ready.push_back({descriptor, POLLIN, 0});
            poll(ready.data(), ready.size(), -1);
            session_->events().call_ready();
        }
        wire_.take();
        note_cancels();
        if (auto received = wire_.next()) handle(std::move(*received));
        try {
            if (session_ && !has_ended_) look_after_program();
        } catch (const Error& error) {
            say(with_advice(error) + "\n", "important");
        }
    }
    leave_program(is_ours_);
}

// One that waits behind another is answered as cancelled when its turn comes.
void Conversation::note_cancels() {
    for (const Received& each : wire_.waiting())
        if (std::int64_t number = cancelled_by(each.message)) cancel(number);
}

std::string Conversation::take_shown() {
    std::string text = output_->end_capture().text;
    output_->start_capture();
    return text;
}

void Conversation::forget_stop() {
    references.forget();
    calls_offered.clear();
    places_offered.clear();
    locals_.clear();
    stop_report_.reset();
    has_told_end_ = false;
}

const std::vector<LocalVariable>& Conversation::locals_of(FrameAt frame) {
    auto known = locals_.find(frame);
    if (known != locals_.end()) return known->second;
    const Frame& there = look_at(frame);
    Moment moment = session().moment();
    auto found = local_variables(moment, there, limits_of_line(moment));
    check_expressions(*this, found);
    return locals_[frame] = std::move(found);
}

void Conversation::forget_run() {
    forget_stop();
    tracker_ = {};
    has_begun = false;
    move_reason_.clear();
}

void Conversation::handle(Received received) {
    if (!received.problem.empty()) {
        wire_.refuse(Json::object(), "not a message", received.problem);
        return;
    }
    const Json& message = received.message;
    std::string type = text_member(message, "type");
    if (type == "response") return take_response(message);
    if (type != "request")
        return wire_.refuse(
            message, "not a request",
            fmt::format("a message of type {} is none that a client sends", quote(type)));
    is_busy_ = true;
    under_way_ = request_number(message);
    under_way_since_ = std::chrono::steady_clock::now();
    answer(message);
    run_afterwards();
    under_way_ = 0;
    is_busy_ = false;
    // Ctrl-C that came too late to end anything is over.
    if (session_ && !session_->is_moving()) session_->events().forget_interrupts();
}

void Conversation::answer(const Json& request) {
    std::string command = text_member(request, "command");
    const Request* known = request_named(command);
    if (cancelled_.erase(request_number(request)))
        return wire_.refuse(request, "cancelled", "it was cancelled");
    try {
        if (!known)
            throw RequestError(command.empty()
                                   ? "a request needs a command"
                                   : fmt::format("there is no request {}", quote(command)));
        if (!client.has_initialized && command != "initialize")
            throw RequestError(fmt::format("{} came before initialize", command));
        static const Json kNone = Json::object();
        auto given = request.find("arguments");
        wire_.respond(request,
                      known->answer(*this, Arguments(given == request.end() ? kNone : *given)));
    } catch (const NotStopped& error) {
        afterwards_.clear();
        wire_.refuse(request, "notStopped", error.what());
    } catch (const Error& error) {
        afterwards_.clear();
        wire_.refuse(request, error.what(), with_advice(error));
    } catch (const std::exception& error) {  // a fault of ours: the conversation goes on
        afterwards_.clear();
        log_line(fmt::format("failed: {}", error.what()));
        wire_.refuse(request, "failed", fmt::format("this failed inside: {}", error.what()));
    }
}

void Conversation::run_afterwards() {
    while (!afterwards_.empty()) {
        auto now = std::exchange(afterwards_, {});
        for (const auto& action : now) {
            try {
                action();
            } catch (const Error& error) {
                say(with_advice(error) + "\n", "important");
            }
        }
    }
}

void Conversation::move(std::function<Stop()> movement, std::string reason) {
    Session& there = standing();
    move_reason_ = std::move(reason);
    movement_ = movement;
    auto stop = there.begin_meanwhile(std::move(movement));
    forget_stop();
    if (stop) then([this, stop = std::move(*stop)] { tell_stop(stop); });
}

const Frame& Conversation::look_at(FrameAt frame) {
    Session& there = standing();
    if (there.thread() != frame.thread) {
        unsigned number = there.target().thread_number(frame.thread);
        if (!number) throw RequestError("the thread of that frame is gone");
        there.select_thread(number);
    }
    if (there.selected_level() != frame.level) there.select_frame(frame.level);
    const Frame* selected = there.selected_frame();
    if (!selected) throw RequestError("that frame is gone");
    return *selected;
}

void Conversation::look_at_thread(std::int64_t number) {
    Session& there = standing();
    if (number <= 0 || number > UINT32_MAX ||
        !there.target().thread_numbered(static_cast<unsigned>(number)))
        throw RequestError(fmt::format("there is no thread {}", number));
    if (there.thread_number() != static_cast<unsigned>(number))
        there.select_thread(static_cast<unsigned>(number));
}

void Conversation::say(const std::string& text, const char* category) {
    wire_.tell("output", {{"category", category}, {"output", text}});
}

void Conversation::tell_changed(const std::string& area) {
    if (!area.empty() && client.takes_invalidated)
        wire_.tell("invalidated", {{"areas", Json::array({area})}});
}

void Conversation::begin_if_ready() {
    if (!session_ || !is_configured || has_begun) return;
    has_begun = true;
    Session& there = *session_;
    // A core, or a process that is to be looked at first.
    if (there.core() || (there.was_attached() && stops_at_entry))
        return tell_stop(there.last_stop());
    if (!there.is_running()) return;
    if (!stops_at_entry) return move([&there] { return there.continue_running(); }, "breakpoint");
    try {
        Place main = there.place("main");
        resolve_place(main, there.context());
        move([&there, main] { return there.reach(main); }, "entry");
    } catch (const RequestError&) {  // there is none: it is looked at where it stands
        tell_stop(there.last_stop());
    }
}

void Conversation::leave_program(bool ends_it) {
    if (!session_) return;
    session_->events().forget(wire_.input());
    give_up_when({});
    try {
        if (session_->is_running()) {
            if (session_->is_moving()) session_->pause();
            if (ends_it)
                session_->kill();
            else if (session_->is_running())
                session_->release();
        }
    } catch (const Error& error) {  // it has come to its end by itself
        log_line(fmt::format("leaving: {}", error.what()));
    }
    subscription_.reset();
    shell_.reset();
    session_.reset();
}

}  // namespace lantern::cli
