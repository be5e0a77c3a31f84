// A stop as text: why and where on one line, the source around it, what changed, what is pinned.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string labelled(const std::string& label, const std::string& content, const Style& style) {
    return fmt::format(" {} {}\n", style.changed(padded(label, 9)), content);
}

std::string changes_text(const StopReport& report, const Style& style) {
    std::string out;
    std::size_t widest = 0;
    for (const ValueChange& change : report.changes) widest = std::max(widest, display_width(change.name));
    for (std::size_t i = 0; i < report.changes.size(); ++i) {
        const ValueChange& change = report.changes[i];
        std::string before = change.was_unset ? "(not set)" : change.before;
        out += labelled(i ? "" : "changed", fmt::format("{}  {} → {}", padded(change.name, widest), before, change.after), style);
    }
    if (report.more_changes) out += labelled("", fmt::format("… {} more; locals shows all", report.more_changes), style);
    return out;
}

std::string pin_text(const PinReport& pin, const Style& style) {
    std::string name = escape_for_display(pin.text);
    if (!pin.value) return style.faint(fmt::format("{} ({})", name, pin.problem));
    std::string now = one_line(*pin.value, 200);
    std::string text = pin.before.empty() ? fmt::format("{} = {}", name, now) : fmt::format("{}  {} → {}", name, pin.before, now);
    std::string qualified = qualification(*pin.value);
    return qualified.empty() ? text : text + "  " + style.warning(qualified);
}

}  // namespace

std::string stop_text(const StopReport& report, const Style& style) {
    if (report.stop.is_end() || report.function.empty()) {
        std::string out = heading_line(report.why, "", style);
        if (!report.warning.empty()) out += " " + style.warning("take care") + " " + report.warning + "\n";
        if (!report.suggestion.empty()) out += style.faint(" next      ") + report.suggestion + "\n";
        return out;
    }
    std::string where = report.file.empty() ? fmt::format("{:#x}", report.address) : place_text(report.file, report.line);
    std::string out = heading_line(fmt::format("{} ─ {}", report.headline, escape_for_display(report.function)), where, style);
    if (report.headline != report.why) out += " " + style.warning(report.why) + "\n";
    if (report.source.rows.empty()) {
        out += " " + style.next_line("◆ " + report.next_to_run) + "\n";
        if (!report.instruction.empty()) out += fmt::format("   {:#x}  {}\n", report.address, report.instruction);
    } else {
        out += source_rows_text(report.source, style);
    }
    if (report.returned) {
        std::string value = report.returned->unavailable.empty() ? one_line(*report.returned, 200) : report.returned->unavailable;
        bool is_void = report.returned->type == "void";
        if (!is_void) out += labelled("returned", fmt::format("{} from {}", value, escape_for_display(report.returned->name)), style);
    }
    out += changes_text(report, style);
    bool first = true;
    for (const PinReport& pin : report.pins) {
        if (pin.is_view) continue;
        out += labelled(first ? "pinned" : "", pin_text(pin, style), style);
        first = false;
    }
    if (!report.warning.empty()) out += " " + style.warning("take care") + " " + report.warning + "\n";
    if (!report.suggestion.empty()) out += style.faint(" next      ") + report.suggestion + "\n";
    return out;
}

}  // namespace lantern::cli
