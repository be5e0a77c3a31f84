#include "core/analysis/stop_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "core/analysis/doubtful_names.h"
#include "core/analysis/signal_sentence.h"
#include "core/analysis/value_report.h"
#include "core/machine/instruction.h"
#include "core/session/heap_events.h"
#include "core/session/rust_panic.h"
#include "core/session/signal_rules.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::size_t kMostChangesShown = 8;

std::string numbers(const Moment& moment, const std::vector<unsigned>& list) {
    std::vector<std::string> words;
    bool all_watch = true;
    for (unsigned n : list) {
        words.push_back(std::to_string(n));
        for (const Breakpoint& breakpoint : moment.breakpoints())
            all_watch &= breakpoint.number != n || breakpoint.is_watch();
    }
    return fmt::format("{}point{} {}", all_watch ? "watch" : "break", list.size() == 1 ? "" : "s",
                       join_with(words, "and"));
}

std::string heap_words(const Moment& moment, const Stop& stop) {
    auto life = met_by_heap_library(moment, stop.thread);
    if (!life) return "the heap is misused";
    return life->died ? "a block is freed" : "a block is born";
}

std::string watch_words(const Stop& stop) {
    auto any = [&](Touched touched) {
        return std::ranges::any_of(stop.changes, [touched](const WatchChange& change) {
            return change.touched == touched;
        });
    };
    if (any(Touched::changed)) return "a watched value was written";
    if (any(Touched::read)) return "a watched value was read";
    if (any(Touched::written_again)) return "a watched value was written with what was there";
    return "a watched value was read, or written with what was there";
}

std::string event_words(const Moment& moment, const Stop& stop) {
    switch (stop.cause) {
        case Cause::write:
        case Cause::access:
        case Cause::read: return watch_words(stop);
        case Cause::thrown: return "an exception is thrown";
        case Cause::caught:
            return recovers_from_panic(moment.target(), stop.thread) ? "a panic is caught"
                                                                     : "an exception is caught";
        case Cause::panic: return "the program panics";
        case Cause::load: return "a library was loaded";
        case Cause::unload: return "a library was unloaded";
        case Cause::fork: return "the program forked";
        case Cause::exec: return "the program became another program";
        case Cause::thread_start: return "a thread begins";
        case Cause::thread_end: return "a thread ends";
        case Cause::exit: return "the program is about to end";
        case Cause::system_call: return "a system call";
        case Cause::signal: return "a signal came";
        case Cause::heap: return heap_words(moment, stop);
        case Cause::sanitizer: return "a sanitizer reports a fault";
        case Cause::place: break;
    }
    return "reached";
}

std::string ended_one(const Stop& stop) {
    return stop.process ? fmt::format("process {}", stop.process) : "the program";
}

}  // namespace

std::string why_stopped(const Moment& moment, const Stop& stop) {
    std::string also =
        stop.breakpoints.empty() ? "" : fmt::format(", at {}", numbers(moment, stop.breakpoints));
    switch (stop.reason) {
        case StopReason::attached:
            return fmt::format("process {} has been stopped", moment.target().id());
        case StopReason::selected:
            return fmt::format("process {} is looked at", moment.target().id());
        case StopReason::kept: return "as the process was when the core was written";
        case StopReason::released: return "the program runs on by itself";
        case StopReason::diverted: return "moved here; nothing was run";
        case StopReason::event:
            if (stop.breakpoints.empty()) return "the thread ends, and the movement with it";
            return fmt::format("{}, {}", numbers(moment, stop.breakpoints),
                               event_words(moment, stop));
        case StopReason::watch_ended:
            return fmt::format("{} has ended", numbers(moment, stop.breakpoints));
        case StopReason::none: return "the program has not been started";
        case StopReason::launched: return "the program has been loaded and has not run yet";
        case StopReason::breakpoint: return numbers(moment, stop.breakpoints);
        case StopReason::stepped:
            if (!stop.left_function) return "step done" + also;
            if (stop.returned)
                return fmt::format("{} has returned", stop.returned->function) + also;
            return "step done, in a function further out" + also;
        case StopReason::returned:
            return fmt::format("{} has returned",
                               stop.returned ? stop.returned->function : "the function") +
                   also;
        case StopReason::reached: return "reached" + also;
        case StopReason::signal: return signal_sentence(moment, stop);
        case StopReason::paused: return "paused";
        case StopReason::replaced: return "the program has become another program (exec)";
        case StopReason::exited:
            return fmt::format("{} has ended, exit status {}", ended_one(stop), stop.exit_code);
        case StopReason::killed:
            return fmt::format("{} was ended by {}", ended_one(stop), signal_name(stop.signal));
    }
    return {};
}

namespace {

std::string short_name(const std::string& file) {
    return escape_for_display(std::filesystem::path(file).filename().string());
}

void fill_place(const Moment& moment, const Frame& frame, StopReport& report) {
    report.function = frame_function_name(frame);
    report.address = frame.program_counter.value;
    if (!frame.line && frame.has_left) {
        report.next_to_run = "by which of several jumps it left is not known";
        return;
    }
    if (!frame.line) {
        std::byte bytes[kLongestInstruction];
        std::size_t got = moment.target().read_available(frame.program_counter, bytes);
        report.instruction = instruction_text(ByteSpan(bytes, got), frame.program_counter);
        report.next_to_run =
            got ? fmt::format("next to run is the instruction at {:#x}; there is no source for it",
                              report.address)
                : fmt::format("there is no code at {:#x}", report.address);
        return;
    }
    report.file = frame.line->file;
    report.line = frame.line->line;
    report.line_state = line_state(moment, frame);
    switch (report.line_state) {
        case LineState::next:
            report.next_to_run = fmt::format("line {} runs next", report.line);
            break;
        case LineState::begun:
            report.next_to_run =
                fmt::format("line {} has begun; the rest of it runs next", report.line);
            break;
        case LineState::waiting:
            report.next_to_run = fmt::format("line {} waits for the call it made", report.line);
            break;
        case LineState::left:
            report.next_to_run = fmt::format("line {} has been left by a jump", report.line);
            break;
        case LineState::fails:
            report.next_to_run = fmt::format("line {} has failed", report.line);
            break;
    }
    report.source =
        report_source_around(moment, report.file, report.line, moment.presentation().source_lines);
    if (report.source.found_at.empty()) {
        report.warning =
            fmt::format("the source file {} is not here", escape_for_display(report.file));
    } else if (report.source.is_stale) {
        report.warning = fmt::format(
            "{} is newer than the program: the lines shown may not be the ones that run; build it "
            "again",
            short_name(report.file));
    }
}

PinReport report_pin(const Moment& moment, const Pin& pin, ChangeTracker& tracker) {
    PinReport report;
    report.number = pin.number;
    report.text = pin.text;
    report.is_view = is_view_word(pin.text);
    if (report.is_view) return report;
    try {
        Value value = evaluate(pin.text, moment.context());
        report.value =
            view_of_value(moment, pin.text, value, moment.form_of(pin.text), moment.view_limits());
        if (auto change = tracker.observe_pin(pin.number, *report.value))
            report.before = change->before;
    } catch (const Error& error) {
        report.problem = error.what();
    }
    return report;
}

// Old and new in one line each; of a big value only what differs.
WatchReport report_watch(const Moment& moment, const WatchChange& change) {
    ValueReader reader(moment.target());
    ViewLimits limits = moment.view_limits();
    limits.children = 20;
    limits.text = 40;
    WatchReport report;
    report.number = change.number;
    report.expression = change.expression;
    report.is_first = change.is_first;
    report.touched = change.touched;
    report.before = one_line(make_view(reader, change.expression, change.before,
                                       moment.form_of(change.expression), limits),
                             120);
    report.after = one_line(make_view(reader, change.expression, change.after,
                                      moment.form_of(change.expression), limits),
                            120);
    report.file = change.file;
    report.line = change.line;
    report.function = change.function;
    report.by = change.by;
    const Frame* frame = moment.selected_frame();
    // A call writes its return address: the frame's own line did it.
    bool is_by_another = frame && frame->level > 0 && frame->line &&
                         !(frame->line->line == change.line && frame->line->file == change.file);
    if (is_by_another) {
        report.from = frame_function_name(*frame);
        report.from_file = frame->line->file;
        report.from_line = frame->line->line;
    }
    if (change.line)
        if (auto text = moment.sources().line(change.file, change.line))
            report.statement = trimmed(*text);
    return report;
}

}  // namespace

namespace {

// The program has ended, and a condition that read doubtful values has held at no hit.
std::string doubt_of_passed(const Moment& moment) {
    for (const Breakpoint& each : moment.breakpoints())
        if (!each.counts->doubt.empty() && each.counts->hits == 0)
            return fmt::format(
                "breakpoint {} has only been passed, and what its condition reads "
                "was doubtful: {}",
                each.number, each.counts->doubt);
    return {};
}

// The iterator that `end` gives back stands behind the last element: what lies there is none.
void leave_out_element_at_end(ValueView& iterator) {
    std::string_view name = iterator.name;
    std::string_view last = name.substr(name.rfind(':') == name.npos ? 0 : name.rfind(':') + 1);
    bool is_end = last == "end" || last == "cend" || last == "rend" || last == "crend";
    if (!is_end || !iterator.text.starts_with("at 0x")) return;
    iterator.children.clear();
    iterator.more = 0;
    iterator.broken.clear();
    iterator.text += ", the end";
}

// What the call gave back, with the names of what it leads to; as it looked then, where that has
// changed since.
ValueView view_of_call(const Moment& moment, const ReturnedValue& call) {
    ValueReader reader(moment.target());
    ValueView now = make_view(reader, call.function, call.value);
    bool is_as_then = !call.then || changes_between(*call.then, now, 1).empty();
    ValueView view = is_as_then ? make_view(reader, call.function, call.value, Form::natural,
                                            moment.view_limits())
                                : *call.then;
    leave_out_element_at_end(view);
    return view;
}

}  // namespace

bool is_view_word(std::string_view word) {
    for (std::string_view view :
         {"locals", "stack", "breakpoints", "registers", "disassembly", "words", "threads"})
        if (view == word) return true;
    return false;
}

StopReport report_stop(const Moment& moment, const Stop& stop, ChangeTracker& tracker) {
    StopReport report;
    tracker.look_at(moment.life());
    report.stop = stop;
    report.process = stop.process;
    report.why = why_stopped(moment, stop);
    report.headline =
        stop.reason == StopReason::signal ? "stopped by " + signal_name(stop.signal) : report.why;
    if (!stop.unreached.empty()) report.warning = fmt::format("{} was not reached", stop.unreached);
    if (stop.is_end() || moment.target().threads().empty()) {
        if (report.warning.empty()) report.warning = doubt_of_passed(moment);
        report.suggestion = Next::restart;
        if (stop.next_process)
            report.suggestion = {Next::go_on_in_process, std::to_string(stop.next_process)};
        return report;
    }
    const Frame* frame = moment.selected_frame();
    if (!frame) return report;
    fill_place(moment, *frame, report);
    if (!stop.unreached.empty()) report.warning = fmt::format("{} was not reached", stop.unreached);
    for (const Breakpoint& breakpoint : moment.breakpoints()) {
        bool stopped_here = std::find(stop.breakpoints.begin(), stop.breakpoints.end(),
                                      breakpoint.number) != stop.breakpoints.end();
        if (stopped_here && !breakpoint.counts->problem.empty())
            report.warning =
                fmt::format("the condition of breakpoint {} cannot be computed here: {}",
                            breakpoint.number, breakpoint.counts->problem);
        if (stopped_here && report.warning.empty() && !breakpoint.condition.empty())
            if (std::string doubt = doubt_of_what_is_read(moment, breakpoint.condition);
                !doubt.empty())
                report.warning =
                    fmt::format("what the condition of breakpoint {} reads is doubtful here: {}",
                                breakpoint.number, doubt);
    }
    bool is_inferred = report.warning.empty() && frame->inlined && !frame->inlined->is_recorded;
    if (is_inferred)
        report.warning = fmt::format(
            "the compiler kept no record of this inlined call: that it is {} is told by the source "
            "line alone",
            escape_for_display(frame->inlined->name));
    if (moment.target().threads().size() > 1) report.thread = moment.thread_number();
    if (moment.target().is_kept())
        report.suggestion = Next::list_frames_and_threads;
    else if (stop.reason == StopReason::signal)
        report.suggestion =
            stop.has_handler ? Next::go_on_to_handler : Next::go_on_to_the_end_by_signal;
    if (!report.file.empty() && report.source.found_at.empty())
        report.suggestion = report.suggestion.and_also(Next::map_sources);
    for (const ReturnedValue& call : stop.calls) report.calls.push_back(view_of_call(moment, call));
    for (const WatchChange& change : stop.changes)
        report.watched.push_back(report_watch(moment, change));
    if (stop.returned) report.returned = view_of_call(moment, *stop.returned);
    if (frame->function) {
        // Where a jump went wild, the caller's variables are the ones that tell.
        LocalsReport locals = report_locals(moment, *frame);
        report.changes = tracker.observe(*frame, locals, kMostChangesShown, report.more_changes);
    }
    // A watched variable that nothing had set before had no old value.
    for (WatchReport& watch : report.watched)
        for (const ValueChange& change : report.changes)
            if (watch.is_first && change.was_unset && change.name == watch.expression)
                watch.before = "(not set)";
    for (const Pin& pin : moment.presentation().pins)
        report.pins.push_back(report_pin(moment, pin, tracker));
    return report;
}

}  // namespace lantern
