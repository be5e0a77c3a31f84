// The fields of what is asked of the program, and of the session itself; see described.h.
#pragma once

#include "cli/views/described.h"

namespace lantern::cli {

template <class Form>
void describe(Form& form, const BreakpointsReport& report) {
    form.kind("breakpoints");
    form.field("breakpoints", report.breakpoints);
}

template <class Form>
void describe(Form& form, const NewBreakpoint& report) {
    form.kind("breakpoint-set");
    form.field("breakpoint", report.breakpoint);
    form.optional("note", report.note);
}

template <class Form>
void describe(Form& form, const NotesReport::Column& column) {
    form.field("note", column.note);
    form.field("expression", column.expression);
    form.field("place", column.place);
    form.optional("doubt", column.doubt);
}

template <class Form>
void describe(Form& form, const NoteRow& row) {
    form.field("seconds", row.seconds);
    form.field("thread", row.thread);
    form.field("note", row.note);
    form.field("hit", row.hit);
    form.field("values", row.values);
    form.optional("process", row.process);
}

template <class Form>
void describe(Form& form, const NotesReport& report) {
    form.kind("notes");
    form.field("total", report.total);
    form.field("columns", report.columns);
    form.field("rows", report.rows);
}

template <class Form>
void describe(Form& form, const SignalRow& row) {
    form.field("number", row.number);
    form.field("name", row.name);
    form.field("rule", row.rule);
    form.field("stops", row.stops);
    form.field("passed", row.passes);
    form.field("meaning", row.meaning);
}

template <class Form>
void describe(Form& form, const SignalsReport& report) {
    form.kind("signals");
    form.field("signals", report.rows);
}

template <class Form>
void describe(Form& form, const ProcessFact& row) {
    form.field("number", row.number);
    form.field("id", row.id);
    form.field("program", row.program);
    form.field("selected", row.is_selected);
}

template <class Form>
void describe(Form& form, const ProcessesReport& report) {
    form.kind("processes");
    form.field("processes", report.rows);
}

template <class Form>
void describe(Form& form, const ThreadRow& row) {
    form.field("number", row.number);
    form.field("id", row.id);
    form.field("name", row.name);
    form.field("state", row.state);
    form.field("function", row.function);
    form.field("frame", row.level);
    form.field("address", Address{row.address});
    line_of_source(form, row.file, row.line);
    form.optional("waits_for", row.waits_for);
    form.optional("selected", row.is_selected);
}

template <class Form>
void describe(Form& form, const ThreadsReport& report) {
    form.kind("threads");
    form.field("threads", report.rows);
    form.optional("warning", report.warning);
}

template <class Form>
void describe(Form& form, const Pin& pin) {
    form.field("number", pin.number);
    form.field("text", pin.text);
}

template <class Form>
void describe(Form& form, const PinsReport& report) {
    form.kind("pins");
    form.field("pins", report.pins);
}

template <class Form>
void describe(Form& form, const HelpEntry& entry) {
    form.field("usage", entry.usage);
    form.field("summary", entry.summary);
}

template <class Form>
void describe(Form& form, const HelpReport::Group& group) {
    form.field("title", group.title);
    form.field("commands", group.entries);
}

template <class Form>
void describe(Form& form, const HelpReport& report) {
    form.kind("help");
    form.field("title", report.title);
    form.field("text", report.text);
    form.field("groups", report.groups);
}

template <class Form>
void describe(Form& form, const Notice& notice) {
    form.kind("notice");
    form.field("level", notice.kind);
    form.field("text", notice.text);
    form.optional("figure", notice.figure);
}

template <class Form>
void describe(Form& form, const Failure& failure) {
    form.kind("error");
    form.field("what", failure.what);
    form.optional("advice", failure.advice);
    form.optional("column", failure.column);
    form.optional("expression", failure.expression);
    form.if_so(!failure.script.empty(), [&] {
        form.field("script", failure.script);
        form.field("script_line", failure.line);
    });
}

// What the record of a session says of each command.
struct RecordedCommand {
    std::string line;
};
struct RecordedAnswer {
    unsigned command = 0;
    std::string line;
    bool worked = false;
};

template <class Form>
void describe(Form& form, const RecordedCommand& command) {
    form.kind("command");
    form.field("line", command.line);
}

template <class Form>
void describe(Form& form, const RecordedAnswer& answer) {
    form.kind("answer");
    form.field("command", answer.command);
    form.field("line", answer.line);
    form.field("worked", answer.worked);
}

}  // namespace lantern::cli
