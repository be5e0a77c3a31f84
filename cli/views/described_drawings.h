// The fields of what can be drawn; see described.h.
#pragma once

#include "cli/views/described.h"

namespace lantern::cli {

template <class Form>
void describe(Form& form, const StructureRow& row) {
    form.field("name", row.name);
    form.field("value", row.value);
    form.field("state", row.state);
    form.optional("to", row.to);
    form.optional("into", row.into);
    form.optional("remark", row.remark);
    form.optional("behind", row.behind);
    form.optional("before", row.before);
}

template <class Form>
void describe(Form& form, const StructureBox& box) {
    form.field("number", box.number);
    form.field("title", box.title);
    form.optional("address", box.address);
    form.optional("problem", box.problem);
    form.field("depth", box.depth);
    form.field("rows", box.rows);
    form.optional("more_rows", box.more_rows);
    form.optional("start", box.is_start);
    form.field("change", box.change);
}

template <class Form>
void describe(Form& form, const StructureReport& report) {
    form.kind("structure");
    form.field("expression", report.expression);
    form.field("shape", report.shape);
    form.field("boxes", report.boxes);
    form.optional("chain", report.chain);
    form.field("left_out", report.cut);
    form.field("left_out_is_all", report.is_counted);
    form.optional("remark", report.remark);
    form.if_so(!report.since.empty(), [&] {
        form.field("since", report.since);
        form.field("new", report.fresh);
        form.field("changed", report.changed);
        form.field("gone", report.gone);
    });
}

template <class Form>
void describe(Form& form, const NumbersReport::Bin& bin) {
    form.field("from", bin.from);
    form.field("to", bin.to);
    form.field("count", bin.count);
}

template <class Form>
void describe(Form& form, const NumbersReport& report) {
    form.kind("numbers");
    form.field("expression", report.expression);
    form.field("element", report.element);
    form.field("extent", report.extent);
    form.field("first", report.first);
    form.optional("every", report.every > 1 ? report.every : 0);
    form.field("low", report.low);
    form.field("high", report.high);
    form.field("sound", report.sound);
    form.optional("not_numbers", report.not_numbers);
    form.optional("infinite", report.infinite);
    form.optional("filled", report.filled);
    form.optional("fill", report.fill);
    form.optional("missing", report.missing);
    form.optional("left_out", report.left_out);
    form.optional("bins", report.bins);
}

template <class Form>
void describe(Form& form, const PlotPoint& point) {
    form.field("x", point.x);
    form.optional("y", point.y);
}

template <class Form>
void describe(Form& form, const PlotSeries& series) {
    form.field("name", series.name);
    form.field("whole", series.is_whole);
    form.field("points", series.points);
}

template <class Form>
void describe(Form& form, const PlotReport& report) {
    form.kind("plot");
    form.field("title", report.title);
    form.field("across", report.across);
    form.field("notes", report.notes);
    form.field("series", report.series);
    form.optional("without_numbers", report.without_numbers);
}

}  // namespace lantern::cli
