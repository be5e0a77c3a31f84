// What `became` found out, as text.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/analysis/became_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kSourceWidth = 78;

std::string fact_text(const BecameFact& fact) {
    switch (fact.ground) {
        case BecameFact::Ground::seen: return fact.text;
        case BecameFact::Ground::said: return "the compiler says: " + fact.text;
        case BecameFact::Ground::possible: return "possible: " + fact.text;
    }
    return {};
}

// "9", "9 in 2" places, "none".
std::string code_column(const BecameLine& line) {
    if (line.is_gone()) return "none";
    if (!line.instructions) return "";
    return line.stretches > 1 ? fmt::format("{} in {}", line.instructions, line.stretches)
                              : std::to_string(line.instructions);
}

std::string line_text(const BecameLine& line, const Style& style) {
    constexpr std::size_t kCodeWidth = 12;
    std::string number = line.last_line > line.line
                             ? fmt::format("{}–{}", line.line, line.last_line)
                             : std::to_string(line.line);
    std::string code = padded(code_column(line), kCodeWidth);
    std::string out = padded("", number.size() < 6 ? 6 - number.size() : 0) + number + "  " +
                      (line.is_gone() ? style.warning(code) : code) + "  " +
                      cut(escape_for_display(line.source), kSourceWidth);
    while (out.ends_with(' ')) out.pop_back();
    if (line.is_gone() && line.passed_at)
        out += "  " + style.faint(fmt::format("(passed at {:#x})", line.passed_at));
    out += "\n";
    for (const BecameFact& fact : line.facts)
        out += "                        " + style.faint("· " + fact_text(fact)) + "\n";
    return out;
}

}  // namespace

std::string became_text(const BecameReport& report, const Style& style) {
    std::string out = heading_line(name_text(report.function), short_file(report.file), style);
    out += fmt::format(" {} of {} at {:#x}{}\n", counted(report.instructions, "instruction"),
                       counted(report.bytes, "byte"), report.address,
                       report.parts > 1 ? fmt::format(", in {} parts", report.parts) : "");
    if (report.is_stale)
        out += " " + style.warning("take care") +
               " the source is newer than the program: its statements are left out\n";
    else if (!report.has_source)
        out += " " + style.warning("take care") +
               " the source is not here: what is gone cannot be told\n";
    for (const BecameFact& fact : report.facts) out += " · " + fact_text(fact) + "\n";
    out += style.faint("  line  instructions  source") + "\n";
    for (const BecameLine& line : report.lines) out += line_text(line, style);
    return out;
}

}  // namespace lantern::cli
