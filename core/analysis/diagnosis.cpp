#include "core/analysis/diagnosis.h"

#include <fmt/format.h>
#include <signal.h>

#include <algorithm>

#include "core/analysis/allocator_abort.h"
#include "core/analysis/asserted.h"
#include "core/analysis/diagnosis_cause.h"
#include "core/analysis/process_oddities.h"
#include "core/analysis/shared_data.h"
#include "core/analysis/signal_sentence.h"
#include "core/analysis/source_report.h"
#include "core/analysis/statement_parts.h"
#include "core/analysis/threads_report.h"
#include "core/expressions/evaluator.h"
#include "core/heap/heap.h"
#include "core/heap/history.h"
#include "core/session/heap_events.h"
#include "core/session/signal_rules.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr unsigned kFramesShown = 8, kFramesLookedAt = 64;
constexpr std::size_t kThreadsShown = 8;

// The object that the part is a member of, or that it leads to.
std::optional<RunRange> object_of_part(const Moment& moment, const Diagnosis& diagnosis) {
    std::string holder = holder_of_part(diagnosis.part);
    const Frame* frame = moment.stack().frame(diagnosis.part_level);
    if (!frame || diagnosis.part.empty() || diagnosis.part_at) return std::nullopt;
    EvaluationContext context = context_in(moment, *frame);
    try {
        Value value = evaluate(holder.empty() ? diagnosis.part : holder, context);
        RunAddress at = ValueReader(moment.target()).pointed_at(value);
        if (!moment.target().region_at(at)) return std::nullopt;
        auto heap = read_small_heap(moment.target());
        const HeapBlock* block = heap ? heap->block_at(at) : nullptr;
        if (block) return RunRange{RunAddress(block->address), RunAddress(block->end())};
        return RunRange{at,
                        at + std::max<std::uint64_t>(plain(target_of(plain(*value.type))).size, 1)};
    } catch (const Error&) {  // it is no pointer, or has no value
        return std::nullopt;
    }
}

std::string first_damage(const std::optional<Heap>& heap) {
    if (!heap || heap->damage.empty()) return {};
    const HeapDamage& first = heap->damage.front();
    std::string before = first.before
                             ? fmt::format("; before it lies the block of {} bytes at {:#x}",
                                           first.before->size(), first.before->address)
                             : "";
    return first.what + before;
}

bool leads_to_freed(const Diagnosis& diagnosis) {
    auto speaks_of_one = [](const std::string& text) {
        return text.find("freed heap block") != std::string::npos;
    };
    return speaks_of_one(diagnosis.part_is) || speaks_of_one(diagnosis.at_address) ||
           std::ranges::any_of(diagnosis.origin, speaks_of_one, &OriginLink::text);
}

// Of some instructions the compiler keeps no line, such as those that all checks of a function end
// in: then it is told by where the function is declared.
bool is_of_user(const Moment& moment, const Frame& frame) {
    if (!frame.module || moment.libraries().is_library(*frame.module)) return false;
    std::string source = frame.line       ? frame.line->file
                         : frame.function ? frame.function->declared_in
                                          : "";
    return !source.empty() && !moment.libraries().is_library_source(source);
}

void fill_place(const Moment& moment, Diagnosis& diagnosis) {
    Unwinder& stack = moment.stack();
    const Frame* own = nullptr;
    for (unsigned level = 0; level < kFramesLookedAt && !own; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        if (is_of_user(moment, *frame)) own = frame;
    }
    if (!own) own = stack.frame(0);
    if (!own) return;
    diagnosis.level = own->level;
    diagnosis.function = frame_function_name(*own);
    // An inlined call of which the compiler kept no line is told by its name.
    const Frame* failed = own->level ? stack.frame(0) : nullptr;
    if (failed && failed->is_inlined() && failed->module == own->module &&
        failed->call_frame_address == own->call_frame_address)
        diagnosis.function =
            fmt::format("{}, inlined in {}", frame_function_name(*failed), diagnosis.function);
    if (!own->line) return;
    diagnosis.file = own->line->file;
    diagnosis.line = own->line->line;
    SourceReport source = report_source(moment, diagnosis.file, diagnosis.line, diagnosis.line);
    if (!source.rows.empty()) diagnosis.statement = std::string(trimmed(source.rows[0].text));
}

void fill_stack(const Moment& moment, Diagnosis& diagnosis) {
    Unwinder& stack = moment.stack();
    unsigned last = diagnosis.level;  // of the user's own frames
    for (unsigned level = 0; level < kFramesLookedAt; ++level)
        if (const Frame* frame = stack.frame(level); frame && is_of_user(moment, *frame))
            last = level;
    for (unsigned level = 0; level <= last; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        if (level >= kFramesShown + diagnosis.level) {
            ++diagnosis.more_frames;
            continue;
        }
        diagnosis.stack.push_back({level, frame_function_name(*frame),
                                   frame->line ? frame->line->file : "",
                                   frame->line ? frame->line->line : 0});
    }
}

DiagnosisThread thread_of(const ThreadRow& row) {
    return {row.number, row.name, row.function, row.file, row.state, row.waits_for, {}, row.line};
}

// Those that have the same object in hand come first.
void fill_threads(const Moment& moment, const ThreadsReport& threads, Diagnosis& diagnosis) {
    diagnosis.threads_warning = threads.warning;
    if (threads.rows.size() < 2) return;
    auto object = object_of_part(moment, diagnosis);
    std::vector<DiagnosisThread> others;
    for (const ThreadRow& row : threads.rows) {
        if (row.is_selected) continue;
        others.push_back(thread_of(row));
        if (object) others.back().shares = holder_in_thread(moment, row.id, *object);
    }
    std::ranges::stable_sort(others, {},
                             [](const DiagnosisThread& each) { return each.shares.empty(); });
    diagnosis.more_threads = others.size() - std::min(others.size(), kThreadsShown);
    others.resize(std::min(others.size(), kThreadsShown));
    diagnosis.threads = std::move(others);
}

void fill_surroundings(const Moment& moment, Diagnosis& diagnosis) {
    constexpr std::size_t kFilesShown = 12;
    diagnosis.oddities = process_oddities(moment);
    diagnosis.signals = signal_words(moment);
    if (moment.target().is_kept()) return;
    diagnosis.files = open_files_of(moment.target().id());
    diagnosis.more_files = diagnosis.files.size() - std::min(diagnosis.files.size(), kFilesShown);
    diagnosis.files.resize(diagnosis.files.size() - diagnosis.more_files);
}

bool is_found_by_heap_library(const Moment& moment, const Stop& stop) {
    return stop.reason == StopReason::event && stop.cause == Cause::heap &&
           !met_by_heap_library(moment, stop.thread);
}

// Its name, and what it says.
void take_report(Diagnosis& diagnosis) {
    diagnosis.headline = "a sanitizer's report";
    diagnosis.what = "the sanitizer that it is built with reports a fault";
    for (const StopFact& fact : diagnosis.facts) {
        std::size_t colon = fact.text.find(": ");
        if (fact.label != "report") continue;
        diagnosis.headline = fact.text.substr(0, colon);
        diagnosis.what = "the sanitizer that it is built with reports: " +
                         fact.text.substr(colon == fact.text.npos ? 0 : colon + 2);
    }
    std::erase_if(diagnosis.facts, [](const StopFact& fact) { return fact.label == "report"; });
}

// Where what the frame tells makes the condition true, some of it cannot be what was compared.
bool holds_by_what_is_told(const std::string& condition, EvaluationContext& context) {
    try {
        return Expression(condition, context).truth(context);
    } catch (const Error&) {  // not all of it has a value
        return false;
    }
}

// What each side of a failed assertion comes to, as far as it still has a value.
void add_asserted(const Moment& moment, Diagnosis& diagnosis) {
    const Frame* own = moment.stack().frame(diagnosis.level);
    std::string condition;
    for (const StopFact& fact : diagnosis.facts)
        if (condition.empty()) condition = asserted_condition(fact.text);
    if (condition.empty() || !own) return;
    EvaluationContext context = context_in(moment, *own);
    if (holds_by_what_is_told(condition, context)) return;
    ViewLimits limits;
    limits.depth = 1;
    std::vector<std::string> values;
    for (const std::string& operand : operands_of_condition(condition)) {
        try {
            ValueView view = make_view(ValueReader(moment.target()), operand,
                                       evaluate(operand, context), Form::natural, limits);
            if (view.unavailable.empty())
                values.push_back(fmt::format("{} is {}", operand, one_line(view, 60)));
        } catch (const Error&) {  // it is a call, or has no value any more
        }
    }
    if (!values.empty()) diagnosis.facts.push_back({"with", join_with(values, "and")});
}

Diagnosis begun(const Moment& moment) {
    Diagnosis diagnosis;
    std::string path = moment.target().modules().front().path();
    diagnosis.program = path.substr(path.rfind('/') + 1);
    diagnosis.thread = moment.thread_number();
    return diagnosis;
}

}  // namespace

Diagnosis diagnose(const Moment& moment) {
    moment.stack();  // throws where there is none
    const Stop& stop = moment.stop();
    Diagnosis diagnosis = begun(moment);
    diagnosis.facts = stop.facts;
    bool is_signal =
        stop.signal != 0 && (stop.reason == StopReason::signal || stop.reason == StopReason::kept);
    diagnosis.has_failed = is_signal;
    if (is_signal) {
        diagnosis.headline = signal_name(stop.signal);
        diagnosis.what = signal_sentence(moment, stop);
    } else if (stop.reason == StopReason::event && stop.cause == Cause::panic) {
        diagnosis.has_failed = true;
        diagnosis.headline = "panic";
        diagnosis.what = "the program panics: it has come upon what its code rules out";
    } else if (stop.reason == StopReason::event && stop.cause == Cause::sanitizer) {
        diagnosis.has_failed = true;
        take_report(diagnosis);
    } else if (auto fault = is_found_by_heap_library(moment, stop) ? found_by_heap_library(moment)
                                                                   : std::nullopt) {
        diagnosis.has_failed = true;
        diagnosis.headline = fault->kind;
        diagnosis.what = "the heap is misused: " + fault->what;
        std::erase_if(diagnosis.facts, [](const StopFact& fact) { return fact.label == "heap"; });
    } else {
        diagnosis.what = "nothing has failed here: it stands where it was stopped";
    }
    fill_place(moment, diagnosis);
    bool is_this_thread = is_signal && stop.thread == moment.thread();
    if (is_this_thread) fill_cause(moment, stop, diagnosis);
    auto abort = is_this_thread && stop.signal == SIGABRT
                     ? allocator_abort(moment, diagnosis.level, diagnosis.statement)
                     : std::nullopt;
    if (abort) {
        diagnosis.what =
            "SIGABRT: the allocator gave up, as its records of the heap contradict "
            "each other or what was asked of it";
        diagnosis.part = abort->argument;
        diagnosis.part_level = diagnosis.level;
        diagnosis.part_is = abort->argument_is;
        const Frame* own = moment.stack().frame(diagnosis.level);
        bool is_optimised = own && own->function && own->module &&
                            looks_optimised(own->module->symbols().body_of(*own->function));
        if (!abort->argument.empty() && is_optimised) {
            diagnosis.part_certainty = Certainty::likely;
            diagnosis.part_because = "the line hands that in; what arrived there is not kept";
        }
    }
    diagnosis.heap = first_damage(abort ? abort->heap : read_small_heap(moment.target()));
    bool is_of_heap = abort || !diagnosis.heap.empty() || leads_to_freed(diagnosis);
    diagnosis.is_heap_worth_a_run = is_of_heap && !HeapHistory::in(moment.target());
    if (is_this_thread && stop.signal == SIGABRT) add_asserted(moment, diagnosis);
    fill_stack(moment, diagnosis);
    fill_threads(moment, report_threads(moment), diagnosis);
    fill_surroundings(moment, diagnosis);
    return diagnosis;
}

Diagnosis diagnose_hang(const Moment& moment, const HangSamples& samples, double seconds) {
    Diagnosis diagnosis = begun(moment);
    diagnosis.has_failed = true;
    diagnosis.headline = "hang";
    diagnosis.what = fmt::format("it still runs after {:g} s", seconds);
    fill_place(moment, diagnosis);
    fill_stack(moment, diagnosis);
    ThreadsReport threads = report_threads(moment);
    for (const ThreadRow& row : threads.rows) {
        if (!row.is_selected) continue;
        std::string waits = row.waits_for.empty() ? "" : ", waits for " + row.waits_for;
        if (!row.state.empty()) diagnosis.what += ": " + row.state + waits;
    }
    fill_threads(moment, threads, diagnosis);
    fill_surroundings(moment, diagnosis);
    diagnosis.loops = samples.loops();
    return diagnosis;
}

}  // namespace lantern
