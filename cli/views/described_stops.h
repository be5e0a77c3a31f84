// The fields of stops, of variables and of the stack; see described.h.
#pragma once

#include "cli/views/described.h"

namespace lantern::cli {

template <class Form>
void describe(Form& form, const StopFact& fact) {
    form.field("label", fact.label);
    form.field("text", fact.text);
}

template <class Form>
void describe(Form& form, const WatchReport& watch) {
    form.field("number", watch.number);
    form.field("expression", watch.expression);
    form.field("written", watch.touched == Touched::changed);
    form.field("touched", watch.touched);
    form.field("before", watch.before);
    form.field("after", watch.after);
    form.field("function", watch.function);
    line_of_source(form, watch.file, watch.line);
    form.optional("by", watch.by);
    form.if_so(watch.from_line != 0, [&] {
        form.object("from", [&](auto& from) {
            from.field("function", watch.from);
            from.field("file", watch.from_file);
            from.field("line", watch.from_line);
        });
    });
}

template <class Form>
void describe(Form& form, const PinReport& pin) {
    form.field("number", pin.number);
    form.field("text", pin.text);
    form.optional("value", pin.value);
    form.optional("problem", pin.problem);
    form.optional("before", pin.before);
}

template <class Form>
void describe(Form& form, const StopReport& report) {
    const StopFacts& stop = report.stop;
    form.kind("stop");
    form.field("reason", stop.reason);
    form.field("why", report.why);
    form.optional("breakpoints", stop.breakpoints);
    form.if_so(stop.reason == StopReason::exited,
               [&] { form.field("exit_status", stop.exit_code); });
    form.optional("signal", stop.signal);
    form.if_so(stop.is_fault,
               [&] { form.field("fault_address", Address{stop.fault_address.value}); });
    form.if_so(!report.function.empty(), [&] {
        form.field("function", report.function);
        form.field("address", Address{report.address});
        form.field("next_to_run", report.next_to_run);
        form.field("thread", stop.thread);
    });
    line_of_source(form, report.file, report.line);
    form.if_so(report.line != 0, [&] { form.field("line_state", report.line_state); });
    form.optional("instruction", report.instruction);
    form.if_so(stop.reason == StopReason::event, [&] { form.field("cause", stop.cause); });
    form.optional("process_number", report.process);
    form.optional("thread_number", report.thread);
    form.optional("calls", report.calls);
    form.optional("facts", stop.facts);
    form.optional("watched", report.watched);
    form.optional("returned", report.returned);
    form.optional("returned_result", report.returned_number);
    form.optional("left_function", stop.left_function);
    form.optional("unreached", stop.unreached);
    form.field("changed", report.changes);
    form.optional("more_changes", report.more_changes);
    form.field("pins", report.pins);
    form.optional("source", report.source.rows);
    form.optional("stale", report.source.is_stale);
    form.optional("warning", report.warning);
    form.optional("suggestion", advice_text(report.suggestion));
    form.field("target_stops", stop.target_stops);
}

template <class Form>
void describe(Form& form, const StepLine& step) {
    form.kind("step");
    form.field("file", step.stop.file);
    form.field("line", step.stop.line);
    form.field("changed", step.stop.changes);
}

template <class Form>
void describe(Form& form, const SourceReport& report) {
    form.kind("source");
    form.field("file", report.file);
    form.field("found_at", report.found_at);
    form.field("stale", report.is_stale);
    form.optional("current_line", report.current_line);
    form.field("rows", report.rows);
}

template <class Form>
void describe(Form& form, const LocalsReport& report) {
    form.kind("locals");
    form.field("frame", report.level);
    form.field("function", report.function);
    form.field("file", report.file);
    form.field("line", report.line);
    form.field("variables", report.variables);
}

template <class Form>
void describe(Form& form, const GlobalsReport& report) {
    form.kind("globals");
    form.field("running", report.is_running);
    form.field("total", report.total);
    form.field("variables", report.variables);
    form.optional("of_library", report.of_library);
}

template <class Form>
void describe(Form& form, const ParameterSpan& span) {
    form.field("name", span.name);
    form.field("low", span.low);
    form.field("high", span.high);
}

template <class Form>
void describe(Form& form, const StackRow& row) {
    form.field("level", row.level);
    form.field("function", row.function);
    form.field("address", Address{row.address});
    form.field("found_by", row.origin);
    line_of_source(form, row.file, row.line);
    form.optional("module", row.module);
    form.if_so(row.repeats > 1, [&] { form.field("repeats", row.repeats); });
    form.if_so(row.cycle > 1, [&] { form.field("cycle", row.cycle); });
    form.optional("words_skipped", row.words_skipped);
    form.optional("may_lack_others", row.may_lack_others);
    form.optional("folded", row.is_folded);
    form.optional("left_out", row.is_left_out);
    form.optional("folded_of", row.folded_of);
    form.optional("spans", row.spans);
    form.optional("inlined", row.is_inlined);
    form.optional("signal_frame", row.is_signal_frame);
    form.optional("selected", row.is_selected);
    form.field("parameters", row.parameters);
}

template <class Form>
void describe(Form& form, const StackReport::Candidate& candidate) {
    form.field("at", Address{candidate.at});
    form.field("leads_to", Address{candidate.leads_to});
    form.field("name", candidate.name);
}

template <class Form>
void describe(Form& form, const StackReport& report) {
    form.kind("stack");
    form.field("thread", report.thread);
    form.field("thread_number", report.thread_number);
    form.field("frames", report.rows);
    form.field("total", report.total);
    form.field("cut", report.is_cut);
    form.optional("ended_because", report.why_ended);
    form.optional("candidates", report.candidates);
}

template <class Form>
void describe(Form& form, const ValueReport& report) {
    form.kind("value");
    form.field("expression", report.expression);
    form.field("value", report.value);
    form.optional("result", report.number);
    form.optional("note", report.note);
}

template <class Form>
void describe(Form& form, const ChangeReport& report) {
    form.kind("change");
    form.field("place", report.place);
    form.field("before", report.before);
    form.field("after", report.after);
    form.optional("warning", report.warning);
}

template <class Form>
void describe(Form& form, const ExplainedPlace& place) {
    form.field("place", place.place);
    form.field("here", place.is_here);
    form.if_so(place.high.value != 0, [&] {
        form.field("from", Address{place.low.value});
        form.field("to", Address{place.high.value});
    });
    form.if_so(place.first_line != 0, [&] {
        form.field("lines", std::vector<std::uint32_t>{place.first_line, place.last_line});
    });
    form.optional("from_line", place.from_line);
}

template <class Form>
void describe(Form& form, const ExplainedName& name) {
    form.field("name", name.chosen);
    form.field("what", name.what);
    form.field("value", name.value);
    form.field("declared_line", name.line);
    form.field("meant", name.is_meant);
}

template <class Form>
void describe(Form& form, const NearestPlace& nearest) {
    form.field("address", Address{nearest.address.value});
    form.field("place", nearest.place);
    form.optional("file", nearest.file);
    form.optional("line", nearest.line);
}

template <class Form>
void describe(Form& form, const ExplainReport& report) {
    form.kind("explanation");
    form.field("expression", report.expression);
    form.field("what", report.what);
    form.field("type", report.type);
    form.field("size", report.size);
    form.field("incomplete", report.is_only_declared);
    form.field("value", report.value);
    form.optional("stands_for", report.stands_for);
    form.optional("declared_in", report.declared_in);
    form.optional("declared_line", report.declared_line);
    form.optional("scope", report.scope);
    form.optional("address_is", report.address_is);
    form.field("places", report.places);
    if (!report.why.empty()) form.field("why", report.why);
    form.optional("nearest_behind", report.nearest.behind);
    form.optional("nearest_before", report.nearest.before);
    form.field("same_name", report.names);
}

}  // namespace lantern::cli
