// The fields of a diagnosis; see described.h.
#pragma once

#include "cli/views/described.h"
#include "cli/views/described_stops.h"

namespace lantern::cli {

template <class Form>
void describe(Form& form, const OriginLink& link) {
    form.field("text", link.text);
    form.field("certainty", link.certainty);
    form.optional("because", link.because);
    form.optional("name", link.name);
    form.optional("level", link.level);
    form.optional("function", link.function);
    line_of_source(form, link.file, link.line);
    form.if_so(link.at != 0, [&] { form.field("at", Address{link.at}); });
}

template <class Form>
void describe(Form& form, const DiagnosisFrame& frame) {
    form.field("level", frame.level);
    form.field("function", frame.function);
    line_of_source(form, frame.file, frame.line);
}

template <class Form>
void describe(Form& form, const DiagnosisThread& thread) {
    form.field("number", thread.number);
    form.optional("name", thread.name);
    form.field("function", thread.function);
    line_of_source(form, thread.file, thread.line);
    form.optional("state", thread.state);
    form.optional("waits_for", thread.waits_for);
    form.optional("shares", thread.shares);
}

template <class Form>
void describe(Form& form, const OpenFile& file) {
    form.field("number", file.number);
    form.field("what", file.what);
}

template <class Form>
void describe(Form& form, const HangLoop& loop) {
    form.field("thread", loop.thread);
    form.field("function", loop.function);
    form.optional("file", loop.file);
    form.field("first_line", loop.first_line);
    form.field("last_line", loop.last_line);
    form.optional("changing", loop.changing);
    form.optional("steady", loop.steady);
}

template <class Form>
void describe(Form& form, const Diagnosis& report) {
    form.kind("diagnosis");
    form.field("program", report.program);
    form.field("failed", report.has_failed);
    form.optional("headline", report.headline);
    form.field("what", report.what);
    form.optional("facts", report.facts);
    form.optional("function", report.function);
    line_of_source(form, report.file, report.line);
    form.optional("level", report.level);
    form.optional("thread", report.thread);
    form.optional("statement", report.statement);
    form.optional("part", report.part);
    form.if_so(!report.part_is.empty(), [&] {
        form.field("part_is", report.part_is);
        form.field("part_certainty", report.part_certainty);
    });
    form.optional("part_because", report.part_because);
    form.if_so(report.part_at != 0, [&] { form.field("part_at", Address{report.part_at}); });
    form.optional("origin", report.origin);
    form.optional("origin_end", report.origin_end);
    form.optional("writes", report.writes);
    form.optional("confirmed", report.confirmed);
    form.optional("at_address", report.at_address);
    form.optional("heap", report.heap);
    form.optional("stack", report.stack);
    form.optional("more_frames", report.more_frames);
    form.optional("threads", report.threads);
    form.optional("more_threads", report.more_threads);
    form.optional("threads_warning", report.threads_warning);
    form.optional("loops", report.loops);
    form.optional("oddities", report.oddities);
    form.optional("signals", report.signals);
    form.optional("files", report.files);
    form.optional("more_files", report.more_files);
}

}  // namespace lantern::cli
