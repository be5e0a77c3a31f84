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

}  // namespace lantern::cli
