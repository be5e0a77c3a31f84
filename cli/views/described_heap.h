// The fields of what is told of the heap; see described.h.
#pragma once

#include "cli/views/described.h"

namespace lantern::cli {

template <class Form>
void describe(Form& form, const HeapCount& count) {
    form.field("blocks", count.blocks);
    form.field("bytes", count.bytes);
}

template <class Form>
void describe(Form& form, const HeapArenaRow& row) {
    form.field("number", row.number);
    form.field("in_use", row.in_use);
    form.field("free", row.free);
    form.field("cached", row.cached);
    form.field("largest_free", row.largest_free);
    form.field("rest", row.rest);
    form.field("whole", row.whole);
    form.optional("locked", row.is_locked);
    form.optional("threads", row.threads);
}

template <class Form>
void describe(Form& form, const HeapSizeRow& row) {
    form.field("size", row.size);
    form.field("in_use", row.in_use);
    form.field("not_in_use", row.not_in_use);
}

template <class Form>
void describe(Form& form, const HeapBlockRow& row) {
    form.field("address", Address{row.address});
    form.field("size", row.size);
    form.field("state", row.state);
    form.field("arena", row.arena);
    form.optional("what", row.what);
    form.optional("meant", row.is_meant);
}

template <class Form>
void describe(Form& form, const HeapReport& report) {
    form.kind("heap");
    form.field("library", report.library);
    form.field("in_use", report.in_use);
    form.field("free", report.free);
    form.field("cached", report.cached);
    form.field("largest_free", report.largest_free);
    form.field("arenas", report.arenas);
    form.field("sizes", report.sizes);
    form.field("largest", report.largest);
    form.field("damage", report.damage);
    form.optional("being_changed", report.is_being_changed);
}

template <class Form>
void describe(Form& form, const HeapBlocksReport& report) {
    form.kind("heap-blocks");
    form.field("total", report.total);
    form.field("blocks", report.rows);
    form.optional("note", report.note);
}

template <class Form>
void describe(Form& form, const HeapTypeRow& row) {
    form.field("what", row.what);
    form.field("in_use", row.in_use);
}

template <class Form>
void describe(Form& form, const HeapTypesReport& report) {
    form.kind("heap-types");
    form.field("in_use", report.in_use);
    form.field("total", report.total);
    form.field("types", report.rows);
}

template <class Form>
void describe(Form& form, const HeapDamageRow& row) {
    form.field("address", Address{row.address});
    form.field("what", row.what);
    form.optional("before", row.before);
    form.optional("content", row.content);
    form.optional("born", row.born);
}

template <class Form>
void describe(Form& form, const HeapCheckReport& report) {
    form.kind("heap-check");
    form.field("blocks", report.blocks);
    form.field("damage", report.rows);
    form.optional("being_changed", report.is_being_changed);
}

template <class Form>
void describe(Form& form, const HeapGrowthRow& row) {
    form.field("what", row.what);
    form.field("before", row.before);
    form.field("now", row.now);
    form.optional("only_grows", row.only_grows);
}

template <class Form>
void describe(Form& form, const HeapGrowthReport& report) {
    form.kind("heap-growth");
    form.field("since", report.since);
    form.field("before", report.before);
    form.field("now", report.now);
    form.if_so(!report.is_of_another_run, [&] {
        form.field("came", report.came);
        form.field("went", report.went);
    });
    form.optional("of_another_run", report.is_of_another_run);
    form.field("total", report.total);
    form.field("rows", report.rows);
    form.optional("being_changed", report.is_being_changed);
}

template <class Form>
void describe(Form& form, const HeapLostRow& row) {
    form.field("first", row.first);
    form.field("times", row.times);
    form.field("whole", row.whole);
    form.optional("born", row.born);
}

constexpr const char* shared_name(const HeapCall*) {
    return "heap_call";
}
constexpr const char* shared_name(const HeapLife*) {
    return "heap_life";
}

template <class Form>
void describe(Form& form, const HeapCall& call) {
    form.field("function", call.function);
    line_of_source(form, call.file, call.line);
    form.optional("library", call.is_library);
}

template <class Form>
void describe(Form& form, const HeapEvent& event) {
    form.field("way", event.way);
    form.field("thread", event.thread);
    form.field("seconds", event.seconds);
    form.field("calls", event.calls);
}

template <class Form>
void describe(Form& form, const HeapLife& life) {
    form.field("address", Address{life.address});
    form.field("size", life.size);
    form.field("number", life.number);
    form.optional("guarded", life.guard != heap_tables::GuardPage::none);
    form.optional("page", guard_word(life.guard));
    form.field("born", life.born);
    form.optional("died", life.died);
}

template <class Form>
void describe(Form& form, const HeapLifeReport& report) {
    form.kind("heap-life");
    form.field("life", report.life);
    form.optional("note", report.note);
    form.optional("pointers", report.pointers.named);
    form.optional("more_pointers", report.pointers.more);
}

template <class Form>
void describe(Form& form, const HeapPlaceRow& row) {
    form.field("place", row.place);
    form.field("now", row.now);
    form.optional("at_peak", row.at_peak);
    form.field("calls", row.calls);
}

template <class Form>
void describe(Form& form, const HeapMoment& when) {
    form.field("seconds", when.seconds);
    form.field("total", when.total);
    form.field("bytes", when.bytes);
}

template <class Form>
void describe(Form& form, const HeapPlacesReport& report) {
    form.kind("heap-places");
    form.field("now", report.now);
    form.field("births", report.births);
    form.field("peak_bytes", report.peak_bytes);
    form.field("peak_seconds", report.peak_seconds);
    form.field("total", report.total);
    form.field("rows", report.rows);
    form.field("over_time", report.over_time);
}

template <class Form>
void describe(Form& form, const HeapFinding& finding) {
    form.field("kind", finding.fault.kind);
    form.field("what", finding.fault.what);
    form.field("at", Address{finding.fault.at});
    form.optional("function", finding.function);
    line_of_source(form, finding.file, finding.line);
    form.optional("statement", finding.statement);
    form.optional("expression", finding.expression);
    form.optional("block", finding.fault.life);
    form.field("calls", finding.calls);
    form.optional("pointers", finding.pointers.named);
    form.optional("more_pointers", finding.pointers.more);
    form.field("times", finding.times);
}

template <class Form>
void describe(Form& form, const HeapLeaksReport& report) {
    form.kind("heap-leaks");
    form.field("in_use", report.in_use);
    form.field("lost", report.lost);
    form.field("from_inside", report.from_inside);
    form.field("groups", report.groups);
    form.field("rows", report.rows);
    form.optional("growing", report.growing);
    form.optional("being_changed", report.is_being_changed);
}

template <class Form>
void describe(Form& form, const HeapPathStep& step) {
    form.if_so(step.pointer != 0, [&] { form.field("pointer", Address{step.pointer}); });
    form.field("where", step.where);
    form.optional("from_byte", step.from_byte);
    form.optional("from_part", step.from_part);
    form.field("block", Address{step.block});
    form.field("offset", step.offset);
    form.field("size", step.size);
    form.optional("what", step.what);
}

template <class Form>
void describe(Form& form, const HeapPathReport& report) {
    form.kind("heap-path");
    form.field("block", report.block);
    form.field("steps", report.steps);
}

// Of a whole run. The reports of its end are told as they are by themselves.
template <class Form>
void describe(Form& form, const HeapRunReport& report) {
    form.kind("heap-run");
    form.field("program", report.program);
    form.field("ended", report.ended);
    form.field("failed", report.has_failed());
    form.field("findings", report.findings);
    form.optional("more_findings", report.more_findings);
    form.optional("damage", report.check.rows);
    form.if_so(report.has_end, [&] {
        form.field("lost", report.leaks.lost);
        form.field("in_use", report.leaks.in_use);
        form.field("leaks", report.leaks.rows);
        form.field("births", report.places.births);
        form.field("peak_bytes", report.places.peak_bytes);
        form.field("places", report.places.rows);
    });
    form.optional("notes", report.notes);
}

}  // namespace lantern::cli
