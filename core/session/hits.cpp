// Whether a breakpoint that was met wants the program to stop: its thread, its condition, its counts; and what a note writes
// down instead.
#include <algorithm>

#include "core/session/events.h"
#include "core/session/movement.h"
#include "core/support/error.h"
#include "core/values/value_view.h"

namespace lantern {
namespace {

// What an expression gave at a hit, quickly for plain numbers: a note may be met millions of times.
NotedValue noted(const Expression& expression, const EvaluationContext& context, Session& session) {
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
    ViewLimits limits = session.view_limits();
    ValueView view = make_view(reader, expression.text(), value, Form::natural, limits);
    return view.unavailable.empty() ? one_line(view, 120) : view.unavailable;
}

}  // namespace

// A condition that cannot be computed stops the program, and says so: silence could hide the one case that matters.
bool Movement::condition_holds(Breakpoint& breakpoint, EvaluationContext& context) {
    breakpoint.problem.clear();
    if (breakpoint.condition.empty()) return true;
    try {
        if (!breakpoint.compiled) breakpoint.compiled = std::make_shared<Expression>(breakpoint.condition, context);
        return breakpoint.compiled->truth(context);
    } catch (const Error& error) {
        breakpoint.problem = error.what();
        return true;
    }
}

void Movement::take_note(Breakpoint& breakpoint, EvaluationContext& context) {
    NoteRow row;
    row.note = breakpoint.number;
    row.seconds = session_.notes_.clock();
    row.thread = process_.thread_number(context.thread);
    row.hit = breakpoint.hits + 1;
    if (breakpoint.compiled_notes.empty()) breakpoint.compiled_notes.resize(breakpoint.noted.size());
    for (std::size_t i = 0; i < breakpoint.noted.size(); ++i) {
        auto& expression = breakpoint.compiled_notes[i];
        try {
            if (!expression) expression = std::make_shared<Expression>(breakpoint.noted[i], context);
            row.values.push_back(noted(*expression, context, session_));
        } catch (const Error& error) {
            row.values.emplace_back(std::monostate{});
            breakpoint.problem = error.what();
        }
    }
    session_.notes_.add(std::move(row));
}

bool Movement::wants_to_stop(Breakpoint& breakpoint, ThreadId thread, const CodePosition* position) {
    if (breakpoint.thread && process_.thread_number(thread) != breakpoint.thread) return false;
    std::optional<Unwinder> stack;
    EvaluationContext context;
    if (!breakpoint.condition.empty() || breakpoint.is_note()) {
        stack.emplace(process_, thread, position);
        context = EvaluationContext{&process_, thread, &stack->innermost(), &session_.results_, nullptr, {}};
        auto place = std::pair(context.frame->function, context.frame->inlined);
        if (breakpoint.compiled_for != place) {
            breakpoint.compiled.reset();
            breakpoint.compiled_notes.clear();
            breakpoint.compiled_for = place;
        }
        if (!condition_holds(breakpoint, context)) {
            ++breakpoint.passes;
            return false;
        }
    }
    ++breakpoint.met;
    bool is_due = breakpoint.met > breakpoint.after && (breakpoint.met - breakpoint.after) % breakpoint.every == 0;
    if (!is_due && breakpoint.problem.empty()) {
        ++breakpoint.passes;
        return false;
    }
    if (breakpoint.is_note()) take_note(breakpoint, context);
    ++breakpoint.hits;
    bool is_spent = breakpoint.once || (breakpoint.note_limit && breakpoint.hits >= breakpoint.note_limit);
    if (is_spent) {
        breakpoint.is_on = false;
        session_.remove_sites(breakpoint);
    }
    return !breakpoint.is_note();
}

// A breakpoint on exceptions of one type passes those of others, without counting them.
bool Movement::event_fits(const Breakpoint& breakpoint, ThreadId thread) {
    bool may_be_the_librarys_own = breakpoint.cause == Cause::caught || (breakpoint.cause == Cause::thrown && throws_again(process_, thread));
    if (may_be_the_librarys_own && is_caught_by_nobody(process_, thread)) return false;
    if (breakpoint.subject.empty() || (breakpoint.cause != Cause::thrown && breakpoint.cause != Cause::caught)) return true;
    ThrownObject object = breakpoint.cause == Cause::thrown ? thrown_object(process_, thread) : caught_object(process_, thread);
    return object.type == breakpoint.subject || object.type.ends_with("::" + breakpoint.subject);
}

// The numbers of the breakpoints that a thread has arrived at and that want it to stop: those at the first position of the address,
// behind the one and up to the other, where one does. Later ones are met when it goes on from there.
std::vector<unsigned> Movement::count_hits(ThreadId thread, Stop& stop, int behind, int up_to) {
    std::vector<unsigned> numbers;
    auto found = session_.at_address_.find(process_.registers(thread).program_counter());
    if (found == session_.at_address_.end()) return numbers;
    std::vector<Session::SiteHere> here = found->second;  // one that switches itself off leaves the list
    int stopped_at = up_to;
    for (const Session::SiteHere& each : here) {
        if (each.order <= behind || each.order > stopped_at) continue;
        const CodePosition* position = each.position ? &*each.position : nullptr;
        if (!event_fits(*each.breakpoint, thread)) continue;
        if (!wants_to_stop(*each.breakpoint, thread, position)) continue;
        numbers.push_back(each.breakpoint->number);
        stopped_at = each.order;
        if (position) stop.position = *position;
        if (each.breakpoint->cause != Cause::place) stop.cause = each.breakpoint->cause;
    }
    return numbers;
}

}  // namespace lantern
