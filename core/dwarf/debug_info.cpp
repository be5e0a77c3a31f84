#include "core/dwarf/debug_info.h"

#include <algorithm>
#include <map>

#include "core/support/error.h"

namespace lantern::dwarf {

DebugInfo::DebugInfo(const Sections& sections) {
    std::map<std::uint64_t, std::shared_ptr<const AbbreviationTable>> tables;
    for (std::uint64_t offset = 0; offset < sections.info.size();) {
        std::unique_ptr<Unit> unit;
        std::uint64_t next = 0;
        try {
            ByteReader reader(sections.info, ".debug_info", offset);
            std::uint64_t length = read_initial_length(reader).length;
            if (length == 0) {  // padding between units
                offset = reader.offset();
                continue;
            }
            if (length <= reader.remaining()) next = reader.offset() + length;
            unit = std::make_unique<Unit>(sections, offset);
            auto& table = tables[unit->abbreviation_offset];
            if (!table) table = std::make_shared<AbbreviationTable>(sections.abbrev, unit->abbreviation_offset);
            unit->use_abbreviations(table);
            unit->read_root();
            if (unit->type_signature) type_by_signature_[unit->type_signature] = unit->type_offset;
            units_.push_back(std::move(unit));
        } catch (const FormatError& error) {
            problems_.push_back(error.what());
            if (next == 0) return;  // without a length there is no way to the next unit
        }
        offset = next;
    }
}

const Unit* DebugInfo::unit_holding(std::uint64_t info_offset) const {
    auto after = std::upper_bound(units_.begin(), units_.end(), info_offset,
                                  [](std::uint64_t at, const auto& unit) { return at < unit->offset; });
    if (after == units_.begin()) return nullptr;
    const Unit& unit = **std::prev(after);
    return info_offset >= unit.first_entry && info_offset < unit.end ? &unit : nullptr;
}

std::optional<Entry> DebugInfo::entry_at(std::uint64_t info_offset) const {
    const Unit* unit = unit_holding(info_offset);
    return unit ? Entry::at(*unit, info_offset) : std::nullopt;
}

std::optional<Entry> DebugInfo::referred(const FormValue& value) const {
    if (value.form_class == FormClass::reference) return entry_at(value.number);
    if (value.form_class == FormClass::signature) {
        auto found = type_by_signature_.find(value.number);
        if (found != type_by_signature_.end()) return entry_at(found->second);
    }
    return std::nullopt;
}

std::optional<Entry> DebugInfo::referred(const Entry& from, At name) const {
    auto value = from.attribute(name);
    return value ? referred(*value) : std::nullopt;
}

}  // namespace lantern::dwarf
