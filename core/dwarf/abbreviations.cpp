#include "core/dwarf/abbreviations.h"

#include "core/dwarf/constants.h"

namespace lantern::dwarf {

AbbreviationTable AbbreviationTable::up_to(ByteSpan debug_abbrev, std::uint64_t offset,
                                           std::uint64_t code) {
    AbbreviationTable table;
    table.read(debug_abbrev, offset, code);
    return table;
}

void AbbreviationTable::read(ByteSpan debug_abbrev, std::uint64_t offset, std::uint64_t last_code) {
    ByteReader reader(debug_abbrev, ".debug_abbrev", offset);
    for (;;) {
        std::uint64_t code = reader.uleb();
        if (code == 0) return;
        Abbreviation entry;
        entry.tag = static_cast<std::uint16_t>(reader.uleb());
        entry.has_children = reader.u8() != 0;
        entry.first_spec = static_cast<std::uint32_t>(specs_.size());
        for (;;) {
            AttributeSpec spec;
            spec.name = static_cast<std::uint16_t>(reader.uleb());
            spec.form = static_cast<std::uint16_t>(reader.uleb());
            if (spec.form == DW_FORM_implicit_const) spec.implicit_const = reader.sleb();
            if (spec.name == 0 && spec.form == 0) break;
            specs_.push_back(spec);
        }
        entry.spec_count = static_cast<std::uint32_t>(specs_.size()) - entry.first_spec;
        if (code == dense_.size() + 1) {
            dense_.push_back(entry);
        } else {
            sparse_.emplace(code, entry);
        }
        if (code == last_code) return;
    }
}

const Abbreviation* AbbreviationTable::find(std::uint64_t code) const {
    if (code - 1 < dense_.size()) return &dense_[code - 1];
    auto found = sparse_.find(code);
    return found == sparse_.end() ? nullptr : &found->second;
}

}  // namespace lantern::dwarf
