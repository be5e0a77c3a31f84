// Values as text: one variable a line in lists, a tree where one value is asked for.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/value_report.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern::cli {

std::string no_value_text(const ValueView& view) {
    if (!view.recovered.empty())
        return fmt::format("no value here; by the source {} ({})", view.recovered,
                           view.recovered_from);
    if (!view.last.empty()) return fmt::format("no value here; {} {}", view.last, view.last_from);
    return "no value: " + view.unavailable;
}

namespace {

std::string value_or_reason(const ValueView& view, std::size_t longest, const Style& style) {
    if (!view.unavailable.empty()) return style.faint(no_value_text(view));
    return one_line(view, longest);
}

struct ValueColumns {
    std::size_t name = 0, value = 0;
};

ValueColumns measure(const std::vector<ValueView>& views) {
    ValueColumns columns;
    for (const ValueView& view : views) {
        columns.name =
            std::max(columns.name,
                     display_width(view.name) +
                         (view.is_shadowed ? 1 + std::to_string(view.declared_line).size() : 0));
        if (view.unavailable.empty())
            columns.value = std::max(columns.value, display_width(one_line(view, 60)));
    }
    columns.name = std::min<std::size_t>(columns.name, 28);
    columns.value = std::min<std::size_t>(columns.value, 36);
    return columns;
}

// A shadowed variable is shown under the name that reaches it.
std::string shown_name(const ValueView& view) {
    return view.is_shadowed ? fmt::format("{}#{}", view.name, view.declared_line) : view.name;
}

std::string variable_line(const ValueView& view, const ValueColumns& columns, const Style& style) {
    std::string line = fmt::format(
        "  {}  {}  {}", padded(escape_for_display(shown_name(view)), columns.name),
        padded(value_or_reason(view, 90, style), columns.value), style.faint(view.type));
    std::vector<std::string> notes;
    if (std::string remark = qualification_with_parts(view); !remark.empty())
        notes.push_back(remark);
    if (view.is_shadowed) notes.push_back("hidden by the inner one of the same name");
    if (view.is_captured) notes.push_back("captured by the lambda");
    for (const std::string& note : notes) line += "  " + style.warning(note);
    return line + "\n";
}

bool is_array_of_scalars(const ValueView& view) {
    return view.is_list() &&
           std::none_of(view.children.begin(), view.children.end(), [](const ValueView& c) {
               return c.has_children() || c.name.starts_with("0x");
           });
}

void append_more(const ValueView& view, const std::string& indent, std::string& out) {
    if (!view.more) return;
    std::uint64_t next = view.first + view.children.size();
    std::string advice =
        view.children.empty()
            ? ""
            : fmt::format("; 'from {}' goes on there, 'all' shows everything", next);
    out += fmt::format("{}… {} more{}\n", indent, with_thousands(view.more), advice);
}

// Elements in rows, each row led by the index of its first; equal neighbours are counted.
void append_rows(const ValueView& view, const std::string& indent, std::string& out,
                 const Style& style) {
    constexpr std::size_t kRow = 84;
    std::size_t label_width = view.children.empty() ? 0 : display_width(view.children.back().name);
    std::string row;
    for (std::size_t i = 0; i < view.children.size();) {
        std::size_t same = i + 1;
        auto content = [](const ValueView& v) { return one_line(v); };
        while (same < view.children.size() &&
               content(view.children[same]) == content(view.children[i]))
            ++same;
        bool fold = same - i >= 4;
        std::string text = content(view.children[i]) + (fold ? fmt::format(" × {}", same - i) : "");
        if (!row.empty() && display_width(row) + display_width(text) + 2 > kRow) {
            out += row + "\n";
            row.clear();
        }
        row += row.empty()
                   ? indent + style.faint(padded(view.children[i].name, label_width)) + "  " + text
                   : ", " + text;
        i = fold ? same : i + 1;
    }
    if (!row.empty()) out += row + "\n";
    append_more(view, indent, out);
}

void append_broken(const ValueView& view, const std::string& indent, std::string& out,
                   const Style& style) {
    if (!view.broken.empty()) out += indent + style.warning("broken: " + view.broken) + "\n";
}

// Types of the library's inside are long and rarely what is looked for.
std::string brief_type(const std::string& type) {
    constexpr std::size_t kLongest = 64;
    if (display_width(type) <= kLongest) return type;
    std::size_t end = kLongest - 1;
    while (end > 0 && (static_cast<unsigned char>(type[end]) & 0xc0) == 0x80)
        --end;  // not in the middle of a character
    return type.substr(0, end) + "…";
}

std::string child_name(const ValueView& view, const ValueView& child) {
    if (view.arrangement == Arrangement::target) return "→";
    return child.name.empty() ? "(unnamed)" : child.name;
}

void append_tree(const ValueView& view, const std::string& indent, std::string& out,
                 const Style& style) {
    if (is_array_of_scalars(view)) {
        append_rows(view, indent, out, style);
        append_broken(view, indent, out, style);
        return;
    }
    ValueColumns columns = measure(view.children);
    for (const ValueView& child : view.children) {
        bool has_value = !is_unset(child.assignment);
        bool opens = has_value && child.has_children() && display_width(one_line(child, 120)) > 60;
        std::string shown = opens       ? child.text
                            : has_value ? value_or_reason(child, 200, style)
                                        : style.warning(word_for_unset(child));
        std::string name = padded(escape_for_display(child_name(view, child)), columns.name);
        std::string doubt = opens ? child.doubt : qualification_with_parts(child);
        if (!has_value) doubt.clear();  // the word says it
        out += fmt::format("{}{}  {}{}{}\n", indent, name,
                           shown.empty() ? "" : padded(shown, opens ? 0 : columns.value) + "  ",
                           style.faint(brief_type(child.type)),
                           doubt.empty() ? "" : "  " + style.warning(doubt));
        if (opens) append_tree(child, indent + "    ", out, style);
    }
    append_more(view, indent, out);
    append_broken(view, indent, out, style);
}

}  // namespace

std::string value_text(const ValueReport& report, const Style& style) {
    const ValueView& view = report.value;
    std::string label = report.number ? fmt::format("@{}", report.number) : "";
    std::string expression = escape_for_display(report.expression);
    std::string notes;
    if (std::string q = qualification(view); !q.empty()) notes += "  " + style.warning(q);
    if (!report.note.empty()) notes += "  " + style.warning(report.note);
    if (!view.unavailable.empty())
        return fmt::format("{} {}: {}  {}{}\n", style.strong(label), expression,
                           no_value_text(view), style.faint(view.type), notes);
    if (!view.detail.empty()) notes += "  " + style.faint(view.detail);
    bool in_rows =
        view.is_list() && !view.children.empty() && view.children[0].name.starts_with("0x");
    // A few values fit beside the name; a structure is easier to read with a line for each member.
    bool brief = display_width(one_line(view, 120)) <= 60 &&
                 view.arrangement != Arrangement::fields && view.children.size() > 0 &&
                 view.more == 0 && !in_rows;
    if (!view.has_children() || brief)
        return fmt::format("{} {} = {}  {}{}\n", style.strong(label), expression,
                           one_line(view, 4000), style.faint(view.type), notes);
    std::string text = view.text.empty() ? "" : " = " + view.text;
    std::string out = fmt::format("{} {}{}  {}{}\n", style.strong(label), expression, text,
                                  style.faint(view.type), notes);
    append_tree(view, "    ", out, style);
    return out;
}

std::string locals_text(const LocalsReport& report, const Style& style) {
    std::string where = place_text(report.file, report.line);
    std::string out =
        heading_line(fmt::format("locals of {}", name_text(report.function)), where, style);
    if (report.variables.empty())
        return out + "  none: there are no parameters or locals in scope here\n";
    ValueColumns columns = measure(report.variables);
    for (const ValueView& view : report.variables) out += variable_line(view, columns, style);
    return out;
}

std::string globals_text(const GlobalsReport& report, const Style& style) {
    std::string state = report.is_running ? "" : "as the program starts with them";
    std::string out = heading_line("globals", state, style);
    std::string library =
        report.of_library
            ? style.faint(fmt::format("  and {} of the system's libraries; globals PATTERN lists "
                                      "those that fit, globals in libc those of one",
                                      with_thousands(report.of_library))) +
                  "\n"
            : "";
    if (report.variables.empty()) return out + (library.empty() ? "  none match\n" : library);
    ValueColumns columns = measure(report.variables);
    for (const ValueView& view : report.variables) out += variable_line(view, columns, style);
    if (report.total > report.variables.size())
        out += fmt::format("  … {} more; globals PATTERN narrows them down\n",
                           with_thousands(report.total - report.variables.size()));
    return out + library;
}

}  // namespace lantern::cli
