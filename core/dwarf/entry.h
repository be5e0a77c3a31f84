// One debugging information entry and the way to its children and siblings (DWARF 5 §2.1–2.3).
#pragma once

#include <cstdint>
#include <optional>
#include <string_view>
#include <vector>

#include "core/dwarf/unit.h"

namespace lantern::dwarf {

class Entry {
  public:
    // The entry at a position; nothing for the null entry that ends a list of siblings.
    // Throws FormatError. The unit is borrowed and must outlive the entry.
    static std::optional<Entry> at(const Unit& unit, Position offset);

    const Unit& unit() const { return *unit_; }
    Position offset() const { return offset_; }
    Tag tag() const { return static_cast<Tag>(abbreviation_->tag); }
    bool has_children() const { return abbreviation_->has_children; }

    bool has(At name) const;
    std::optional<FormValue> attribute(At name) const;
    std::optional<std::uint64_t> number(At name) const;  // constants, addresses, offsets, flags
    std::optional<std::string_view> text(At name) const;
    std::optional<Position> reference(At name) const;
    bool flag(At name) const;

    std::optional<Entry> first_child() const;
    std::optional<Entry> next_sibling() const;

  private:
    Entry(const Unit& unit, std::uint64_t offset, std::uint64_t attributes,
          const Abbreviation& abbreviation)
        : unit_(&unit), offset_(offset), attributes_(attributes), abbreviation_(&abbreviation) {}
    std::uint64_t end_of_attributes() const;

    const Unit* unit_;
    std::uint64_t offset_, attributes_;
    const Abbreviation* abbreviation_;
};

// Calls `visit(child)` for each direct child.
template <class Visit>
void for_each_child(const Entry& parent, Visit&& visit) {
    for (auto child = parent.first_child(); child; child = child->next_sibling()) visit(*child);
}

// Those that the entry at `position` stands in, the outermost first, the unit's own left out. For
// what is asked rarely: it goes along the siblings. Throws FormatError.
std::vector<Entry> entries_around(const Unit& unit, Position position);

}  // namespace lantern::dwarf
