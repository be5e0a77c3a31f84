#include "cli/views/json.h"

#include <fmt/format.h>

#include "cli/advice_text.h"
#include "cli/views/machine_json.h"

namespace lantern::cli {
namespace {

const char* word(StopReason reason) {
    switch (reason) {
        case StopReason::none: return "none";
        case StopReason::launched: return "launched";
        case StopReason::attached: return "attached";
        case StopReason::released: return "released";
        case StopReason::selected: return "selected";
        case StopReason::kept: return "kept";
        case StopReason::diverted: return "diverted";
        case StopReason::event: return "event";
        case StopReason::watch_ended: return "watch-ended";
        case StopReason::breakpoint: return "breakpoint";
        case StopReason::stepped: return "stepped";
        case StopReason::returned: return "returned";
        case StopReason::reached: return "reached";
        case StopReason::signal: return "signal";
        case StopReason::paused: return "paused";
        case StopReason::replaced: return "replaced";
        case StopReason::exited: return "exited";
        case StopReason::killed: return "killed";
    }
    return "none";
}

const char* word(FrameOrigin origin) {
    switch (origin) {
        case FrameOrigin::innermost: return "registers";
        case FrameOrigin::call_frame_information: return "call-frame-information";
        case FrameOrigin::frame_pointer: return "frame-pointer";
        case FrameOrigin::return_address: return "return-address";
        case FrameOrigin::inlined: return "inlined";
        case FrameOrigin::stack_scan: return "stack-scan";
        case FrameOrigin::tail_call: return "tail-call";
    }
    return "registers";
}

const char* word(Assignment assignment) {
    switch (assignment) {
        case Assignment::assigned: return "yes";
        case Assignment::not_yet: return "not-yet";
        case Assignment::on_some_paths: return "on-some-paths";
        case Assignment::unknown: break;
    }
    return "unknown";
}

const char* word(Arrangement arrangement) {
    switch (arrangement) {
        case Arrangement::fields: return "fields";
        case Arrangement::elements: return "elements";
        case Arrangement::pairs: return "pairs";
        case Arrangement::tuple: return "tuple";
        case Arrangement::target: return "target";
    }
    return "fields";
}

const char* word(LineState state) {
    switch (state) {
        case LineState::next: return "next";
        case LineState::begun: return "begun";
        case LineState::waiting: return "waiting";
        case LineState::fails: return "fails";
    }
    return "next";
}

Json value(const ValueView& view) {
    Json out{{"name", view.name}, {"type", view.type}};
    if (!view.unavailable.empty()) out["unavailable"] = view.unavailable;
    else out["text"] = one_line(view, 4000);
    if (!view.detail.empty()) out["detail"] = view.detail;
    if (!view.broken.empty()) out["broken"] = view.broken;
    if (view.number) out["bits"] = address_text(*view.number);
    if (!view.place.empty()) out["place"] = view.place;
    if (view.assignment != Assignment::unknown) out["assigned"] = word(view.assignment);
    if (view.declared_line) out["declared_line"] = view.declared_line;
    if (view.is_parameter) out["parameter"] = true;
    if (view.is_shadowed) out["shadowed"] = true;
    if (view.is_captured) out["captured"] = true;
    if (!view.children.empty()) {
        out["arrangement"] = word(view.arrangement);
        if (view.first) out["first"] = view.first;
        Json children = Json::array();
        for (const ValueView& child : view.children) children.push_back(value(child));
        out["children"] = std::move(children);
    }
    if (view.more) out["more"] = view.more;
    return out;
}

Json values(const std::vector<ValueView>& views) {
    Json out = Json::array();
    for (const ValueView& view : views) out.push_back(value(view));
    return out;
}

Json source_rows(const SourceReport& report) {
    Json rows = Json::array();
    for (const SourceRow& row : report.rows) {
        Json out{{"line", row.number}, {"text", row.text}, {"has_code", row.has_code}};
        if (row.is_current) out["state"] = word(report.current_state);
        for (const BreakpointMark& mark : row.breakpoints) out["breakpoints"].push_back(mark.number);
        rows.push_back(std::move(out));
    }
    return rows;
}

Json breakpoint(const Breakpoint& breakpoint) {
    Json out{{"number", breakpoint.number}, {"place", breakpoint.place.text}, {"on", breakpoint.is_on}, {"hits", breakpoint.counts->hits}, {"sites", Json::array()}};
    out["cause"] = cause_word(breakpoint.cause);
    if (!breakpoint.subject.empty()) out["subject"] = breakpoint.subject;
    if (!breakpoint.condition.empty()) out["condition"] = breakpoint.condition;
    if (!breakpoint.condition.empty() || breakpoint.after || breakpoint.every > 1) out["passes"] = breakpoint.counts->passes;
    if (breakpoint.after) out["after"] = breakpoint.after;
    if (breakpoint.every > 1) out["every"] = breakpoint.every;
    if (breakpoint.once) out["once"] = true;
    if (breakpoint.thread) out["thread"] = breakpoint.thread;
    if (breakpoint.is_note()) out["notes"] = breakpoint.noted;
    if (!breakpoint.moved.empty()) out["moved"] = breakpoint.moved;
    if (breakpoint.watched && breakpoint.watched->range.size()) {
        const WatchedValue& watched = *breakpoint.watched;
        out["watches"] = {{"address", address_text(watched.range.low.value)}, {"bytes", watched.range.size()}, {"ended", watched.has_ended},
                          {"by", watched.by_pages ? "pages" : watched.by_steps ? "steps" : "debug-registers"}};
        if (watched.owner) out["watches"]["until"] = watched.owner->function;
    }
    for (const Breakpoint::Site& site : breakpoint.sites) {
        Json made{{"address", address_text(site.address.value)}, {"function", site.code.function}};
        if (site.code.line) {
            made["file"] = site.code.file;
            made["line"] = site.code.line;
        }
        if (site.code.is_inlined_copy) made["inlined"] = true;
        if (site.blocks > 1) {
            made["block"] = site.block;
            made["blocks"] = site.blocks;
        }
        out["sites"].push_back(std::move(made));
    }
    return out;
}

struct Renderer {
    Json operator()(const StopReport& r) const {
        Json out{{"kind", "stop"}, {"reason", word(r.stop.reason)}, {"why", r.why}};
        if (!r.stop.breakpoints.empty()) out["breakpoints"] = r.stop.breakpoints;
        if (r.stop.reason == StopReason::exited) out["exit_status"] = r.stop.exit_code;
        if (r.stop.signal) out["signal"] = r.stop.signal;
        if (r.stop.is_fault) out["fault_address"] = address_text(r.stop.fault_address.value);
        if (!r.function.empty()) {
            out["function"] = r.function;
            out["address"] = address_text(r.address);
            out["next_to_run"] = r.next_to_run;
            out["thread"] = r.stop.thread;
        }
        if (r.line) {
            out["file"] = r.file;
            out["line"] = r.line;
            out["line_state"] = word(r.line_state);
        }
        if (!r.instruction.empty()) out["instruction"] = r.instruction;
        if (r.stop.reason == StopReason::event) out["cause"] = cause_word(r.stop.cause);
        if (r.process) out["process_number"] = r.process;
        if (r.thread) out["thread_number"] = r.thread;
        if (!r.calls.empty()) out["calls"] = values(r.calls);
        for (const StopFact& fact : r.stop.facts) out["facts"].push_back({{"label", fact.label}, {"text", fact.text}});
        for (const WatchReport& watch : r.watched) {
            Json made{{"number", watch.number}, {"expression", watch.expression}, {"written", watch.is_write}, {"before", watch.before}, {"after", watch.after}, {"function", watch.function}};
            if (watch.line) {
                made["file"] = watch.file;
                made["line"] = watch.line;
            }
            if (!watch.by.empty()) made["by"] = watch.by;
            if (watch.from_line) made["from"] = {{"function", watch.from}, {"file", watch.from_file}, {"line", watch.from_line}};
            out["watched"].push_back(std::move(made));
        }
        if (r.returned) out["returned"] = value(*r.returned);
        if (r.returned_number) out["returned_result"] = r.returned_number;
        if (r.stop.left_function) out["left_function"] = true;
        if (!r.stop.unreached.empty()) out["unreached"] = r.stop.unreached;
        Json changes = Json::array();
        for (const ValueChange& change : r.changes) {
            Json made{{"name", change.name}, {"before", change.before}, {"after", change.after}};
            if (change.was_unset) made["was_unset"] = true;
            changes.push_back(std::move(made));
        }
        out["changed"] = std::move(changes);
        if (r.more_changes) out["more_changes"] = r.more_changes;
        Json pins = Json::array();
        for (const PinReport& pin : r.pins) {
            Json made{{"number", pin.number}, {"text", pin.text}};
            if (pin.value) made["value"] = value(*pin.value);
            if (!pin.problem.empty()) made["problem"] = pin.problem;
            if (!pin.before.empty()) made["before"] = pin.before;
            pins.push_back(std::move(made));
        }
        out["pins"] = std::move(pins);
        if (!r.source.rows.empty()) out["source"] = source_rows(r.source);
        if (r.source.is_stale) out["stale"] = true;
        if (!r.warning.empty()) out["warning"] = r.warning;
        if (!r.suggestion.empty()) out["suggestion"] = advice_text(r.suggestion);
        out["target_stops"] = r.stop.target_stops;
        return out;
    }
    Json operator()(const SourceReport& r) const {
        Json out{{"kind", "source"}, {"file", r.file}, {"found_at", r.found_at}, {"stale", r.is_stale}};
        if (r.current_line) out["current_line"] = r.current_line;
        out["rows"] = source_rows(r);
        return out;
    }
    Json operator()(const LocalsReport& r) const {
        return {{"kind", "locals"}, {"frame", r.level}, {"function", r.function}, {"file", r.file}, {"line", r.line}, {"variables", values(r.variables)}};
    }
    Json operator()(const GlobalsReport& r) const {
        Json out{{"kind", "globals"}, {"running", r.is_running}, {"total", r.total}, {"variables", values(r.variables)}};
        if (r.of_library) out["of_library"] = r.of_library;
        return out;
    }
    Json operator()(const StackReport& r) const {
        Json rows = Json::array();
        for (const StackRow& row : r.rows) {
            Json made{{"level", row.level}, {"function", row.function}, {"address", address_text(row.address)}, {"found_by", word(row.origin)}};
            if (row.line) {
                made["file"] = row.file;
                made["line"] = row.line;
            }
            if (!row.module.empty()) made["module"] = row.module;
            if (row.repeats > 1) made["repeats"] = row.repeats;
            if (row.cycle > 1) made["cycle"] = row.cycle;
            if (row.words_skipped) made["words_skipped"] = row.words_skipped;
            if (row.is_folded) made["folded"] = true;
            if (row.is_left_out) made["left_out"] = true;
            if (!row.folded_of.empty()) made["folded_of"] = row.folded_of;
            for (const ParameterSpan& span : row.spans) made["spans"].push_back({{"name", span.name}, {"low", span.low}, {"high", span.high}});
            if (row.is_inlined) made["inlined"] = true;
            if (row.is_signal_frame) made["signal_frame"] = true;
            if (row.is_selected) made["selected"] = true;
            made["parameters"] = values(row.parameters);
            rows.push_back(std::move(made));
        }
        Json out{{"kind", "stack"}, {"thread", r.thread}, {"thread_number", r.thread_number}, {"frames", std::move(rows)}, {"total", r.total}, {"cut", r.is_cut}};
        if (!r.why_ended.empty()) out["ended_because"] = r.why_ended;
        for (const auto& each : r.candidates) out["candidates"].push_back({{"at", address_text(each.at)}, {"leads_to", address_text(each.leads_to)}, {"name", each.name}});
        return out;
    }
    Json operator()(const ValueReport& r) const {
        Json out{{"kind", "value"}, {"expression", r.expression}, {"value", value(r.value)}};
        if (r.number) out["result"] = r.number;
        if (!r.note.empty()) out["note"] = r.note;
        return out;
    }
    Json operator()(const ChangeReport& r) const {
        Json out{{"kind", "change"}, {"place", r.place}, {"before", r.before}, {"after", r.after}};
        if (!r.warning.empty()) out["warning"] = r.warning;
        return out;
    }
    Json operator()(const ExplainReport& r) const {
        Json out{{"kind", "explanation"}, {"expression", r.expression}, {"what", r.what}, {"type", r.type}, {"size", r.size}, {"value", value(r.value)}};
        if (!r.stands_for.empty()) out["stands_for"] = r.stands_for;
        if (!r.declared_in.empty()) out["declared_in"] = r.declared_in;
        if (r.declared_line) out["declared_line"] = r.declared_line;
        if (!r.scope.empty()) out["scope"] = r.scope;
        if (!r.address_is.empty()) out["address_is"] = r.address_is;
        out["places"] = Json::array();
        for (const ExplainedPlace& place : r.places) {
            Json made{{"place", place.place}, {"here", place.is_here}};
            if (place.high.value) {
                made["from"] = address_text(place.low.value);
                made["to"] = address_text(place.high.value);
            }
            if (place.first_line) made["lines"] = {place.first_line, place.last_line};
            out["places"].push_back(std::move(made));
        }
        out["same_name"] = Json::array();
        for (const ExplainedName& name : r.names)
            out["same_name"].push_back({{"name", name.chosen}, {"what", name.what}, {"value", name.value}, {"declared_line", name.line}, {"meant", name.is_meant}});
        return out;
    }
    Json operator()(const BreakpointsReport& r) const {
        Json all = Json::array();
        for (const Breakpoint& b : r.breakpoints) all.push_back(breakpoint(b));
        return {{"kind", "breakpoints"}, {"breakpoints", std::move(all)}};
    }
    Json operator()(const BreakpointSet& r) const {
        Json out{{"kind", "breakpoint-set"}, {"breakpoint", breakpoint(r.breakpoint)}};
        if (!r.note.empty()) out["note"] = r.note;
        return out;
    }
    Json operator()(const StepLine& r) const {
        Json out{{"kind", "step"}, {"file", r.stop.file}, {"line", r.stop.line}, {"changed", Json::array()}};
        for (const ValueChange& change : r.stop.changes) out["changed"].push_back({{"name", change.name}, {"before", change.before}, {"after", change.after}});
        return out;
    }
    Json operator()(const NotesReport& r) const {
        Json columns = Json::array(), rows = Json::array();
        for (const auto& column : r.columns) columns.push_back({{"note", column.note}, {"expression", column.expression}, {"place", column.place}});
        struct Plain {
            Json operator()(std::monostate) const { return nullptr; }
            Json operator()(const std::string& text) const { return text; }
            Json operator()(double number) const { return number; }
            Json operator()(std::int64_t number) const { return number; }
            Json operator()(std::uint64_t number) const { return number; }
        };
        for (const NoteRow& row : r.rows) {
            Json values = Json::array();
            for (const NotedValue& each : row.values) values.push_back(std::visit(Plain{}, each));
            rows.push_back({{"seconds", row.seconds}, {"thread", row.thread}, {"note", row.note}, {"hit", row.hit}, {"values", std::move(values)}});
            if (r.is_of_several_processes) rows.back()["process"] = std::max(row.process, 1u);
        }
        return {{"kind", "notes"}, {"total", r.total}, {"columns", std::move(columns)}, {"rows", std::move(rows)}};
    }
    Json operator()(const SignalsReport& r) const {
        static constexpr const char* kRules[] = {"natural", "pass", "swallow", "pause"};
        Json rows = Json::array();
        for (const SignalRow& row : r.rows)
            rows.push_back({{"number", row.number}, {"name", row.name}, {"rule", kRules[static_cast<int>(row.rule)]}, {"stops", row.stops}, {"passed", row.passes}, {"meaning", row.meaning}});
        return {{"kind", "signals"}, {"signals", std::move(rows)}};
    }
    Json operator()(const RegistersReport& r) const { return machine_json(r); }
    Json operator()(const DisassemblyReport& r) const { return machine_json(r); }
    Json operator()(const MemoryReport& r) const { return machine_json(r); }
    Json operator()(const RegionsReport& r) const { return machine_json(r); }
    Json operator()(const MemoryFindReport& r) const { return machine_json(r); }
    Json operator()(const MemoryCompareReport& r) const { return machine_json(r); }
    Json operator()(const WordsReport& r) const { return machine_json(r); }
    Json operator()(const ProcessesReport& r) const {
        Json rows = Json::array();
        for (const ProcessFact& row : r.rows) rows.push_back({{"number", row.number}, {"id", row.id}, {"program", row.program}, {"selected", row.is_selected}});
        return {{"kind", "processes"}, {"processes", std::move(rows)}};
    }
    Json operator()(const ThreadsReport& r) const {
        Json rows = Json::array();
        for (const ThreadRow& row : r.rows) {
            Json made{{"number", row.number}, {"id", row.id}, {"name", row.name}, {"state", row.state}, {"function", row.function}, {"frame", row.level}, {"address", address_text(row.address)}};
            if (row.line) {
                made["file"] = row.file;
                made["line"] = row.line;
            }
            if (!row.waits_for.empty()) made["waits_for"] = row.waits_for;
            if (row.is_selected) made["selected"] = true;
            rows.push_back(std::move(made));
        }
        Json out{{"kind", "threads"}, {"threads", std::move(rows)}};
        if (!r.warning.empty()) out["warning"] = r.warning;
        return out;
    }
    Json operator()(const PinsReport& r) const {
        Json all = Json::array();
        for (const Pin& pin : r.pins) all.push_back({{"number", pin.number}, {"text", pin.text}});
        return {{"kind", "pins"}, {"pins", std::move(all)}};
    }
    Json operator()(const FindReport& r) const {
        Json found = Json::array();
        for (const FoundName& name : r.found) {
            Json made{{"name", name.name}};
            if (!name.detail.empty()) made["detail"] = name.detail;
            if (!name.file.empty()) made["file"] = name.file;
            if (name.line) made["line"] = name.line;
            if (!name.addresses.empty()) {
                Json all = Json::array();
                for (std::uint64_t address : name.addresses) all.push_back(address_text(address));
                made["addresses"] = std::move(all);
            }
            if (name.has_no_own_code) made["no_own_code"] = true;
            found.push_back(std::move(made));
        }
        Json out{{"kind", "find"}, {"what", r.what}, {"pattern", r.pattern}, {"total", r.total}, {"found", std::move(found)}};
        if (r.of_library) out["of_library"] = r.of_library;
        if (!r.within.empty()) out["within"] = r.within;
        if (!r.note.empty()) out["note"] = r.note;
        return out;
    }
    Json operator()(const CodeReport& r) const {
        Json sites = Json::array(), blocks = Json::array();
        for (const auto& site : r.sites) {
            Json made{{"address", address_text(site.address)}, {"function", site.function}, {"module", site.module}};
            if (site.line) {
                made["file"] = site.file;
                made["line"] = site.line;
            }
            if (!site.inlined_into.empty()) made["inlined_into"] = site.inlined_into;
            sites.push_back(std::move(made));
        }
        for (const auto& block : r.blocks) {
            Json made{{"low", address_text(block.low)}, {"high", address_text(block.high)}, {"function", block.function}};
            if (!block.inlined_into.empty()) made["inlined_into"] = block.inlined_into;
            blocks.push_back(std::move(made));
        }
        return {{"kind", "code"}, {"place", r.place}, {"sites", std::move(sites)}, {"blocks", std::move(blocks)}};
    }
    Json operator()(const AddressReport& r) const {
        Json frames = Json::array();
        for (const CodeFrame& frame : r.frames) {
            Json made{{"function", frame.function}, {"inlined", frame.is_inlined}};
            if (frame.line) {
                made["file"] = frame.file;
                made["line"] = frame.line;
            }
            if (frame.column) made["column"] = frame.column;
            frames.push_back(std::move(made));
        }
        return {{"kind", "address"}, {"address", address_text(r.address)}, {"module", r.module}, {"file_address", address_text(r.file_address)},
                {"section", r.section}, {"symbol", r.symbol}, {"offset", r.offset}, {"frames", std::move(frames)}};
    }
    Json operator()(const TypeReport& r) const {
        static constexpr const char* kKinds[] = {"member", "base", "virtual-base", "vtable-pointer", "static", "padding", "variant", "discriminant"};
        Json rows = Json::array(), enumerators = Json::array();
        for (const TypeRow& row : r.rows) {
            Json made{{"what", kKinds[static_cast<int>(row.kind)]}, {"depth", row.depth}, {"size", row.size}};
            if (!row.name.empty()) made["name"] = row.name;
            if (!row.type.empty()) made["type"] = row.type;
            if (row.offset) made["offset"] = *row.offset;
            if (row.bit_size) {
                made["bits"] = row.bit_size;
                made["bit_offset"] = row.bit_offset;
            }
            if (!row.value.empty()) made["value"] = row.value;
            rows.push_back(std::move(made));
        }
        for (const auto& one : r.enumerators) enumerators.push_back({{"name", one.name}, {"value", one.value}});
        Json out{{"kind", "type"}, {"name", r.name}, {"wording", r.wording}, {"size", r.size}, {"padding", r.padding}, {"incomplete", r.is_incomplete},
                 {"rows", std::move(rows)}, {"enumerators", std::move(enumerators)}, {"methods", r.methods}, {"others", r.others}};
        if (r.virtual_bases_from) out["virtual_bases_from"] = *r.virtual_bases_from;
        if (r.line) {
            out["file"] = r.file;
            out["line"] = r.line;
        }
        return out;
    }
    static Json survey(const Survey& s) {
        Json groups = Json::array(), sections = Json::array(), sources = Json::array(), weaknesses = Json::array();
        for (const SurveyGroup& g : s.groups)
            groups.push_back({{"language", g.language}, {"compiler", g.compiler}, {"optimisation", g.optimisation}, {"optimisation_source", g.optimisation_source},
                              {"dwarf_version", g.dwarf_version}, {"units", g.units}, {"functions", g.functions}, {"code_bytes", g.code_bytes}});
        for (const SurveySection& e : s.sections) {
            Json made{{"name", e.name}, {"stored", e.stored}, {"size", e.size}, {"debug", e.is_debug}};
            if (!e.compression.empty()) made["compression"] = e.compression;
            sections.push_back(std::move(made));
        }
        static constexpr const char* kStates[] = {"good", "missing", "newer", "different"};
        for (const SurveySource& e : s.sources) sources.push_back({{"path", e.path}, {"state", kStates[static_cast<int>(e.state)]}, {"checksum", e.has_checksum}});
        for (const SurveyWeakness& w : s.weaknesses) weaknesses.push_back({{"what", w.what}, {"advice", w.advice}});
        Json out{{"path", s.path}, {"file_size", s.file_size}, {"built_at", s.built_at}, {"program_kind", s.kind}, {"dynamic", s.is_dynamic}, {"build_id", s.build_id},
                 {"symbol_table", s.has_symbol_table}, {"debug_information", s.has_symbols}, {"debug_information_from", s.symbols_from}, {"refused", s.refused},
                 {"problems", s.problems}, {"units", s.units}, {"type_units", s.type_units}, {"partial_units", s.partial_units}, {"split_files", s.split_files},
                 {"missing_split_files", s.missing_split_files}, {"indexes", s.address_indexes}, {"groups", std::move(groups)}, {"sections", std::move(sections)},
                 {"debug_bytes", s.debug_bytes}, {"separate_bytes", s.separate_bytes}, {"sources", std::move(sources)}, {"weaknesses", std::move(weaknesses)}};
        out["functions"] = {{"with_code", s.functions}, {"inlined_away", s.inlined_away}, {"inlined_calls", s.inlined_calls}, {"frame_pointer_kept", s.frame_pointer_kept}, {"frame_pointer_looked_at", s.frame_pointer_looked_at}};
        out["variables"] = {{"total", s.variables}, {"everywhere", s.variables_everywhere}, {"partly", s.variables_partly}, {"nowhere", s.variables_nowhere}, {"coverage", s.variable_coverage}};
        for (auto [name, value] : {std::pair{"separate_file", &s.separate_file}, {"shared_file", &s.shared_file}, {"package", &s.package}})
            if (!value->empty()) out[name] = *value;
        return out;
    }
    Json operator()(const SurveyReport& r) const {
        Json programs = Json::array();
        for (const Survey& s : r.programs) programs.push_back(survey(s));
        return {{"kind", "survey"}, {"programs", std::move(programs)}};
    }
    Json operator()(const HelpReport& r) const {
        Json groups = Json::array();
        for (const auto& group : r.groups) {
            Json entries = Json::array();
            for (const HelpEntry& entry : group.entries) entries.push_back({{"usage", entry.usage}, {"summary", entry.summary}});
            groups.push_back({{"title", group.title}, {"commands", std::move(entries)}});
        }
        return {{"kind", "help"}, {"title", r.title}, {"text", r.text}, {"groups", std::move(groups)}};
    }
    Json operator()(const Notice& r) const {
        return {{"kind", "notice"}, {"level", r.kind == Notice::Kind::warning ? "warning" : "done"}, {"text", r.text}};
    }
    Json operator()(const Failure& r) const {
        Json out{{"kind", "error"}, {"what", r.what}};
        if (!r.advice.empty()) out["advice"] = r.advice;
        if (r.column) out["column"] = r.column;
        if (!r.expression.empty()) out["expression"] = r.expression;
        if (!r.script.empty()) {
            out["script"] = r.script;
            out["script_line"] = r.line;
        }
        return out;
    }
};

std::string line_of(const Json& json) {
    // Names and source text may hold any bytes; what is no UTF-8 is replaced, never an exception.
    return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

}  // namespace

std::string json_of(const View& view) {
    return line_of(std::visit(Renderer{}, view));
}

std::string json_of_command(const std::string& line) {
    return line_of(Json{{"kind", "command"}, {"line", line}});
}

std::string json_of_answer(unsigned number, const std::string& line, bool worked) {
    return line_of(Json{{"kind", "answer"}, {"command", number}, {"line", line}, {"worked", worked}});
}

}  // namespace lantern::cli
