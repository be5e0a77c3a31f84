// The fields of what is told of the machine: registers, instructions, memory; see described.h.
#pragma once

#include "cli/views/described.h"

namespace lantern::cli {

template <class Form>
void describe(Form& form, const RegisterRow& row) {
    form.field("name", row.name);
    form.field("group", row.group);
    form.optional("value", in_hex(row.number));
    form.optional("bytes", in_hex(row.bytes));
    form.optional("text", row.text);
    form.optional("points_at", row.points_at);
    form.optional("unknown", row.unknown);
    form.optional("before", row.before);
}

template <class Form>
void describe(Form& form, const RegistersReport& report) {
    form.kind("registers");
    form.field("thread", report.thread);
    form.field("frame", report.level);
    form.field("function", report.function);
    form.field("registers", report.rows);
}

template <class Form>
void describe(Form& form, const DisassemblyRow& row) {
    form.field("address", Address{row.address});
    form.field("bytes", in_hex(row.bytes));
    form.field("text", row.text);
    form.optional("function", row.function);
    form.optional("inlined_into", row.inlined_into);
    form.optional("inlined_depth", row.inlined_depth);
    line_of_source(form, row.file, row.line);
    form.optional("part", row.part);
    form.if_so(row.blocks > 1, [&] {
        form.object("block", [&](auto& block) {
            block.field("number", row.block);
            block.field("of", row.blocks);
        });
    });
    form.optional("target", in_hex(row.target));
    form.optional("refers_to", row.refers_to);
    form.optional("next", row.is_next);
    form.optional("breakpoints", row.breakpoints);
}

template <class Form>
void describe(Form& form, const JumpArrow& arrow) {
    form.field("from", arrow.from);
    form.field("to", arrow.to);
    form.field("lane", arrow.lane);
}

template <class Form>
void describe(Form& form, const OperandNow& operand) {
    form.field("text", operand.text);
    form.optional("address", in_hex(operand.address));
    form.optional("value", operand.value);
    form.optional("note", operand.note);
}

template <class Form>
void describe(Form& form, const LineCount& count) {
    form.field("file", count.file);
    form.field("line", count.line);
    form.field("instructions", count.instructions);
    form.field("bytes", count.bytes);
    form.field("blocks", count.blocks);
}

template <class Form>
void describe(Form& form, const DisassemblyReport& report) {
    form.kind("disassembly");
    form.field("function", report.function);
    form.field("module", report.module);
    form.field("before", report.before);
    form.field("after", report.after);
    form.field("instructions", report.rows);
    form.field("jumps", report.arrows);
    form.field("operands", report.operands);
    form.optional("jump", report.jump);
    form.optional("counts", report.counts);
}

template <class Form>
void describe(Form& form, const MemoryRow& row) {
    form.field("address", Address{row.address});
    form.field("size", row.size);
    form.optional("unreadable", row.is_unreadable);
    form.optional("bytes", in_hex(row.bytes));
    form.optional("values", row.cells);
    form.optional("note", row.note);
    form.if_so(row.repeats > 1, [&] { form.field("repeats", row.repeats); });
}

template <class Form>
void describe(Form& form, const MemoryReport& report) {
    form.kind("memory");
    form.field("address", Address{report.address});
    form.field("size", report.size);
    form.field("region", report.region);
    form.field("form", report.form);
    form.field("rows", report.rows);
}

template <class Form>
void describe(Form& form, const RegionRow& row) {
    form.field("begin", Address{row.begin});
    form.field("end", Address{row.end});
    form.field("permissions", row.permissions);
    form.field("what", row.what);
    form.optional("file", row.file);
    form.optional("resident", row.resident);
}

template <class Form>
void describe(Form& form, const RegionsReport& report) {
    form.kind("regions");
    form.field("regions", report.rows);
    form.field("total", report.total);
    form.field("resident", report.resident);
}

template <class Form>
void describe(Form& form, const FoundMemory& found) {
    form.field("address", Address{found.address});
    form.field("bytes", in_hex(found.around));
    form.field("note", found.note);
}

template <class Form>
void describe(Form& form, const MemoryFindReport& report) {
    form.kind("memory-finds");
    form.field("what", report.what);
    form.field("within", report.within);
    form.field("total", report.total);
    form.field("searched", report.searched);
    form.field("unreadable", report.unreadable);
    form.field("found", report.found);
}

template <class Form>
void describe(Form& form, const MemoryChange& change) {
    form.field("address", Address{change.address});
    form.field("size", change.size);
    form.field("before", in_hex(change.before));
    form.field("after", in_hex(change.after));
    form.field("note", change.note);
}

template <class Form>
void describe(Form& form, const MemoryCompareReport& report) {
    form.kind("memory-changes");
    form.field("name", report.name);
    form.field("address", Address{report.address});
    form.field("size", report.size);
    form.field("changed", report.changed);
    form.field("ranges", report.changes);
}

template <class Form>
void describe(Form& form, const StackWord& word) {
    form.field("address", Address{word.address});
    form.field("from_end", word.from_end);
    form.field("value", Address{word.value});
    form.field("what", word.kind);
    form.optional("name", word.name);
    form.optional("content", word.content);
    form.optional("warning", word.warning);
}

template <class Form>
void describe(Form& form, const StackFrameWords& frame) {
    form.field("frame", frame.level);
    form.field("function", frame.function);
    form.field("stack_pointer", Address{frame.stack_pointer});
    form.field("end", Address{frame.end});
    form.field("words", frame.words);
    form.field("checks", frame.checks);
}

template <class Form>
void describe(Form& form, const WordsReport& report) {
    form.kind("words");
    form.field("thread", report.thread);
    form.field("frames", report.frames);
    form.field("damage", report.damage);
}

template <class Form>
void describe(Form& form, const BecameFact& fact) {
    form.field("ground", fact.ground);
    form.field("text", fact.text);
}

template <class Form>
void describe(Form& form, const BecameLine& line) {
    form.field("line", line.line);
    form.field("last_line", line.last_line);
    form.optional("source", line.source);
    form.field("instructions", line.instructions);
    form.field("stretches", line.stretches);
    form.field("without_code", line.is_gone());
    form.if_so(line.passed_at != 0, [&] { form.field("passed_at", Address{line.passed_at}); });
    form.field("facts", line.facts);
}

template <class Form>
void describe(Form& form, const BecameReport& report) {
    form.kind("became");
    form.field("function", report.function);
    form.field("file", report.file);
    form.optional("symbol", report.symbol);
    form.field("has_source", report.has_source);
    form.optional("stale", report.is_stale);
    form.field("address", Address{report.address});
    form.field("instructions", report.instructions);
    form.field("bytes", report.bytes);
    form.field("parts", report.parts);
    form.field("facts", report.facts);
    form.field("lines", report.lines);
}

}  // namespace lantern::cli
