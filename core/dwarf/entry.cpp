#include "core/dwarf/entry.h"

#include <fmt/format.h>

namespace lantern::dwarf {

std::optional<Entry> Entry::at(const Unit& unit, std::uint64_t offset) {
    if (offset >= unit.end) return std::nullopt;
    ByteReader reader = unit.reader_at(offset);
    std::uint64_t code = reader.uleb();
    if (code == 0) return std::nullopt;
    const Abbreviation* abbreviation = unit.abbreviations().find(code);
    if (!abbreviation) {
        reader.seek(offset - unit.section().base());
        reader.fail(fmt::format("abbreviation {} is not in the unit's table", code));
    }
    return Entry(unit, offset, unit.position_of(reader), *abbreviation);
}

bool Entry::has(At name) const {
    for (const AttributeSpec& spec : unit_->abbreviations().specs(*abbreviation_))
        if (spec.name == name) return true;
    return false;
}

std::optional<FormValue> Entry::attribute(At name) const {
    if (!has(name)) return std::nullopt;
    ByteReader reader = unit_->reader_at(attributes_);
    for (const AttributeSpec& spec : unit_->abbreviations().specs(*abbreviation_)) {
        if (spec.name == name) return unit_->read_form(reader, spec);
        unit_->skip_form(reader, spec);
    }
    return std::nullopt;
}

std::optional<std::uint64_t> Entry::number(At name) const {
    auto value = attribute(name);
    if (!value) return std::nullopt;
    switch (value->form_class) {
        case FormClass::constant:
        case FormClass::signed_constant:
        case FormClass::address:
        case FormClass::section_offset:
        case FormClass::flag: return value->number;
        default: return std::nullopt;
    }
}

std::optional<std::string_view> Entry::text(At name) const {
    auto value = attribute(name);
    if (!value || value->form_class != FormClass::string) return std::nullopt;
    return value->text;
}

std::optional<std::uint64_t> Entry::reference(At name) const {
    auto value = attribute(name);
    if (!value || value->form_class != FormClass::reference) return std::nullopt;
    return value->number;
}

bool Entry::flag(At name) const {
    auto value = attribute(name);
    return value && value->form_class == FormClass::flag && value->number != 0;
}

std::uint64_t Entry::end_of_attributes() const {
    ByteReader reader = unit_->reader_at(attributes_);
    for (const AttributeSpec& spec : unit_->abbreviations().specs(*abbreviation_))
        unit_->skip_form(reader, spec);
    return unit_->position_of(reader);
}

std::optional<Entry> Entry::first_child() const {
    if (!has_children()) return std::nullopt;
    return at(*unit_, end_of_attributes());
}

std::optional<Entry> Entry::next_sibling() const {
    if (!has_children()) return at(*unit_, end_of_attributes());
    if (auto sibling = reference(DW_AT_sibling); sibling && *sibling > offset_)
        return at(*unit_, *sibling);
    // Walk over the children without recursion: a hostile file may nest them a million deep.
    std::uint64_t position = end_of_attributes();
    for (unsigned depth = 1; depth > 0;) {
        auto entry = at(*unit_, position);
        if (!entry) {
            if (position >= unit_->end) return std::nullopt;
            --depth;
            position += 1;
            continue;
        }
        auto sibling = entry->has_children() ? entry->reference(DW_AT_sibling) : std::nullopt;
        if (sibling && *sibling > position) {
            position = *sibling;
        } else {
            position = entry->end_of_attributes();
            if (entry->has_children()) ++depth;
        }
    }
    return at(*unit_, position);
}

std::vector<Entry> entries_around(const Unit& unit, Position position) {
    constexpr std::size_t kDeepest = 100;
    std::vector<Entry> around;
    auto holder = Entry::at(unit, unit.first_entry);
    while (holder && around.size() < kDeepest) {
        std::optional<Entry> inner;
        for (auto child = holder->first_child(); child && child->offset() <= position;
             child = child->next_sibling())
            inner = child;
        if (!inner || inner->offset() == position) break;
        around.push_back(*inner);
        holder = inner;
    }
    return around;
}

}  // namespace lantern::dwarf
