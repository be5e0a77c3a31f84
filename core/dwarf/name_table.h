// .debug_names: an index of names that some compilers write (DWARF 5 §6.1.1).
#pragma once

#include <string_view>
#include <unordered_map>
#include <vector>

#include "core/dwarf/unit.h"

namespace lantern::dwarf {

class NameTable {
  public:
    // Reads the headers. Throws FormatError. Sections are borrowed.
    NameTable(const Sections& sections);

    struct Found {
        Position position = 0;
        std::uint16_t tag = 0;
    };
    // Entries of that name, as the table says: nobody has looked yet whether they are there. Throws
    // FormatError.
    std::vector<Found> find(std::string_view name) const;
    // The compile units it covers, each once.
    const std::vector<Position>& units() const { return all_units_; }

  private:
    struct Abbreviation {
        std::uint16_t tag = 0;
        std::vector<AttributeSpec> attributes;
    };
    struct Part {
        std::uint8_t offset_size = 4;
        std::vector<Position> units;
        std::uint64_t local_types = 0, buckets = 0, names = 0;
        std::uint64_t bucket_at = 0, hash_at = 0, string_at = 0, entry_at = 0, pool_at = 0, end = 0;
        std::unordered_map<std::uint64_t, Abbreviation> abbreviations;
    };
    Part read_part(ByteReader& reader, std::uint64_t end) const;
    void collect(const Part& part, std::uint64_t entry, std::vector<Found>& found) const;

    const Sections& sections_;
    std::vector<Part> parts_;
    std::vector<Position> all_units_;
};

}  // namespace lantern::dwarf
