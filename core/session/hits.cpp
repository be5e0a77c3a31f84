// Whether a breakpoint that was met wants the program to stop: its thread, its condition, its
// counts; and what a note writes down instead.
#include <algorithm>

#include "core/session/events.h"
#include "core/session/heap_asked.h"
#include "core/session/hit.h"
#include "core/session/movement.h"
#include "core/session/sanitizer_reports.h"
#include "core/support/error.h"
#include "core/values/value_view.h"

namespace lantern {
namespace {

// What an expression gave at a hit, quickly for plain numbers: a note may be met millions of times.
NotedValue noted(const Expression& expression, const EvaluationContext& context,
                 const ViewLimits& limits) {
    Value value = expression.value(context);
    ValueReader reader(*context.target);
    if (!value.is_available()) return value.unavailable;
    const Type& type = plain(*value.type);
    bool fits = type.size <= 8 && !value.is_bit_field();
    switch (type.kind) {
        case TypeKind::boolean: return static_cast<std::int64_t>(reader.truth(value));
        case TypeKind::integer:
            if (!fits) break;
            if (type.is_signed) return static_cast<std::int64_t>(reader.integer(value));
            return reader.integer(value);
        case TypeKind::floating: return static_cast<double>(reader.floating(value));
        default: break;
    }
    ValueView view = make_view(reader, expression.text(), value, Form::natural, limits);
    return view.unavailable.empty() ? one_line(view, 120) : view.unavailable;
}

// They are read anew where the function is another one than at the hit before.
ReadExpressions& expressions_for(const Breakpoint& breakpoint, const EvaluationContext& context) {
    auto place = std::pair(context.frame->function, context.frame->inlined);
    if (breakpoint.read.place != place)
        breakpoint.read = {place, nullptr,
                           std::vector<std::shared_ptr<const Expression>>(breakpoint.noted.size())};
    return breakpoint.read;
}

// A condition that cannot be computed stops the program, and says so: silence could hide the one
// case that matters.
bool condition_holds(const Breakpoint& breakpoint, ReadExpressions& read,
                     EvaluationContext& context, Hit& hit) {
    if (breakpoint.condition.empty()) return true;
    try {
        if (!read.condition)
            read.condition = std::make_shared<Expression>(breakpoint.condition, context);
        return read.condition->truth(context);
    } catch (const Error& error) {
        hit.problem = error.what();
        return true;
    }
}

void note_values(const Breakpoint& breakpoint, ReadExpressions& read, EvaluationContext& context,
                 const ViewLimits& limits, Hit& hit) {
    for (std::size_t i = 0; i < breakpoint.noted.size(); ++i) {
        auto& expression = read.noted[i];
        try {
            if (!expression)
                expression = std::make_shared<Expression>(breakpoint.noted[i], context);
            hit.values.push_back(noted(*expression, context, limits));
        } catch (const Error& error) {
            hit.values.emplace_back(std::monostate{});
            hit.problem = error.what();
        }
    }
}

bool is_due(const Breakpoint& breakpoint) {
    std::uint64_t times_true = breakpoint.counts->times_true + 1;
    return times_true > breakpoint.after && (times_true - breakpoint.after) % breakpoint.every == 0;
}

}  // namespace

Hit judge_hit(const Breakpoint& breakpoint, Target& target, ThreadId thread,
              const CodePosition* position, Results& results, const ViewLimits& limits) {
    Hit hit;
    if (breakpoint.thread && target.thread_number(thread) != breakpoint.thread) return hit;
    bool computes = !breakpoint.condition.empty() || breakpoint.is_note();
    if (!computes) {
        hit.verdict = is_due(breakpoint) ? Hit::Verdict::stops : Hit::Verdict::not_due;
        return hit;
    }
    Unwinder stack(target, thread, position);
    EvaluationContext context{&target, thread, &stack.innermost(), &results, nullptr, {}};
    ReadExpressions& read = expressions_for(breakpoint, context);
    if (!condition_holds(breakpoint, read, context, hit)) {
        hit.verdict = Hit::Verdict::fails;
    } else if (!is_due(breakpoint) && hit.problem.empty()) {
        hit.verdict = Hit::Verdict::not_due;
    } else if (breakpoint.is_note()) {
        hit.verdict = Hit::Verdict::notes;
        note_values(breakpoint, read, context, limits, hit);
    } else {
        hit.verdict = Hit::Verdict::stops;
    }
    return hit;
}

void SessionHits::take(Breakpoint& breakpoint, ThreadId thread, Hit hit) {
    using Verdict = Hit::Verdict;
    if (hit.verdict == Verdict::of_another) return;
    breakpoint.counts->problem = hit.problem;
    if (hit.verdict != Verdict::fails) ++breakpoint.counts->times_true;
    if (hit.verdict == Verdict::fails || hit.verdict == Verdict::not_due) {
        ++breakpoint.counts->passes;
        return;
    }
    ++breakpoint.counts->hits;
    if (hit.verdict == Verdict::notes) {
        NoteTable& notes = parts_.notes;
        unsigned process = parts_.shared.processes_met > 1 ? parts_.number : 0;
        notes.add({breakpoint.number, notes.clock(), process,
                   parts_.debuggee.process().thread_number(thread), breakpoint.counts->hits,
                   std::move(hit.values)});
    }
    bool is_spent = breakpoint.once ||
                    (breakpoint.note_limit && breakpoint.counts->hits >= breakpoint.note_limit);
    if (is_spent) parts_.shared.switch_off(breakpoint.number);
}

void Movement::count_block(Breakpoint& breakpoint, ThreadId thread) {
    breakpoint.counts->blocks.add(process_.registers(thread).program_counter(), thread,
                                  frame_identity(thread));
    ++breakpoint.counts->hits;
}

// A value that is not of here may make a condition fail for good, and nobody would know why.
void Movement::look_for_doubts(Breakpoint& breakpoint, ThreadId thread,
                               const CodePosition* position) {
    bool reads = !breakpoint.condition.empty() || !breakpoint.noted.empty();
    if (!reads || !parts_.shared.doubts || !breakpoint.counts->doubt.empty() ||
        !breakpoint.doubted.insert(breakpoint.read.place).second)
        return;
    Unwinder stack(process_, thread, position);
    Moment::Parts at;
    at.target = &process_;
    at.thread = thread;
    at.stack = &stack;
    at.stop = &parts_.last_stop;
    at.life = parts_.life;
    at.breakpoints = &parts_.breakpoints.all();
    at.presentation = &parts_.presentation;
    at.surroundings = &parts_.surroundings;
    at.sources = &parts_.sources;
    at.libraries = &parts_.libraries;
    std::vector<std::string> read = breakpoint.noted;
    if (!breakpoint.condition.empty()) read.push_back(breakpoint.condition);
    for (const std::string& each : read)
        if (breakpoint.counts->doubt.empty())
            breakpoint.counts->doubt = parts_.shared.doubts(Moment(at), each);
}

bool Movement::wants_to_stop(Breakpoint& breakpoint, ThreadId thread,
                             const CodePosition* position) {
    if (breakpoint.counts_blocks()) {
        count_block(breakpoint, thread);
        return false;
    }
    ViewLimits limits;
    limits.around = &parts_.surroundings;
    Hit hit =
        judge_hit(breakpoint, process_, thread, position, parts_.presentation.results, limits);
    if (hit.verdict != Hit::Verdict::of_another) look_for_doubts(breakpoint, thread, position);
    bool stops = hit.verdict == Hit::Verdict::stops;
    hits_.take(breakpoint, thread, std::move(hit));
    return stops;
}

// A breakpoint on exceptions of one type passes those of others, without counting them.
bool Movement::event_fits(const Breakpoint& breakpoint, ThreadId thread) {
    if (breakpoint.cause == Cause::heap) return has_met(process_, breakpoint);
    if (breakpoint.cause == Cause::sanitizer) return !is_told_already(process_, thread);
    bool may_be_the_librarys_own =
        breakpoint.cause == Cause::caught ||
        (breakpoint.cause == Cause::thrown && throws_again(process_, thread));
    if (may_be_the_librarys_own && is_caught_by_nobody(process_, thread)) return false;
    if (breakpoint.subject.empty() ||
        (breakpoint.cause != Cause::thrown && breakpoint.cause != Cause::caught))
        return true;
    ThrownObject object = breakpoint.cause == Cause::thrown ? thrown_object(process_, thread)
                                                            : caught_object(process_, thread);
    return object.type == breakpoint.subject || object.type.ends_with("::" + breakpoint.subject);
}

namespace {

// The part of a function that it has come to was called by what is left of the function, there or
// inlined: that call was met when it began.
bool goes_on_with_a_call(const std::string& function, Target& target, ThreadId thread) {
    Unwinder walk(target, thread);
    for (unsigned level = 1; const Frame* frame = walk.frame(level); ++level) {
        if (frame_function_name(*frame) == function) return true;
        if (!frame->inlined) return false;
    }
    return false;
}

// Whether who jumps here from there comes to the line of the site; then at its position.
bool comes_by(RunAddress jump, BreakpointSet::SiteHere& site) {
    auto past = std::ranges::find(site.jumps_past, jump, &Breakpoint::Site::Jump::from);
    if (past == site.jumps_past.end()) return true;
    if (!past->to) return false;
    site.position = past->to;
    site.order = past->to->order;
    return true;
}

}  // namespace

void Movement::look_at_jump(ThreadId thread) {
    if (!parts_.breakpoints.has_jumps_past()) return;
    try {
        if (parts_.breakpoints.is_jump_past(process_.registers(thread).program_counter()))
            parts_.jumping.look(process_, thread);
    } catch (const TargetError&) {  // the thread is gone
    }
}

// The numbers of the breakpoints that a thread has arrived at and that want it to stop: those at
// the first position of the address, behind the one and up to the other, where one does. Later ones
// are met when it goes on from there.
std::vector<unsigned> Movement::count_hits(ThreadId thread, Stop& stop, int behind, int up_to) {
    std::vector<unsigned> numbers;
    RunAddress at = process_.registers(thread).program_counter();
    auto here = parts_.breakpoints.at(at);  // one that switches itself off leaves the set
    auto jumped_from = parts_.jumping.came_from(thread, at);
    int stopped_at = up_to;
    for (BreakpointSet::SiteHere& each : here) {
        if (jumped_from && !comes_by(*jumped_from, each)) continue;
        if (each.order <= behind || each.order > stopped_at) continue;
        const CodePosition* position = each.position ? &*each.position : nullptr;
        if (!event_fits(*each.breakpoint, thread)) continue;
        if (!each.split_off.empty() && goes_on_with_a_call(each.split_off, process_, thread))
            continue;
        if (!wants_to_stop(*each.breakpoint, thread, position)) continue;
        numbers.push_back(each.breakpoint->number);
        stopped_at = each.order;
        if (position) stop.position = *position;
        if (each.breakpoint->cause != Cause::place) stop.cause = each.breakpoint->cause;
    }
    return numbers;
}

}  // namespace lantern
