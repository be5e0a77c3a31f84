// Abbreviation tables: which tag and attributes an entry's code stands for (DWARF 5 §7.5.3).
#pragma once

#include <cstdint>
#include <span>
#include <unordered_map>
#include <vector>

#include "core/support/byte_reader.h"

namespace lantern::dwarf {

struct AttributeSpec {
    std::uint16_t name = 0, form = 0;
    std::int64_t implicit_const = 0;
};

struct Abbreviation {
    std::uint16_t tag = 0;
    bool has_children = false;
    std::uint32_t first_spec = 0, spec_count = 0;
};

class AbbreviationTable {
  public:
    // Reads the table that starts at `offset` of .debug_abbrev. Throws FormatError.
    AbbreviationTable(ByteSpan debug_abbrev, std::uint64_t offset) {
        read(debug_abbrev, offset, 0);
    }
    AbbreviationTable() = default;
    // The same, read only as far as the declaration of `code`.
    static AbbreviationTable up_to(ByteSpan debug_abbrev, std::uint64_t offset, std::uint64_t code);

    const Abbreviation* find(std::uint64_t code) const;
    template <class Visit>
    void for_each(Visit&& visit) const {
        for (std::size_t i = 0; i < dense_.size(); ++i) visit(i + 1, dense_[i]);
        for (const auto& [code, abbreviation] : sparse_) visit(code, abbreviation);
    }
    std::span<const AttributeSpec> specs(const Abbreviation& abbreviation) const {
        return std::span(specs_).subspan(abbreviation.first_spec, abbreviation.spec_count);
    }

  private:
    void read(ByteSpan debug_abbrev, std::uint64_t offset, std::uint64_t last_code);

    std::vector<Abbreviation> dense_;  // by code - 1: compilers number them 1, 2, 3 …
    std::unordered_map<std::uint64_t, Abbreviation> sparse_;
    std::vector<AttributeSpec> specs_;
};

}  // namespace lantern::dwarf
