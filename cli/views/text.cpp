#include "cli/views/text.h"

#include <fmt/format.h>

#include <filesystem>

#include "cli/views/diagnosis.h"
#include "cli/views/reports.h"
#include "cli/views/survey.h"
#include "core/support/text.h"

namespace lantern::cli {

std::string padded(const std::string& text, std::size_t width) {
    std::size_t used = display_width(text);
    return used >= width ? text : text + std::string(width - used, ' ');
}

std::string cut(const std::string& text, std::size_t width) {
    if (display_width(text) <= width) return text;
    std::size_t columns = 0, end = 0;
    for (; end < text.size(); ++end) {
        bool starts_character = (static_cast<unsigned char>(text[end]) & 0xc0) != 0x80;
        if (starts_character && ++columns == width) break;
    }
    return text.substr(0, end) + "…";
}

std::string name_text(const std::string& function) {
    return escape_for_display(
        function.find('<') == std::string::npos ? function : readable_type_name(function, false));
}

std::string short_file(const std::string& path) {
    return escape_for_display(std::filesystem::path(path).filename().string());
}

std::string place_text(const std::string& file, std::uint32_t line) {
    return file.empty() ? "" : fmt::format("{}:{}", short_file(file), line);
}

// "left ─────────── right ──" to the width of the output.
std::string heading_line(const std::string& left, const std::string& right, const Style& style) {
    std::size_t width = std::min(style.width, 100u);
    if (std::size_t beside = display_width(right) + 8;
        style.folds && display_width(left) + beside > style.width && style.width > beside + 8)
        return heading_line(cut(left, style.width - beside), right, style);
    std::size_t used = display_width(left) + display_width(right) + 5;
    std::string rule;
    for (std::size_t i = used; i < width; ++i) rule += "─";
    if (rule.empty()) rule = "─";
    std::string tail = right.empty() ? "───" : " " + right + " ──";
    return style.heading(left + " ") + style.faint(rule) + style.heading(tail) + "\n";
}

std::string qualification(const ValueView& view) {
    if (!view.doubt.empty()) return view.doubt;
    return std::string(remark_on_assignment(view.assignment));
}

namespace {

void add_doubts(const ValueView& view, const std::string& path, std::vector<std::string>& doubts) {
    for (const ValueView& child : view.children) {
        std::string name = path.empty() ? child.name : path + "." + child.name;
        if (!child.doubt.empty())
            doubts.push_back(fmt::format("{}: {}", escape_for_display(name), child.doubt));
        else if (child.arrangement == Arrangement::fields)
            add_doubts(child, name, doubts);
    }
}

}  // namespace

std::string doubts_about(const ValueView& view) {
    constexpr std::size_t kMost = 2;
    if (!view.doubt.empty() || view.arrangement != Arrangement::fields) return view.doubt;
    std::vector<std::string> doubts;
    add_doubts(view, "", doubts);
    std::size_t more = doubts.size() > kMost ? doubts.size() - kMost : 0;
    doubts.resize(doubts.size() - more);
    std::string text = fmt::format("{}", fmt::join(doubts, "; "));
    return more ? fmt::format("{}; and {} more parts", text, more) : text;
}

std::string qualification_with_parts(const ValueView& view) {
    std::string own = qualification(view);
    return own.empty() ? doubts_about(view) : own;
}

namespace {

std::string notice_text(const Notice& notice, const Style& style) {
    if (notice.kind == Notice::Kind::warning)
        return style.warning("take care: ") + notice.text + "\n";
    return notice.text + "\n";
}

std::string change_text(const ChangeReport& report, const Style& style) {
    std::string warning =
        report.warning.empty() ? "" : "  " + style.warning("but " + report.warning);
    return fmt::format(" {}   {}  {} → {}{}\n", style.changed("changed"),
                       escape_for_display(report.place), report.before, report.after, warning);
}

std::string pins_text(const PinsReport& report, const Style& style) {
    if (report.pins.empty()) return "nothing is pinned; pin EXPR shows its value at every stop\n";
    std::string out = heading_line("pinned", "", style);
    for (const Pin& pin : report.pins)
        out += fmt::format("{:>3}  {}\n", pin.number, escape_for_display(pin.text));
    return out;
}

struct TextRenderer {
    const Style& style;
    std::string operator()(const StopReport& r) const { return stop_text(r, style); }
    std::string operator()(const SourceReport& r) const { return source_text(r, style); }
    std::string operator()(const LocalsReport& r) const { return locals_text(r, style); }
    std::string operator()(const GlobalsReport& r) const { return globals_text(r, style); }
    std::string operator()(const StackReport& r) const { return stack_text(r, style); }
    std::string operator()(const ValueReport& r) const { return value_text(r, style); }
    std::string operator()(const BecameReport& r) const { return became_text(r, style); }
    std::string operator()(const ExplainReport& r) const { return explain_text(r, style); }
    std::string operator()(const ChangeReport& r) const { return change_text(r, style); }
    std::string operator()(const BreakpointsReport& r) const { return breakpoints_text(r, style); }
    std::string operator()(const NewBreakpoint& r) const { return breakpoint_set_text(r, style); }
    std::string operator()(const StepLine& r) const { return step_line_text(r, style); }
    std::string operator()(const NotesReport& r) const { return notes_text(r, style); }
    std::string operator()(const SignalsReport& r) const { return signals_text(r, style); }
    std::string operator()(const RegistersReport& r) const { return registers_text(r, style); }
    std::string operator()(const DisassemblyReport& r) const { return disassembly_text(r, style); }
    std::string operator()(const MemoryReport& r) const { return memory_text(r, style); }
    std::string operator()(const RegionsReport& r) const { return regions_text(r, style); }
    std::string operator()(const MemoryFindReport& r) const { return memory_find_text(r, style); }
    std::string operator()(const MemoryCompareReport& r) const {
        return memory_compare_text(r, style);
    }
    std::string operator()(const WordsReport& r) const { return words_text(r, style); }
    std::string operator()(const HeapReport& r) const { return heap_text(r, style); }
    std::string operator()(const HeapBlocksReport& r) const { return heap_blocks_text(r, style); }
    std::string operator()(const HeapTypesReport& r) const { return heap_types_text(r, style); }
    std::string operator()(const HeapCheckReport& r) const { return heap_check_text(r, style); }
    std::string operator()(const HeapLeaksReport& r) const { return heap_leaks_text(r, style); }
    std::string operator()(const HeapPathReport& r) const { return heap_path_text(r, style); }
    std::string operator()(const Diagnosis& r) const { return diagnosis_text(r, style); }
    std::string operator()(const HeapGrowthReport& r) const { return heap_growth_text(r, style); }
    std::string operator()(const HeapLifeReport& r) const { return heap_life_text(r, style); }
    std::string operator()(const HeapPlacesReport& r) const { return heap_places_text(r, style); }
    std::string operator()(const HeapRunReport& r) const { return heap_run_text(r, style); }
    std::string operator()(const ProcessesReport& r) const { return processes_text(r, style); }
    std::string operator()(const ThreadsReport& r) const { return threads_text(r, style); }
    std::string operator()(const PinsReport& r) const { return pins_text(r, style); }
    std::string operator()(const FindReport& r) const { return find_text(r, style); }
    std::string operator()(const CodeReport& r) const { return code_text(r, style); }
    std::string operator()(const AddressReport& r) const { return address_text(r, style); }
    std::string operator()(const SurveyReport& r) const { return survey_text(r, style); }
    std::string operator()(const ComparisonReport& r) const { return comparison_text(r, style); }
    std::string operator()(const StructureReport& r) const { return structure_text(r, style); }
    std::string operator()(const NumbersReport& r) const { return numbers_text(r, style); }
    std::string operator()(const PlotReport& r) const { return plot_text(r, style); }
    std::string operator()(const TypeReport& r) const { return type_report_text(r, style); }
    std::string operator()(const HelpReport& r) const { return help_text(r, style); }
    std::string operator()(const Notice& r) const { return notice_text(r, style); }
    std::string operator()(const Failure& r) const { return failure_text(r, style); }
};

template <class Report>
std::string text_of_a(const View& view, const Style& style) {
    return TextRenderer{style}(*view.as<Report>());
}

template <class... Reports>
std::string text_of_one(const View& view, const Style& style, ReportList<Reports...>) {
    using Render = std::string (*)(const View&, const Style&);
    static constexpr Render kRenders[] = {text_of_a<Reports>...};
    return kRenders[view.place()](view, style);
}

}  // namespace

std::string failure_text(const Failure& failure, const Style& style) {
    std::string out;
    if (!failure.script.empty())
        out += fmt::format("{}:{}: ", escape_for_display(failure.script), failure.line);
    out += style.warning("cannot do that: ") + escape_for_display(failure.what) + "\n";
    if (failure.column && !failure.expression.empty()) {
        out += fmt::format("    {}\n    {}{}\n", escape_for_display(failure.expression),
                           std::string(failure.column - 1, ' '), style.warning("▲ here"));
    }
    if (!failure.advice.empty())
        out += style.faint("    next: ") + escape_for_display(failure.advice) + "\n";
    return out;
}

std::string text_of(const View& view, const Style& style) {
    return text_of_one(view, style, AllReports{});
}

}  // namespace lantern::cli
