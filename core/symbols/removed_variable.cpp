#include "core/symbols/removed_variable.h"

namespace lantern {
namespace {

using dwarf::Entry;

bool is_removed(const Entry& entry, std::string_view name) {
    using namespace dwarf;
    return entry.tag() == DW_TAG_variable && entry.text(DW_AT_name) == name &&
           !entry.has(DW_AT_location) && !entry.has(DW_AT_const_value) &&
           !entry.flag(DW_AT_declaration);
}

std::optional<Entry> look_in(const Entry& parent, std::string_view name) {
    for (auto child = parent.first_child(); child; child = child->next_sibling()) {
        if (is_removed(*child, name)) return child;
        if (child->tag() != dwarf::DW_TAG_namespace) continue;
        if (auto found = look_in(*child, name)) return found;
    }
    return std::nullopt;
}

}  // namespace

std::optional<RemovedVariable> removed_variable(const ModuleSymbols& symbols,
                                                const dwarf::Unit& unit, std::string_view name) {
    auto root = symbols.debug_info().entry_at(unit.first_entry);
    auto found = root ? look_in(*root, name) : std::nullopt;
    if (!found) return std::nullopt;
    RemovedVariable removed;
    removed.line = static_cast<std::uint32_t>(found->number(dwarf::DW_AT_decl_line).value_or(0));
    if (auto file = found->number(dwarf::DW_AT_decl_file))
        removed.file = symbols.file_name(unit, *file);
    return removed;
}

}  // namespace lantern
