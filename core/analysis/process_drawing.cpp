#include "core/analysis/process_drawing.h"

#include <algorithm>

#include "core/analysis/figure_caption.h"
#include "core/analysis/locals_report.h"
#include "core/expressions/scope_names.h"
#include "core/unwind/unwinder.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr unsigned kMostFramesDrawn = 100'000;

bool is_same_call(const StackDrawing::Row& row, const Frame& frame, const std::string& function) {
    return row.function == function && row.line == (frame.line ? frame.line->line : 0) &&
           row.is_inlined == frame.is_inlined() && row.has_left == frame.has_left;
}

}  // namespace

StackDrawing report_stack_drawing(const Moment& moment) {
    StackDrawing drawing;
    drawing.caption = caption_of(moment);
    drawing.thread = moment.thread_number();
    Unwinder& stack = moment.stack();
    RunAddress below = moment.target().registers(moment.thread()).stack_pointer();
    RunAddress from = below;
    unsigned level = 0;
    for (; level < kMostFramesDrawn; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        std::uint64_t bytes = 0;
        if (!frame->is_inlined() && frame->call_frame_address &&
            *frame->call_frame_address >= below) {
            bytes = *frame->call_frame_address - below;
            below = *frame->call_frame_address;
        }
        std::string function = frame_function_name(*frame);
        bool is_selected = level == moment.selected_level();
        drawing.bytes += bytes;
        if (!drawing.rows.empty() && !is_selected && !drawing.rows.back().is_selected &&
            is_same_call(drawing.rows.back(), *frame, function)) {
            ++drawing.rows.back().repeats;
            drawing.rows.back().bytes += bytes;
            continue;
        }
        StackDrawing::Row row;
        row.level = level;
        row.function = function;
        if (frame->line) {
            row.file = frame->line->file;
            row.line = frame->line->line;
        }
        row.bytes = bytes;
        row.is_inlined = frame->is_inlined();
        row.is_selected = is_selected;
        row.has_left = frame->has_left;
        drawing.rows.push_back(std::move(row));
    }
    drawing.is_cut = level == kMostFramesDrawn;
    if (const MemoryRegion* region = moment.target().region_at(from))
        drawing.room = from - region->begin;
    return drawing;
}

ThreadsDrawing report_threads_drawing(const Moment& moment) {
    return {report_threads(moment), caption_of(moment)};
}

RegionsDrawing report_regions_drawing(const Moment& moment) {
    RegionsDrawing drawing;
    drawing.regions = report_regions(moment);
    drawing.caption = caption_of(moment);
    const Frame* frame = moment.has_stack() ? moment.selected_frame() : nullptr;
    if (!frame) return drawing;
    drawing.function = frame_function_name(*frame);
    ValueReader reader(moment.target());
    for (const VisibleVariable& visible : visible_variables(*frame)) {
        const Variable& variable = *visible.variable;
        Value value = value_of_variable(moment.target(), moment.thread(), *frame, variable);
        TypeKind kind = plain(*value.type).kind;
        bool is_pointer = kind == TypeKind::pointer || kind == TypeKind::reference;
        bool is_set = !is_unset(assignment_of_name(moment, variable.name));
        if (!is_pointer || !is_set || !value.is_available()) continue;
        try {
            drawing.pointers.push_back({variable.name, reader.pointed_at(value).value});
        } catch (const Error&) {  // it has none that can be read
        }
    }
    return drawing;
}

}  // namespace lantern
