// The fields of what is told of two builds and two runs.
#pragma once

#include "cli/views/described_session.h"
#include "cli/views/described_stops.h"

namespace lantern::cli {

template <class Form>
void describe(Form& form, const FunctionInBuild& function) {
    form.field("bytes", function.bytes);
    form.optional("copies", function.copies);
    form.optional("into", function.into);
    form.optional("variables", function.variables);
    form.optional("cover", function.cover);
    form.optional("frame_bytes", function.frame_bytes);
    form.optional("lines", function.lines);
}

template <class Form>
void describe(Form& form, const FunctionComparison& row) {
    form.field("name", row.name);
    line_of_source(form, row.file, row.line);
    form.field("a", row.in[0]);
    form.field("b", row.in[1]);
    form.optional("lost_lines", row.lost_lines);
    form.optional("new_lines", row.new_lines);
    form.optional("lost_calls", row.lost_calls);
    form.optional("new_calls", row.new_calls);
}

template <class Form>
void describe(Form& form, const BuildInComparison& build) {
    form.field("program", build.program);
    form.field("compiler", build.compiler);
    form.field("functions", build.functions);
    form.field("code_bytes", build.code_bytes);
    form.field("inlined_calls", build.inlined_calls);
    form.field("variables", build.variables);
    form.field("cover", build.cover);
}

template <class Form>
void describe(Form& form, const BuildComparison& builds) {
    form.field("a", builds.builds[0]);
    form.field("b", builds.builds[1]);
    form.field("changed", builds.changed);
    form.field("alike", builds.alike);
    form.field("rows", builds.rows);
}

template <class Form>
void describe(Form& form, const PartedSide& side) {
    form.field("does", side.does);
    line_of_source(form, side.call_file, side.call_line);
    form.optional("set_by_nobody", side.set_by_nobody);
    form.if_so(side.stack.has_value(), [&] {
        form.field("frames", side.stack ? side.stack->rows : std::vector<StackRow>());
    });
    form.if_so(side.locals.has_value(), [&] {
        form.field("variables", side.locals ? side.locals->variables : std::vector<ValueView>());
    });
    form.optional("no_stack", side.no_stack);
}

template <class Form>
void describe(Form& form, const LinePart& part) {
    form.field("variable", part.variable);
    form.field("file", part.file);
    form.field("a", part.value[0]);
    form.field("a_line", part.line[0]);
    form.field("b", part.value[1]);
    form.field("b_line", part.line[1]);
}

template <class Form>
void describe(Form& form, const UnsetLead& lead) {
    form.field("side", std::string(lead.side ? "b" : "a"));
    form.field("what", lead.what);
    line_of_source(form, lead.call_file, lead.call_line);
    form.optional("set_by_nobody", lead.set_by_nobody);
    form.optional("inside", lead.inside);
    form.if_so(lead.stack.has_value(), [&] {
        form.field("frames", lead.stack ? lead.stack->rows : std::vector<StackRow>());
    });
}

template <class Form>
void describe(Form& form, const PartingReport& parting) {
    form.field("what", parting.what);
    form.field("differs", parting.kind);
    form.optional("because", parting.why);
    form.optional("heals", parting.heals);
    form.optional("function", parting.function);
    form.optional("inside", parting.inside);
    form.field("a", parting.sides[0]);
    form.field("b", parting.sides[1]);
    form.optional("line_part", parting.line_part);
    form.optional("unset", parting.unset);
    form.if_so(parting.line != 0, [&] {
        form.field("descriptor", parting.descriptor);
        form.field("written_line", parting.line);
        form.field("written_a", parting.written[0]);
        form.field("written_b", parting.written[1]);
    });
}

template <class Form>
void describe(Form& form, const Unmatched& unmatched) {
    form.field("name", unmatched.name);
    form.field("why", unmatched.why);
}

template <class Form>
void describe(Form& form, const WalkReport& walk) {
    form.field("parted", walk.have_parted());
    form.field("a_program", walk.programs[0]);
    form.field("b_program", walk.programs[1]);
    form.field("a_compiler", walk.compilers[0]);
    form.field("b_compiler", walk.compilers[1]);
    form.optional("a_ended", walk.ended[0]);
    form.optional("b_ended", walk.ended[1]);
    form.field("runs", std::uint64_t{walk.runs[0]});
    form.field("functions", walk.functions);
    form.field("matched", walk.matched);
    form.optional("interrupted", walk.is_interrupted);
    form.optional("first", walk.first);
    form.optional("then", walk.then);
    form.optional("notes", walk.notes);
    form.optional("left_out", walk.left_out);
}

template <class Form>
void describe(Form& form, const ComparisonReport& report) {
    form.kind("comparison");
    form.optional("builds", report.builds);
    form.optional("walk", report.walk);
}

}  // namespace lantern::cli
