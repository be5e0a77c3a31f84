// What `type` answers, as text: the layout with every byte accounted for.
#include <fmt/format.h>

#include "cli/views/text.h"
#include "core/analysis/type_report.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string size_text(const TypeRow& row) {
    if (row.kind == TypeRow::Kind::variant) return "";
    if (row.bit_size) return fmt::format("{} bit{}", row.bit_size, row.bit_size == 1 ? "" : "s");
    return std::to_string(row.size);
}

std::string offset_text(const TypeRow& row) {
    if (!row.offset) return "";
    return row.bit_size ? fmt::format("{}.{}", *row.offset, row.bit_offset)
                        : std::to_string(*row.offset);
}

std::string row_text(const TypeRow& row, const Style& style) {
    std::string type = escape_for_display(row.type), name = escape_for_display(row.name);
    switch (row.kind) {
        case TypeRow::Kind::padding: return style.warning("padding");
        case TypeRow::Kind::base: return "base " + type + (row.size ? "" : "  (empty)");
        case TypeRow::Kind::virtual_base:
            return "virtual base " + type + "  (where it lies is found through the vtable)";
        case TypeRow::Kind::vtable_pointer: return "pointer to the vtable";
        case TypeRow::Kind::static_member:
            return fmt::format("static {}  {}{}", name, type,
                               row.value.empty() ? "" : " = " + row.value);
        case TypeRow::Kind::discriminant: return fmt::format("discriminant  {}", style.faint(type));
        case TypeRow::Kind::variant:
            return fmt::format("variant {}{}", name,
                               row.value.empty() ? "" : "  when the discriminant is " + row.value);
        case TypeRow::Kind::member: break;
    }
    return name.empty() ? type : fmt::format("{}  {}", padded(name, 20), style.faint(type));
}

}  // namespace

std::string type_report_text(const TypeReport& report, const Style& style) {
    std::string place = place_text(report.file, report.line);
    std::string out = heading_line(escape_for_display(report.name),
                                   place.empty() ? counted(report.size, "byte") : place, style);
    if (!report.wording.empty())
        out += fmt::format("  {}, {}\n", escape_for_display(report.wording),
                           report.is_incomplete ? "declared but not defined in this program"
                                                : counted(report.size, "byte"));
    if (!report.rows.empty()) out += style.faint("   offset    size\n");
    for (const TypeRow& row : report.rows)
        out += fmt::format("  {:>7}  {:>6}  {}{}\n", offset_text(row), size_text(row),
                           std::string(2 * row.depth, ' '), row_text(row, style));
    if (report.virtual_bases_from)
        out += fmt::format("  {} in all; the virtual bases lie somewhere behind offset {}\n",
                           counted(report.size, "byte"), *report.virtual_bases_from);
    else if (report.has_variants)
        out +=
            fmt::format("  {} in all, for whichever variant it is\n", counted(report.size, "byte"));
    else if (!report.rows.empty() && !report.is_incomplete)
        out += report.padding ? fmt::format("  {} in all: {} used, {} lost to padding\n",
                                            counted(report.size, "byte"),
                                            report.size - report.padding, report.padding)
                              : fmt::format("  {} in all, none lost to padding\n",
                                            counted(report.size, "byte"));
    for (const auto& one : report.enumerators)
        out += fmt::format("  {:>8}  {}\n", one.value, escape_for_display(one.name));
    if (!report.methods.empty()) {
        std::vector<std::string> shown(
            report.methods.begin(),
            report.methods.begin() +
                std::min<std::ptrdiff_t>(12, static_cast<std::ptrdiff_t>(report.methods.size())));
        for (std::string& name : shown) name = escape_for_display(name);
        out += fmt::format("  methods  {}{}\n", join_with(shown, ","),
                           report.methods.size() > shown.size()
                               ? fmt::format(" … and {} more", report.methods.size() - shown.size())
                               : "");
    }
    for (const std::string& other : report.others)
        out += fmt::format("  also     {}\n", escape_for_display(other));
    return out;
}

}  // namespace lantern::cli
