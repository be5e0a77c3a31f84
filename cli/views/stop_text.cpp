// A stop as text: why and where on one line, the source around it, what changed, what is pinned.
#include <fmt/format.h>

#include "cli/advice_text.h"
#include "cli/views/own_reports.h"
#include "cli/views/text.h"
#include "core/analysis/stop_report.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kLongestStatement = 72;

std::string labelled(const std::string& label, const std::string& content, const Style& style) {
    return fmt::format(" {} {}\n", style.changed(padded(label, 9)), content);
}

std::string changes_text(const StopReport& report, const Style& style) {
    std::string out;
    std::size_t widest = 0;
    for (const ValueChange& change : report.changes)
        widest = std::max(widest, display_width(change.name));
    for (std::size_t i = 0; i < report.changes.size(); ++i) {
        const ValueChange& change = report.changes[i];
        std::string before = change.was_unset ? "(not set)" : change.before;
        out += labelled(
            i ? "" : "changed",
            fmt::format("{}  {} → {}", padded(change.name, widest), before, change.after), style);
    }
    if (report.more_changes)
        out += labelled("", fmt::format("… {} more; locals shows all", report.more_changes), style);
    return out;
}

std::string pin_text(const PinReport& pin, const Style& style) {
    std::string name = escape_for_display(pin.text);
    if (!pin.value) return style.faint(fmt::format("{} ({})", name, pin.problem));
    std::string now = one_line(*pin.value, 200);
    std::string text = pin.before.empty() ? fmt::format("{} = {}", name, now)
                                          : fmt::format("{}  {} → {}", name, pin.before, now);
    std::string remark = qualification_with_parts(*pin.value);
    return remark.empty() ? text : text + "  " + style.warning(remark);
}

const char* label_of(Touched touched) {
    switch (touched) {
        case Touched::changed:
        case Touched::written_again: return "wrote";
        case Touched::read: return "read";
        case Touched::unsure: break;
    }
    return "touched";
}

// "wrote     level_cm  3 → 7   at lockgates.cpp:42: level_cm += rise;"
std::string watched_text(const StopReport& report, const Style& style) {
    std::string out;
    for (const WatchReport& watch : report.watched) {
        std::string change =
            watch.touched == Touched::changed
                ? fmt::format("{}  {} → {}", escape_for_display(watch.expression), watch.before,
                              watch.after)
                : fmt::format("{} = {}", escape_for_display(watch.expression), watch.after);
        if (watch.touched == Touched::written_again) change += ", as before";
        if (watch.touched == Touched::unsure) change += "  (read, or written with what was there)";
        out += labelled(label_of(watch.touched), change, style);
        std::string place = watch.line ? place_text(watch.file, watch.line) : "code without lines";
        std::string where =
            watch.by.empty()
                ? fmt::format("{} in {}{}{}", place, name_text(watch.function),
                              watch.statement.empty() ? "" : ": ",
                              cut(escape_for_display(watch.statement), kLongestStatement))
                : fmt::format("{}, from {}", watch.by, name_text(watch.function));
        if (watch.from_line)
            where = fmt::format(
                "{}, called by {} at {}", watch.by.empty() ? name_text(watch.function) : watch.by,
                name_text(watch.from), place_text(watch.from_file, watch.from_line));
        out += labelled("by", where, style);
    }
    return out;
}

std::string facts_text(const StopReport& report, const Style& style) {
    std::string out;
    for (const StopFact& fact : report.stop.facts)
        out += labelled(fact.label, escape_for_display(fact.text), style);
    return out;
}

}  // namespace

std::string step_line_text(const StepLine& line, const Style& style) {
    const StopReport& report = line.stop;
    std::string source;
    for (const SourceRow& row : report.source.rows)
        if (row.is_current) source = trimmed(row.text);
    std::string out = fmt::format(" {:>5}  {}", report.line, escape_for_display(source));
    std::string changes;
    for (const ValueChange& change : report.changes)
        changes += fmt::format("{}{} {} → {}", changes.empty() ? "" : ", ", change.name,
                               change.was_unset ? "(not set)" : change.before, change.after);
    if (changes.empty()) return out + "\n";
    return padded(out, 50) + "  " + style.changed(changes) + "\n";
}

std::string stop_text(const StopReport& report, const Style& style) {
    if (report.stop.is_end() || report.function.empty()) {
        std::string out = heading_line(report.why, "", style) + facts_text(report, style);
        if (!report.warning.empty())
            out += " " + style.warning("take care") + " " + report.warning + "\n";
        if (!report.suggestion.empty())
            out += style.faint(" next      ") + advice_text(report.suggestion) + "\n";
        return out;
    }
    std::string where = report.file.empty() ? fmt::format("{:#x}", report.address)
                                            : place_text(report.file, report.line);
    if (report.process) where += fmt::format(" ─ process {}", report.process);
    if (report.thread) where += fmt::format(" ─ thread {}", report.thread);
    std::string out = heading_line(
        fmt::format("{} ─ {}", report.headline, name_text(report.function)), where, style);
    if (report.headline != report.why) out += " " + style.warning(report.why) + "\n";
    if (report.source.rows.empty()) {
        out += " " + style.next_line("◆ " + report.next_to_run) + "\n";
        if (!report.instruction.empty())
            out += fmt::format("   {:#x}  {}\n", report.address, report.instruction);
    } else {
        out += source_rows_text(report.source, style);
    }
    out += watched_text(report, style) + facts_text(report, style);
    for (std::size_t i = 0; i < report.calls.size(); ++i) {
        const ValueView& call = report.calls[i];
        std::string value = call.unavailable.empty() ? one_line(call, 200) : call.unavailable;
        out += labelled(i ? "" : "calls",
                        fmt::format("{} returned {}", name_text(call.name), value), style);
    }
    if (report.returned) {
        std::string value = report.returned->unavailable.empty() ? one_line(*report.returned, 200)
                                                                 : report.returned->unavailable;
        bool is_void = report.returned->type == "void";
        std::string number =
            report.returned_number ? fmt::format(" (@{})", report.returned_number) : "";
        if (!is_void)
            out += labelled(
                "returned",
                fmt::format("{} from {}{}", value, name_text(report.returned->name), number),
                style);
    }
    out += changes_text(report, style);
    bool first = true;
    for (const PinReport& pin : report.pins) {
        if (pin.is_view) continue;
        out += labelled(first ? "pinned" : "", pin_text(pin, style), style);
        first = false;
    }
    if (!report.warning.empty())
        out += " " + style.warning("take care") + " " + report.warning + "\n";
    if (!report.suggestion.empty())
        out += style.faint(" next      ") + advice_text(report.suggestion) + "\n";
    return out;
}

}  // namespace lantern::cli
