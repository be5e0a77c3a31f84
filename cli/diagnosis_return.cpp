#include "cli/diagnosis_return.h"

#include <fmt/format.h>

#include <optional>

#include "core/analysis/source_report.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::uint64_t kMostCallsCounted = 20'000, kMostLinesGoneThrough = 20'000;

void pause_at(Session& session, std::uint64_t address, std::uint64_t after) {
    Breakpoint wish;
    wish.place = session.place(fmt::format("address {:#x}", address));
    wish.after = after;
    session.add_breakpoint(wish);
}

// How often the call is made in a run that fails in the same place; 0: this one did not.
std::uint64_t calls_before_it_fails(Session& session, const Diagnosis& diagnosis,
                                    std::uint64_t call) {
    begin_anew(session);
    pause_at(session, call, 0);
    std::uint64_t count = 0;
    Stop stop = session.continue_running();
    for (; stop.reason == StopReason::breakpoint && count < kMostCallsCounted; ++count)
        stop = session.continue_running();
    if (stop.reason != StopReason::signal) return 0;
    Diagnosis again = diagnose(session.moment());
    return again.function == diagnosis.function && again.line == diagnosis.line ? count : 0;
}

// The last line of a function that ran, and what that called. The brace that ends a function is
// none.
struct LastLine {
    OriginLink at;
    std::uint64_t steps = 0;  // to there, from where the function was entered
    std::vector<ReturnedValue> calls;
    bool is_optimised = false;
    std::string left_for;  // the function that it ended with a jump to; empty: it returned
    // The last call, in this line or before, that was the only one of its line and gave back null.
    struct NullCall {
        OriginLink at;
        std::uint64_t steps = 0;
        std::string function;
    };
    std::optional<NullCall> null_call;

    void stand(const Moment& moment, const Frame& frame, std::uint64_t steps_made) {
        if (!frame.line) return;
        auto rows =
            report_source(moment, frame.line->file, frame.line->line, frame.line->line).rows;
        if (!rows.empty() && trimmed(rows[0].text) == "}") return;
        at.function = frame_function_name(frame);
        at.file = frame.line->file;
        at.line = frame.line->line;
        steps = steps_made;
        calls.clear();
    }
    void take(const std::vector<ReturnedValue>& made, std::uint64_t steps_made) {
        if (made.empty()) return;
        calls = made;
        if (made.size() == 1 && last_returned() == "null")
            null_call = {at, steps_made, made[0].function};
    }
    std::string last_returned() const {
        bool is_known =
            !calls.empty() && calls.back().then && calls.back().then->unavailable.empty();
        return is_known ? one_line(*calls.back().then, 60) : "";
    }
};

// From the call into the function that is meant: its own lines, then the call in one of them.
struct Way {
    std::uint64_t steps = 0;
    std::string into;
};

const Frame* innermost(Session& session) {
    return session.moment().stack().frame(0);
}

bool has_stepped(const Stop& stop) {
    return stop.reason == StopReason::stepped && stop.facts.empty();
}

// Standing at the call. False: it leads elsewhere, through a linkage table or a pointer.
bool enter(Session& session, const std::string& callee, const std::vector<Way>& ways) {
    session.into_instruction();
    auto is_in = [&](const std::string& name) {
        const Frame* frame = innermost(session);
        return frame && frame->call_frame_address && frame_function_name(*frame) == name;
    };
    if (!is_in(callee)) return false;
    for (const Way& way : ways) {
        for (std::uint64_t i = 0; i < way.steps; ++i)
            if (!has_stepped(session.over_line())) return false;
        StepOptions wish;
        wish.into = way.into;
        if (!has_stepped(session.into_line(wish)) || !is_in(way.into)) return false;
    }
    return true;
}

// Nothing where it does not come back.
std::optional<LastLine> last_line_here(Session& session) {
    const Frame* frame = innermost(session);
    RunAddress identity = *frame->call_frame_address;
    LastLine last;
    last.is_optimised =
        frame->function && looks_optimised(frame->module->symbols().body_of(*frame->function));
    for (std::uint64_t i = 0; i < kMostLinesGoneThrough; ++i) {
        last.stand(session.moment(), *frame, i);
        Stop stop = session.over_line();
        last.take(stop.calls, i);
        frame = innermost(session);
        if (!has_stepped(stop) || !frame || !frame->call_frame_address) return std::nullopt;
        if (*frame->call_frame_address > identity)
            return last.at.line ? std::optional(last) : std::nullopt;
    }
    return std::nullopt;
}

// By instructions, from the last line on: in optimised code a function may end with a jump to the
// one that it calls, from a line that no step came to.
void look_for_jump_at_end(Session& session, LastLine& last) {
    const Frame* frame = innermost(session);
    RunAddress identity = *frame->call_frame_address;
    const Function* function = frame->function;
    LastLine closer = last;
    for (std::uint64_t i = 0; i < kMostLinesGoneThrough; ++i) {
        closer.stand(session.moment(), *frame, last.steps);
        if (!has_stepped(session.over_instruction())) return;
        frame = innermost(session);
        if (!frame || !frame->call_frame_address || *frame->call_frame_address > identity) return;
        if (frame->function == function) continue;
        closer.left_for = frame_function_name(*frame);
        last = closer;
        return;
    }
}

OriginLink link_of_line(const LastLine& last, const std::string& function) {
    OriginLink link = last.at;
    link.certainty = Certainty::likely;
    link.because = "it was so in another run, gone through line by line";
    link.text =
        last.left_for.empty()
            ? function + (last.is_optimised ? " comes back behind here" : " comes back from here")
            : fmt::format("{} ends here with what {} returns", function, last.left_for);
    if (std::string value = last.last_returned(); !value.empty())
        link.text += fmt::format(", where {} returned {}", last.calls.back().function, value);
    return link;
}

constexpr std::size_t kMostFunctions = 4, kMostDeep = 24;

// What a recursion hands on from call to call is told once.
void add_link(std::vector<OriginLink>& links, OriginLink link, unsigned& times) {
    bool is_same = !links.empty() && links.back().text == link.text &&
                   links.back().file == link.file && links.back().line == link.line;
    if (is_same) {
        ++times;
        return;
    }
    if (times > 1) links.back().text += fmt::format(", {} times, one call in the other", times);
    times = 1;
    links.push_back(std::move(link));
}

std::vector<OriginLink> lines_of_runs(Session& session, const Diagnosis& diagnosis) {
    const OriginLink call = diagnosis.origin.back();
    std::vector<OriginLink> found;
    std::uint64_t count = calls_before_it_fails(session, diagnosis, call.at);
    std::string function = call.returned_by;
    std::vector<Way> ways;
    unsigned times = 1;
    while (count && found.size() < kMostFunctions && ways.size() < kMostDeep) {
        auto arrive = [&] {
            begin_anew(session);
            pause_at(session, call.at, count - 1);
            if (session.continue_running().reason != StopReason::breakpoint) return false;
            session.drop_breakpoint(session.breakpoints().front().number);
            return enter(session, call.returned_by, ways);
        };
        auto last = arrive() ? last_line_here(session) : std::nullopt;
        if (!last || !arrive()) break;
        for (std::uint64_t i = 0; i < last->steps; ++i) session.over_line();
        look_for_jump_at_end(session, *last);
        add_link(found, link_of_line(*last, function), times);
        bool is_of_null = diagnosis.part_is.find("null") != std::string::npos;
        if (!last->left_for.empty() || !is_of_null || !last->null_call) break;
        const LastLine::NullCall& null = *last->null_call;
        if (null.steps != last->steps) {
            if (!last->calls.empty()) break;
            OriginLink before = null.at;
            before.text = fmt::format("{} returned null before", null.function);
            before.certainty = Certainty::likely;
            before.because =
                fmt::format("it is the last call of {} that did, in another run", function);
            add_link(found, std::move(before), times);
        }
        function = null.function;
        ways.push_back({null.steps, function});
    }
    if (times > 1) found.back().text += fmt::format(", {} times, one call in the other", times);
    return found;
}

}  // namespace

Stop begin_anew(Session& session) {
    session.kill();
    while (!session.breakpoints().empty())
        session.drop_breakpoint(session.breakpoints().front().number);
    return session.reach(session.place("main"));
}

std::vector<OriginLink> lines_that_returned(Session& session, const Diagnosis& diagnosis) {
    if (diagnosis.origin.empty() || diagnosis.origin.back().returned_by.empty()) return {};
    try {
        return lines_of_runs(session, diagnosis);
    } catch (const Error&) {
        return {};
    }
}

}  // namespace lantern::cli
