#include "core/analysis/stack_report.h"

#include "core/analysis/address_note.h"
#include "core/expressions/scope_names.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr unsigned kFoldFrom = 4;  // fewer equal calls in a row are shown one by one

bool same_call(const Frame& a, const Frame& b) {
    return a.function && a.function == b.function && a.inlined == b.inlined && a.program_counter == b.program_counter;
}

// So many frames from `level` on that come again and again, in the same order; once and one where nothing repeats.
struct Cycle {
    unsigned length = 1, times = 1;
};
Cycle cycle_at(Unwinder& stack, unsigned level, unsigned most) {
    constexpr unsigned kLongest = 8;
    for (unsigned length = 1; length <= kLongest; ++length) {
        unsigned end = level + length;
        while (end < most && stack.frame(end) && same_call(*stack.frame(end - length), *stack.frame(end))) ++end;
        unsigned times = (end - level) / length;
        if (times >= kFoldFrom) return {length, times};
    }
    return {};
}

StackRow row_of(Session& session, const Frame& frame) {
    StackRow row;
    row.level = frame.level;
    row.function = frame_function_name(frame);
    row.address = frame.program_counter.value;
    row.origin = frame.origin;
    row.is_inlined = frame.is_inlined();
    row.is_signal_frame = frame.is_signal_frame;
    row.words_skipped = frame.words_skipped;
    row.is_selected = frame.level == session.selected_level();
    if (frame.module) row.module = frame.module->path();
    if (frame.line) {
        row.file = frame.line->file;
        row.line = frame.line->line;
    }
    // What the system's own start-up code was called with is nobody's question; locals in that frame still tells.
    if (frame.module && frame.module->is_system_library() && !row.is_selected) return row;
    ViewLimits brief;
    brief.children = 8;
    brief.depth = 2;
    brief.text = 40;
    ValueReader reader(session.target());
    for (const VisibleVariable& visible : visible_variables(frame)) {
        if (!visible.variable->is_parameter) continue;
        Value value = value_of_variable(session.target(), session.thread(), frame, *visible.variable);
        row.parameters.push_back(make_view(reader, visible.variable->name, value, Form::natural, brief));
    }
    return row;
}

// How many frames from this level on are of one module of the system's, none of them with source that is here or selected.
unsigned foreign_frames(Session& session, Unwinder& stack, unsigned level, unsigned most) {
    unsigned count = 0;
    const Module* module = stack.frame(level)->module;
    if (level == 0 || !module || !module->path().starts_with("/usr/")) return 0;
    for (unsigned at = level; at < most; ++at) {
        const Frame* frame = stack.frame(at);
        if (!frame || frame->module != module || at == session.selected_level() || frame->is_signal_frame) break;
        if (frame->line && session.sources().find(frame->line->file)) break;
        ++count;
    }
    return count;
}

}  // namespace

StackReport report_stack(Session& session, unsigned most, Folding folding) {
    StackReport report;
    report.thread = session.thread();
    if (session.target().threads().size() > 1) report.thread_number = session.thread_number();
    Unwinder& stack = session.stack();
    for (unsigned level = 0; level < most;) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        unsigned foreign = folding == Folding::folded ? foreign_frames(session, stack, level, most) : 0;
        if (foreign >= kFoldFrom) {
            report.rows.push_back(row_of(session, *frame));
            report.rows.back().repeats = foreign;
            report.rows.back().is_folded = true;
            report.total = level = level + foreign;
            continue;
        }
        Cycle cycle = cycle_at(stack, level, most);
        std::size_t first = report.rows.size();
        for (unsigned at = level; at < level + cycle.length; ++at) report.rows.push_back(row_of(session, *stack.frame(at)));
        report.rows[first].repeats = cycle.times;
        report.rows[first].cycle = cycle.length;
        report.total = level = level + cycle.length * cycle.times;
    }
    report.is_cut = report.total == most && stack.frame(most) != nullptr;
    if (report.is_cut) return report;
    report.why_ended = stack.why_it_ended();
    for (const Unwinder::Candidate& each : stack.candidates()) report.candidates.push_back({each.at.value, each.leads_to.value, symbol_note(session.target(), each.leads_to)});
    return report;
}

}  // namespace lantern
