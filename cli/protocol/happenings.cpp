// What a client is told without having asked: that the program has stopped and why, what it wrote,
// which threads and libraries came and went, what was noted, which breakpoints have found their
// place.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "cli/advice_text.h"
#include "cli/log.h"
#include "cli/protocol/breakpoint_json.h"
#include "cli/protocol/conversation.h"
#include "cli/protocol/request.h"
#include "cli/views/text.h"
#include "core/analysis/stop_report.h"
#include "core/session/signal_rules.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

bool is_of_group(const KeptBreakpoints& kept, unsigned number, std::string_view beginning) {
    for (const auto& [group, all] : kept.groups())
        for (const KeptBreakpoint& each : all)
            if (each.number == number) return group.starts_with(beginning);
    return false;
}

std::string reason_of_breakpoint(const KeptBreakpoints& kept, const Stop& stop) {
    unsigned first = stop.breakpoints.empty() ? 0 : stop.breakpoints.front();
    if (is_of_group(kept, first, "function")) return "function breakpoint";
    if (is_of_group(kept, first, "instruction")) return "instruction breakpoint";
    return "breakpoint";
}

std::string reason_of_event(Cause cause) {
    switch (cause) {
        case Cause::write:
        case Cause::access:
        case Cause::read: return "data breakpoint";
        case Cause::thrown:
        case Cause::caught:
        case Cause::panic:
        case Cause::heap:
        case Cause::sanitizer:
        case Cause::signal: return "exception";
        default: return "breakpoint";
    }
}

std::string reason_of(const Stop& stop, const KeptBreakpoints& kept, const std::string& moved) {
    switch (stop.reason) {
        case StopReason::breakpoint: return reason_of_breakpoint(kept, stop);
        case StopReason::event:
            if (stop.breakpoints.empty()) return "step";  // it ends with its thread
            return reason_of_event(stop.cause);
        case StopReason::watch_ended: return "data breakpoint";
        case StopReason::signal: return "exception";
        case StopReason::kept: return stop.signal ? "exception" : "entry";
        case StopReason::diverted: return "goto";
        case StopReason::launched:
        case StopReason::replaced: return "entry";
        case StopReason::stepped:
        case StopReason::returned:
        case StopReason::reached: return moved.empty() ? "step" : moved;
        default: return "pause";
    }
}

// The bytes up to the last whole character of UTF-8, and what is left for the next time.
std::string take_whole_characters(std::string& bytes) {
    std::size_t end = bytes.size();
    for (std::size_t back = 1; back <= 3 && back <= bytes.size(); ++back) {
        auto byte = static_cast<unsigned char>(bytes[bytes.size() - back]);
        if ((byte & 0xc0) == 0x80) continue;
        std::size_t needs = byte >= 0xf0 ? 4 : byte >= 0xe0 ? 3 : byte >= 0xc0 ? 2 : 1;
        if (needs > back) end = bytes.size() - back;
        break;
    }
    std::string whole = bytes.substr(0, end);
    bytes.erase(0, end);
    return whole;
}

// What an editor has no other place for.
std::vector<std::string> more_of(const StopReport& report) {
    std::vector<std::string> lines;
    auto line = [&](std::string text) { lines.push_back(std::move(text)); };
    for (const StopFact& fact : report.stop.facts) line(fact.label + ": " + fact.text);
    for (const WatchReport& watch : report.watched) {
        std::string change =
            watch.touched == Touched::changed
                ? fmt::format("{} → {}", watch.before, watch.after)
                : fmt::format("= {} ({})", watch.after, touched_word(watch.touched));
        std::string place =
            watch.line ? fmt::format(", at {}:{}", watch.file, watch.line) : std::string();
        std::string by = watch.by.empty() ? "" : ", by " + watch.by;
        line(fmt::format("{} {} in {}{}{}", watch.expression, change, watch.function, place, by));
    }
    if (!report.warning.empty()) line("take care: " + report.warning);
    return lines;
}

// One line by itself, several as a group under the reason of the stop.
void tell_more(Conversation& conversation, const StopReport& report) {
    std::vector<std::string> lines = more_of(report);
    auto tell = [&](const std::string& text, const char* group) {
        Json body{{"category", "console"}, {"output", text + "\n"}};
        if (*group) body["group"] = group;
        conversation.wire().tell("output", std::move(body));
    };
    if (lines.size() > 1) tell(report.headline, "start");
    for (const std::string& each : lines) tell(each, "");
    if (lines.size() > 1) tell("", "end");
}

}  // namespace

void Conversation::look_after_program() {
    std::optional<Stop> stop;
    if (session_->is_moving()) {
        try {
            stop = session_->meanwhile();
        } catch (const Error& error) {
            say(std::string(error.what()) + "\n", "important");
            stop = session_->last_stop();
            if (!session_->is_running()) stop->reason = StopReason::killed;
        }
    }
    tell_notes();
    if (session_->is_moving()) tell_breakpoints();
    if (stop) tell_stop(*stop);
}

void Conversation::tell_what_happened() {
    if (std::string shown = take_shown(); !shown.empty()) say(shown);
    tell_notes();
    tell_modules();
    tell_threads();
    tell_breakpoints();
}

void Conversation::tell_stop(const Stop& stop) {
    if (stop.is_end() && !stop.next_process) return tell_end(stop);
    forget_stop();
    if (is_only_of_children(stop)) {
        hand_over_children();
        return move(movement_, std::exchange(move_reason_, {}));
    }
    if (!only_runs) breakpoints.set_up(*session_);
    try {
        tell_what_happened();
        stop_report_ = report_stop(session_->moment(), stop, tracker_);
    } catch (const Error& error) {  // that it has stopped is told whatever there is to see
        stop_report_.emplace();
        stop_report_->stop = stop;
        stop_report_->headline = stop_report_->why = "stopped";
        stop_report_->warning = error.what();
    }
    stopped_at_ = {session_->thread(), session_->selected_level()};
    const StopReport& report = *stop_report_;
    Json body{{"reason", reason_of(stop, breakpoints, move_reason_)},
              {"description", report.headline},
              {"threadId", session_->thread_number()},
              {"allThreadsStopped", true}};
    std::string text = report.why;
    if (!report.next_to_run.empty()) text += "; " + report.next_to_run;
    body["text"] = text;
    Json hit = Json::array();
    for (unsigned number : stop.breakpoints)
        if (const KeptBreakpoint* kept = breakpoints.numbered(number)) hit.push_back(kept->id);
    if (!hit.empty()) body["hitBreakpointIds"] = std::move(hit);
    tell_more(*this, report);
    wire_.tell("stopped", std::move(body));
    move_reason_.clear();
}

void Conversation::tell_end(const Stop& stop) {
    if (has_told_end_) return;
    forget_stop();
    has_told_end_ = true;
    tell_notes();
    if (!cut_output_.empty()) say(std::exchange(cut_output_, {}), "stdout");
    for (unsigned thread : std::exchange(threads_told_, {}))
        wire_.tell("thread", {{"reason", "exited"}, {"threadId", thread}});
    tracker_ = {};
    constexpr int kBySignal = 128;  // as a shell counts it
    bool by_signal = stop.reason == StopReason::killed && stop.signal;
    if (by_signal) say(fmt::format("the program was ended by {}\n", signal_name(stop.signal)));
    // How it ended may not be known.
    if (by_signal || stop.reason == StopReason::exited)
        wire_.tell("exited", {{"exitCode", by_signal ? kBySignal + stop.signal : stop.exit_code}});
    wire_.tell("terminated", Json::object());
}

void Conversation::tell_program_output(std::string_view bytes) {
    cut_output_ += bytes;
    std::string whole = take_whole_characters(cut_output_);
    // A terminal ends lines by two characters.
    std::erase(whole, '\r');
    if (!whole.empty()) say(whole, "stdout");
}

void Conversation::tell_notes() {
    const auto& rows = session_->notes().rows();
    if (notes_told_ > rows.size()) notes_told_ = 0;  // it was started again
    for (; notes_told_ < rows.size(); ++notes_told_) {
        const NoteRow& row = rows[notes_told_];
        const KeptBreakpoint* kept = breakpoints.numbered(row.note);
        Json body{{"category", "console"}};
        if (!kept) {
            std::string text = fmt::format("note {}:", row.note);
            for (const NotedValue& value : row.values) text += " " + noted_text(value);
            body["output"] = text + "\n";
        } else {
            body["output"] = message_with(*kept, row) + "\n";
            if (kept->wish.place.kind == Place::Kind::line) {
                body["source"] = source_json(*this, kept->wish.place.file);
                body["line"] = client.line_out(kept->wish.place.line);
            }
        }
        wire_.tell("output", std::move(body));
    }
}

void Conversation::tell_threads() {
    std::set<unsigned> now;
    for (ThreadId id : session_->target().threads())
        now.insert(session_->target().thread_number(id));
    for (unsigned number : now)
        if (!threads_told_.contains(number))
            wire_.tell("thread", {{"reason", "started"}, {"threadId", number}});
    for (unsigned number : threads_told_)
        if (!now.contains(number))
            wire_.tell("thread", {{"reason", "exited"}, {"threadId", number}});
    threads_told_ = std::move(now);
}

void Conversation::tell_modules() {
    std::set<std::string> now;
    for (const Module& module : session_->target().modules()) {
        now.insert(module.path());
        if (!modules_told_.contains(module.path()))
            wire_.tell("module", {{"reason", "new"}, {"module", module_json(*this, module)}});
    }
    for (const std::string& path : modules_told_)
        if (!now.contains(path))
            wire_.tell(
                "module",
                {{"reason", "removed"},
                 {"module",
                  {{"id", path}, {"name", std::filesystem::path(path).filename().string()}}}});
    modules_told_ = std::move(now);
}

void Conversation::set_up_breakpoints() {
    if (only_runs) return;
    find_lines(*this);
    breakpoints.set_up(*session_);
}

void Conversation::remember_told(const KeptBreakpoint& kept) {
    verified_told_[kept.id] = session_ && is_verified(*session_, kept);
}

// A breakpoint on a place becomes one of the client's, as if it had been set in the source. Others
// have no place in an editor and stay the session's own.
void Conversation::take_over_breakpoints() {
    for (int id : breakpoints.forget_dropped(*session_))
        wire_.tell("breakpoint",
                   {{"reason", "removed"}, {"breakpoint", {{"id", id}, {"verified", false}}}});
    for (const Breakpoint& set : session_->breakpoints()) {
        bool is_own = set.number == fork_breakpoint_ || breakpoints.numbered(set.number);
        bool has_line =
            set.cause == Cause::place && !set.sites.empty() && !set.sites.front().code.file.empty();
        if (is_own || !has_line || set.is_note()) continue;
        const CodeSite& code = set.sites.front().code;
        KeptBreakpoint kept;
        kept.number = set.number;
        kept.wish = set;
        kept.asked_line = kept.wish.place.kind == Place::Kind::line ? kept.wish.place.line : 0;
        Json asked{{"line", client.line_out(code.line)}};
        if (!set.condition.empty()) asked["condition"] = set.condition;
        kept.asked = asked.dump();
        Json source = source_json(*this, code.file);
        const KeptBreakpoint& adopted =
            breakpoints.adopt("source:" + path_of_source(*this, Arguments(source)), kept);
        remember_told(adopted);
        wire_.tell("breakpoint",
                   {{"reason", "new"}, {"breakpoint", breakpoint_json(*this, adopted)}});
    }
}

// Those whose place has been found, or lost, since they were told of.
void Conversation::tell_breakpoints() {
    for (const auto& [group, all] : breakpoints.groups())
        for (const KeptBreakpoint& kept : all) {
            bool verified = is_verified(*session_, kept);
            auto [told, is_new] = verified_told_.try_emplace(kept.id, verified);
            if (is_new || told->second == verified) continue;
            told->second = verified;
            wire_.tell("breakpoint",
                       {{"reason", "changed"}, {"breakpoint", breakpoint_json(*this, kept)}});
        }
}

}  // namespace lantern::cli
