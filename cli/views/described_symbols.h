// The fields of what is told of symbols, and of a file as a whole; see described.h.
#pragma once

#include "cli/views/described.h"

namespace lantern::cli {

template <class Form>
void describe(Form& form, const FoundName& name) {
    form.field("name", name.name);
    form.optional("detail", name.detail);
    form.optional("file", name.file);
    form.optional("line", name.line);
    form.optional("addresses", in_hex(name.addresses));
    form.optional("no_own_code", name.has_no_own_code);
}

template <class Form>
void describe(Form& form, const FindReport& report) {
    form.kind("find");
    form.field("what", report.what);
    form.field("pattern", report.pattern);
    form.field("total", report.total);
    form.field("found", report.found);
    form.optional("of_library", report.of_library);
    form.optional("within", report.within);
    form.optional("note", report.note);
}

template <class Form>
void describe(Form& form, const CodeReport::Site& site) {
    form.field("address", Address{site.address});
    form.field("function", site.function);
    form.field("module", site.module);
    line_of_source(form, site.file, site.line);
    form.optional("inlined_into", site.inlined_into);
}

template <class Form>
void describe(Form& form, const CodeReport::Block& block) {
    form.field("low", Address{block.low});
    form.field("high", Address{block.high});
    form.field("function", block.function);
    form.optional("inlined_into", block.inlined_into);
}

template <class Form>
void describe(Form& form, const CodeReport& report) {
    form.kind("code");
    form.field("place", report.place);
    form.field("sites", report.sites);
    form.field("blocks", report.blocks);
}

template <class Form>
void describe(Form& form, const CodeFrame& frame) {
    form.field("function", frame.function);
    form.field("inlined", frame.is_inlined);
    line_of_source(form, frame.file, frame.line);
    form.optional("column", frame.column);
}

template <class Form>
void describe(Form& form, const AddressReport& report) {
    form.kind("address");
    form.field("address", Address{report.address});
    form.field("module", report.module);
    form.field("file_address", Address{report.file_address});
    form.field("section", report.section);
    form.field("symbol", report.symbol);
    form.field("offset", report.offset);
    form.field("frames", report.frames);
}

template <class Form>
void describe(Form& form, const TypeRow& row) {
    form.field("what", row.kind);
    form.field("depth", row.depth);
    form.field("size", row.size);
    form.optional("name", row.name);
    form.optional("type", row.type);
    form.optional("offset", row.offset);
    form.if_so(row.bit_size != 0, [&] {
        form.field("bits", row.bit_size);
        form.field("bit_offset", row.bit_offset);
    });
    form.optional("value", row.value);
}

template <class Form>
void describe(Form& form, const TypeReport::Named& enumerator) {
    form.field("name", enumerator.name);
    form.field("value", enumerator.value);
}

template <class Form>
void describe(Form& form, const TypeReport& report) {
    form.kind("type");
    form.field("name", report.name);
    form.field("wording", report.wording);
    form.field("size", report.size);
    form.field("padding", report.padding);
    form.field("incomplete", report.is_incomplete);
    form.field("rows", report.rows);
    form.field("enumerators", report.enumerators);
    form.field("methods", report.methods);
    form.field("others", report.others);
    form.optional("virtual_bases_from", report.virtual_bases_from);
    line_of_source(form, report.file, report.line);
}

template <class Form>
void describe(Form& form, const SurveyGroup& group) {
    form.field("language", group.language);
    form.field("compiler", group.compiler);
    form.field("optimisation", group.optimisation);
    form.field("optimisation_source", group.optimisation_source);
    form.field("dwarf_version", group.dwarf_version);
    form.field("units", group.units);
    form.field("functions", group.functions);
    form.field("code_bytes", group.code_bytes);
}

template <class Form>
void describe(Form& form, const SurveySection& section) {
    form.field("name", section.name);
    form.field("stored", section.stored);
    form.field("size", section.size);
    form.field("debug", section.is_debug);
    form.optional("compression", section.compression);
}

template <class Form>
void describe(Form& form, const SurveySource& source) {
    form.field("path", source.path);
    form.field("state", source.state);
    form.field("checksum", source.has_checksum);
}

template <class Form>
void describe(Form& form, const Finding& finding) {
    form.field("what", finding.what);
    form.field("advice", advice_text(finding.next));
}

template <class Form>
void describe(Form& form, const Survey& survey) {
    form.field("path", survey.path);
    form.field("file_size", survey.file_size);
    form.field("built_at", survey.built_at);
    form.field("program_kind", survey.kind);
    form.field("dynamic", survey.is_dynamic);
    form.optional("sanitizer", survey.sanitizer);
    form.field("build_id", survey.build_id);
    form.field("symbol_table", survey.has_symbol_table);
    form.field("debug_information", survey.has_symbols);
    form.field("debug_information_from", survey.symbols_from);
    form.field("refused", survey.refused);
    form.field("problems", survey.problems);
    form.field("units", survey.units);
    form.field("type_units", survey.type_units);
    form.field("partial_units", survey.partial_units);
    form.field("split_files", survey.split_files);
    form.field("missing_split_files", survey.missing_split_files);
    form.field("indexes", survey.address_indexes);
    form.field("groups", survey.groups);
    form.field("sections", survey.sections);
    form.field("debug_bytes", survey.debug_bytes);
    form.field("separate_bytes", survey.separate_bytes);
    form.field("sources", survey.sources);
    form.field("weaknesses", survey.weaknesses);
    form.object("functions", [&](auto& functions) {
        functions.field("with_code", survey.functions);
        functions.field("inlined_away", survey.inlined_away);
        functions.field("inlined_calls", survey.inlined_calls);
        functions.field("frame_pointer_kept", survey.frame_pointer_kept);
        functions.field("frame_pointer_looked_at", survey.frame_pointer_looked_at);
    });
    form.object("variables", [&](auto& variables) {
        variables.field("total", survey.variables);
        variables.field("everywhere", survey.variables_everywhere);
        variables.field("partly", survey.variables_partly);
        variables.field("nowhere", survey.variables_nowhere);
        variables.field("coverage", survey.variable_coverage);
    });
    form.optional("separate_file", survey.separate_file);
    form.optional("shared_file", survey.shared_file);
    form.optional("package", survey.package);
}

template <class Form>
void describe(Form& form, const SurveyReport& report) {
    form.kind("survey");
    form.field("programs", report.programs);
}

}  // namespace lantern::cli
