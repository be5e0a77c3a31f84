#include "core/analysis/stack_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "core/analysis/address_note.h"
#include "core/analysis/library_code.h"
#include "core/expressions/scope_names.h"
#include "core/support/error.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr unsigned kFoldFrom = 4;  // fewer equal calls in a row are shown one by one

bool same_call(const Frame& a, const Frame& b) {
    return a.module && a.module == b.module && a.function == b.function && a.inlined == b.inlined &&
           a.program_counter == b.program_counter;
}

// So many frames from `level` on that come again and again, in the same order; once and one where
// nothing repeats.
struct Cycle {
    unsigned length = 1, times = 1;
};
Cycle cycle_at(Unwinder& stack, unsigned level, unsigned most) {
    constexpr unsigned kLongest = 8;
    for (unsigned length = 1; length <= kLongest; ++length) {
        unsigned end = level + length;
        while (end < most && stack.frame(end) &&
               same_call(*stack.frame(end - length), *stack.frame(end)))
            ++end;
        unsigned times = (end - level) / length;
        if (times >= kFoldFrom) return {length, times};
    }
    return {};
}

StackRow row_of(const Moment& moment, const Frame& frame) {
    StackRow row;
    row.level = frame.level;
    row.function = frame_function_name(frame);
    row.address = frame.program_counter.value;
    row.origin = frame.origin;
    row.is_inlined = frame.is_inlined();
    row.is_signal_frame = frame.is_signal_frame;
    row.words_skipped = frame.words_skipped;
    row.may_lack_others = frame.may_lack_others;
    row.is_selected = frame.level == moment.selected_level();
    if (frame.module)
        row.module = frame.module->path();
    else if (const MemoryRegion* region = moment.target().region_at(frame.program_counter))
        row.module = region->is_of_file ? region->name : "";  // a file that could not be read
    if (frame.line) {
        row.file = frame.line->file;
        row.line = frame.line->line;
    } else if (frame.has_left) {
        row.file = frame.function->declared_in;
    }
    // What the system's own start-up code was called with is nobody's question; locals in that
    // frame still tells.
    if (frame.module && frame.module->is_system_library() && !row.is_selected) return row;
    ViewLimits brief;
    brief.children = 8;
    brief.depth = 2;
    brief.text = 40;
    ValueReader reader(moment.target());
    for (const VisibleVariable& visible : visible_variables(frame)) {
        if (!visible.variable->is_parameter) continue;
        Value value = value_of_variable(moment.target(), moment.thread(), frame, *visible.variable);
        row.parameters.push_back(
            make_view(reader, visible.variable->name, value, Form::natural, brief));
    }
    return row;
}

// Functions of the languages' own libraries, which stand between the user's: adaptors, algorithms,
// Rust's start and panic.
std::string_view library_of(const Frame& frame) {
    if (!frame.function || frame.is_signal_frame) return {};
    std::string_view name = frame.inlined ? std::string_view(frame.inlined->name)
                                          : std::string_view(frame.function->name);
    return language_library(name, frame.function->unit->is_rust());
}

bool is_foreign(const Moment& moment, const Frame& frame) {
    if (!frame.module || !frame.module->path().starts_with("/usr/") || frame.is_signal_frame)
        return false;
    return !frame.line || !moment.sources().find(frame.line->file);
}

// What compiler and linker add: _start, the main that leads into Rust's own start, and __rust_try,
// which catches its panics.
bool is_glue(const Frame& frame, std::string_view library) {
    if (frame.function) return false;
    std::string name = frame_function_name(frame);
    return name == "_start" ||
           (library == "Rust's library" && (name == "main" || name.starts_with("__rust_")));
}

// A run of frames that is one row, from `level` on.
struct Stretch {
    unsigned level = 0, frames = 1;
    Cycle cycle;            // times > 1: a recursion
    std::string folded_of;  // not empty: a library's inner workings
};

// The innermost frame and the one selected are always shown.
bool may_be_folded(const Moment& moment, const Frame& frame) {
    return frame.level > 0 && frame.level != moment.selected_level();
}

// Frames of a language's library with what the system's adds to it. Two are enough: each is one
// that nobody asked for.
std::optional<Stretch> library_frames(const Moment& moment, Unwinder& stack, unsigned level,
                                      unsigned most) {
    constexpr unsigned kFewest = 2;
    std::string_view library;
    unsigned at = level;
    for (; at < most; ++at) {
        const Frame* frame = stack.frame(at);
        if (!frame || !may_be_folded(moment, *frame)) break;
        std::string_view of = library_of(*frame);
        bool goes_on = !of.empty() || (!library.empty() &&
                                       (is_foreign(moment, *frame) || is_glue(*frame, library)));
        if (!goes_on) break;
        if (library.empty()) library = of;
    }
    if (at - level < kFewest) return std::nullopt;
    return Stretch{level, at - level, {}, std::string(library)};
}

// Frames of one module of the system's, an interpreter's say, none of them with source that is
// here.
std::optional<Stretch> module_frames(const Moment& moment, Unwinder& stack, unsigned level,
                                     unsigned most) {
    const Module* module = stack.frame(level)->module;
    unsigned at = level;
    for (; at < most; ++at) {
        const Frame* frame = stack.frame(at);
        if (!frame || frame->module != module || !may_be_folded(moment, *frame) ||
            !is_foreign(moment, *frame))
            break;
    }
    if (at - level < kFoldFrom) return std::nullopt;
    return Stretch{
        level, at - level, {}, std::filesystem::path(module->path()).filename().string()};
}

// What the system runs before main, or before a thread's function: the last frames of a stack, none
// of them with source that is here.
std::optional<Stretch> start_frames(const Moment& moment, Unwinder& stack, unsigned level) {
    constexpr unsigned kFewest = 2, kMost = 6;
    unsigned at = level;
    for (; at - level <= kMost; ++at) {
        const Frame* frame = stack.frame(at);
        if (!frame) break;
        if (!may_be_folded(moment, *frame) || !(is_foreign(moment, *frame) || is_glue(*frame, "")))
            return std::nullopt;
    }
    bool is_whole = !stack.frame(at) && stack.why_it_ended().empty();
    if (!is_whole || at - level < kFewest) return std::nullopt;
    return Stretch{level, at - level, {}, "the system's start"};
}

Stretch stretch_at(const Moment& moment, Unwinder& stack, unsigned level, unsigned most) {
    if (auto folded = start_frames(moment, stack, level)) return *folded;
    if (auto folded = library_frames(moment, stack, level, most)) return *folded;
    if (auto folded = module_frames(moment, stack, level, most)) return *folded;
    Cycle cycle = cycle_at(stack, level, most);
    return {level, cycle.length * cycle.times, cycle, {}};
}

// How many rows a stretch takes.
unsigned rows_of(const Stretch& stretch) {
    return stretch.cycle.times > 1 ? stretch.cycle.length : 1;
}

// What the parameters of one function of a run were in all its calls. From the outermost inwards:
// what a call was given often rests on what its caller had been given.
std::vector<ParameterSpan> spans_of(const Moment& moment, Unwinder& stack, const Stretch& run,
                                    unsigned offset) {
    constexpr unsigned kMostLookedAt = 50'000;
    if (run.cycle.times > kMostLookedAt) return {};
    struct Seen {
        std::string name, text;
        std::optional<SignedWide> low, high;
        bool differs = false;
    };
    std::vector<Seen> all;
    ValueReader reader(moment.target());
    ViewLimits brief;
    brief.children = 4;
    brief.depth = 1;
    brief.text = 40;
    for (unsigned time = 0; time < run.cycle.times; ++time) {
        const Frame& frame =
            *stack.frame(run.level + offset + (run.cycle.times - 1 - time) * run.cycle.length);
        std::size_t number = 0;
        for (const VisibleVariable& visible : visible_variables(frame)) {
            if (!visible.variable->is_parameter) continue;
            if (time > 0 && all[number].differs) {  // nothing more is to be learnt of it
                ++number;
                continue;
            }
            Value value =
                value_of_variable(moment.target(), moment.thread(), frame, *visible.variable);
            const Type& type = plain(*value.type);
            bool is_whole = value.is_available() &&
                            (type.kind == TypeKind::integer || type.kind == TypeKind::enumeration);
            std::optional<SignedWide> now =
                is_whole ? std::optional(static_cast<SignedWide>(reader.wide(value)))
                         : std::nullopt;
            std::string text =
                now && time > 0 ? ""
                                : one_line(make_view(reader, "", value, Form::natural, brief), 40);
            if (time == 0) {
                all.push_back({visible.variable->name, text, now, now, false});
                continue;
            }
            Seen& seen = all[number++];
            if (now && seen.low) {
                seen.low = std::min(*seen.low, *now);
                seen.high = std::max(*seen.high, *now);
            } else if (text != seen.text || now || seen.low) {
                seen.differs = true;
            }
        }
    }
    std::vector<ParameterSpan> spans;
    auto text_of_number = [](SignedWide n) {
        return fmt::format("{}", n);
    };  // a large number without a sign fits, too
    for (const Seen& seen : all) {
        if (seen.differs)
            spans.push_back({seen.name, {}, {}});
        else if (seen.low && *seen.low != *seen.high)
            spans.push_back({seen.name, text_of_number(*seen.low), text_of_number(*seen.high)});
        else
            spans.push_back({seen.name, seen.text, seen.text});
    }
    return spans;
}

void add_rows(const Moment& moment, Unwinder& stack, const Stretch& stretch, StackReport& report) {
    if (!stretch.folded_of.empty()) {
        StackRow& row = report.rows.emplace_back(row_of(moment, *stack.frame(stretch.level)));
        row.repeats = stretch.frames;
        row.is_folded = true;
        row.folded_of = stretch.folded_of;
        return;
    }
    std::size_t first = report.rows.size();
    for (unsigned i = 0; i < stretch.cycle.length; ++i) {
        std::vector<ParameterSpan> spans = stretch.cycle.times > 1
                                               ? spans_of(moment, stack, stretch, i)
                                               : std::vector<ParameterSpan>();
        report.rows.push_back(row_of(moment, *stack.frame(stretch.level + i)));
        report.rows.back().spans = std::move(spans);
    }
    report.rows[first].repeats = stretch.cycle.times;
    report.rows[first].cycle = stretch.cycle.length;
}

StackReport empty_report(const Moment& moment) {
    StackReport report;
    report.thread = moment.thread();
    if (moment.target().threads().size() > 1) report.thread_number = moment.thread_number();
    return report;
}

void tell_the_end(const Moment& moment, Unwinder& stack, StackReport& report) {
    report.why_ended = stack.why_it_ended();
    for (const Unwinder::Candidate& each : stack.candidates())
        report.candidates.push_back(
            {each.at.value, each.leads_to.value, symbol_note(moment.target(), each.leads_to)});
}

}  // namespace

StackReport report_stack(const Moment& moment, unsigned rows, unsigned most) {
    StackReport report = empty_report(moment);
    Unwinder& stack = moment.stack();
    std::vector<Stretch> stretches;
    unsigned wanted = 0;
    for (unsigned level = 0; level < most && stack.frame(level);) {
        stretches.push_back(stretch_at(moment, stack, level, most));
        wanted += rows_of(stretches.back());
        report.total = level = level + stretches.back().frames;
    }
    // The middle is left out: a quarter of the rows is for the outermost.
    std::size_t outer = stretches.size(), inner = 0;
    if (wanted > rows) {
        unsigned taken = 0;
        while (outer > 0 && taken + rows_of(stretches[outer - 1]) <= rows / 4)
            taken += rows_of(stretches[--outer]);
        while (inner < outer && taken + rows_of(stretches[inner]) < rows)
            taken += rows_of(stretches[inner++]);
    }
    for (std::size_t i = 0; i < stretches.size(); ++i) {
        if (inner < outer && wanted > rows && i == inner) {
            StackRow gap;
            gap.level = stretches[inner].level;
            gap.repeats = stretches[outer - 1].level + stretches[outer - 1].frames - gap.level;
            gap.is_left_out = true;
            report.rows.push_back(std::move(gap));
            i = outer;
            if (i == stretches.size()) break;
        }
        add_rows(moment, stack, stretches[i], report);
    }
    report.is_cut = report.total >= most && stack.frame(most) != nullptr;
    if (!report.is_cut) tell_the_end(moment, stack, report);
    return report;
}

StackReport report_stack_part(const Moment& moment, unsigned first, unsigned end) {
    StackReport report = empty_report(moment);
    Unwinder& stack = moment.stack();
    unsigned level = first;
    for (; level < end && stack.frame(level); ++level)
        report.rows.push_back(row_of(moment, *stack.frame(level)));
    if (report.rows.empty())
        throw RequestError(fmt::format("there is no frame {}", first), Next::list_frames);
    report.total = static_cast<unsigned>(report.rows.size());
    if (!stack.frame(level)) tell_the_end(moment, stack, report);
    return report;
}

}  // namespace lantern
