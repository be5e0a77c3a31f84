// One client of the Debug Adapter Protocol, from its first message to its last: the session it
// debugs with, and what it has been told. Everything happens in one thread. Whatever takes the
// program on is set going and looked after between two messages, so that requests are answered
// while it runs:
//
//     a message ──► answered from the table of requests (request.h) ──► what it set going
//     the program stops, writes, loads, forks ──► events (happenings.cpp)
#pragma once

#include <chrono>
#include <functional>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "cli/protocol/arguments.h"
#include "cli/protocol/borrowed_terminal.h"
#include "cli/protocol/client.h"
#include "cli/protocol/kept_breakpoints.h"
#include "cli/protocol/references.h"
#include "cli/protocol/wire.h"
#include "cli/settings.h"
#include "cli/shell.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/stop_report.h"

namespace lantern::cli {

// The request can be answered only while the program stands (the protocol's "notStopped").
class NotStopped : public RequestError {
    using RequestError::RequestError;
};

class Conversation {
  public:
    // The wire is borrowed.
    Conversation(Wire& wire, Settings settings);
    ~Conversation();
    // Until the client has taken its leave, or has gone. Throws EndRequested.
    void run();

    // ---- for whoever answers a request
    Client client;
    KeptBreakpoints breakpoints;
    References references;
    Wire& wire() { return wire_; }
    const Settings& settings() const { return settings_; }
    bool has_session() const { return session_ != nullptr; }
    Session& session();   // throws RequestError: nothing has been launched
    Session& standing();  // throws NotStopped as well, where the program runs or has ended
    Shell& shell();
    // From here on it is debugged. `is_ours`: we have started it, and end it when the client goes.
    void take(std::unique_ptr<Session> session, bool is_ours);
    // After the answer has been sent.
    void then(std::function<void()> action) { afterwards_.push_back(std::move(action)); }
    // The program goes on by this movement; its stop is told as `reason` where it arrives. Throws
    // NotStopped, and what the movement throws before it waits for the first time.
    void move(std::function<Stop()> movement, std::string reason);
    // The request of that number is not answered any more, where it still waits.
    void cancel(std::int64_t request) { cancelled_.insert(request); }
    void forget_cancel(std::int64_t request) { cancelled_.erase(request); }
    // What was asked for before there was a session.
    void set_up_breakpoints();
    // From here on it is told of when that changes.
    void remember_told(const KeptBreakpoint& kept);
    void tell_breakpoints();
    // What a command has set or dropped.
    void take_over_breakpoints();
    // The program is about to be started anew.
    void forget_run();
    // What commands have shown since this was asked before.
    std::string take_shown();
    // Looked at from here on. Throws RequestError.
    const Frame& look_at(FrameAt frame);
    const Frame& look_at_frame(std::int64_t number) { return look_at(references.frame(number)); }
    void look_at_thread(std::int64_t number);
    // Of a frame, as they are at this stop; kept until something changes.
    const std::vector<LocalVariable>& locals_of(FrameAt frame);
    void forget_values() { locals_.clear(); }
    void forget_stop();  // the program moves
    bool is_where_it_stopped(FrameAt frame) const { return stop_report_ && frame == stopped_at_; }
    // What is shown may have become another.
    void tell_changed(const std::string& area);
    void tell_stop(const Stop& stop);
    const std::optional<StopReport>& stop_report() const { return stop_report_; }
    void say(const std::string& text, const char* category = "console");
    void end() { has_ended_ = true; }
    // Ends or releases what is debugged.
    void leave_program(bool ends_it);
    bool is_ours() const { return is_ours_; }
    bool is_configured = false, stops_at_entry = false, has_begun = false;
    bool only_runs = false;                      // breakpoints are not set
    std::unique_ptr<BorrowedTerminal> terminal;  // null: the program's output is told
    // What a step into and a jump can aim at, by number from 1; until the program moves.
    std::vector<std::string> calls_offered;
    std::vector<Place> places_offered;
    // Begins to run it, once it is launched and configured.
    void begin_if_ready();
    // Processes that the program forks become sessions of their own, which the client begins.
    void debug_children(const Json& configuration);

  private:
    void handle(Received received);
    void answer(const Json& request);
    void run_afterwards();
    void look_after_program();
    void tell_what_happened();
    void tell_notes();
    void tell_threads();
    void tell_modules();
    void note_cancels();
    bool is_only_of_children(const Stop& stop) const;
    void hand_over_children();
    void take_response(const Json& response);
    void give_terminal();
    bool is_to_give_up();  // the client wants what is under way to end, or is gone
    bool ends_what_is_under_way(const Json& message) const;
    void answer_who_only_looks();
    void tell_program_output(std::string_view bytes);
    void tell_end(const Stop& stop);

    Wire& wire_;
    Settings settings_;
    std::unique_ptr<Session> session_;
    std::unique_ptr<Output> output_;
    std::unique_ptr<Shell> shell_;
    std::shared_ptr<SessionListener> subscription_;
    ChangeTracker tracker_;
    std::optional<StopReport> stop_report_;  // of the last stop
    FrameAt stopped_at_;                     // that it tells of
    std::map<FrameAt, std::vector<LocalVariable>> locals_;
    std::vector<std::function<void()>> afterwards_;
    std::set<std::int64_t> cancelled_;
    std::string move_reason_;
    std::function<Stop()> movement_;  // the last that was set going
    unsigned fork_breakpoint_ = 0;    // stops where a child is born, and the client is not told
    Json child_configuration_;        // what their sessions are begun with
    std::map<std::int64_t, pid_t> offered_;  // children, by the request that hands them over
    std::string cut_output_;                 // the beginning of a character that has not come whole
    bool is_ours_ = false, has_ended_ = false, has_told_end_ = false;
    std::int64_t under_way_ = 0;  // the number of the request that is being answered
    std::chrono::steady_clock::time_point under_way_since_;
    bool is_busy_ = false;     // with a request
    bool is_looking_ = false;  // for another request, in the middle of that
    std::size_t notes_told_ = 0;
    std::set<unsigned> threads_told_;
    std::set<std::string> modules_told_;
    std::map<int, bool> verified_told_;
};

}  // namespace lantern::cli
