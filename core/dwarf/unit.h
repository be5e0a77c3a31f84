// One unit of .debug_info or .debug_types: its header, its abbreviations and bases, and how it
// encodes attribute values (DWARF 5 §7.5.1, §7.5.5, §7.5.6; split units: §7.3.2).
#pragma once

#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>

#include "core/dwarf/abbreviations.h"
#include "core/dwarf/constants.h"
#include "core/dwarf/position.h"
#include "core/support/address.h"

namespace lantern::dwarf {

enum class FormClass : std::uint8_t {
    address,
    block,
    constant,
    signed_constant,
    expression,
    flag,
    section_offset,
    list_index,
    reference,
    signature,
    string,
    unsupported,
};

// One attribute's value. Which members count follows from `form_class`.
struct FormValue {
    FormClass form_class = FormClass::unsupported;
    std::uint16_t form = 0;
    std::uint64_t number = 0;  // constants, addresses (file), offsets; references are positions
    std::string_view text;
    ByteSpan block;

    // Producers before DWARF 4 wrote expressions as blocks.
    bool is_expression() const {
        return form_class == FormClass::block || form_class == FormClass::expression;
    }
};

// What the root entry says of the whole unit; text is borrowed from the sections.
struct UnitRoot {
    std::string_view name, compilation_folder, producer, split_name;
    std::uint16_t tag = 0, language = 0;
    std::optional<std::uint64_t> line_table_offset;
    std::optional<std::uint64_t> split_id;
    FileAddress low_pc;
    std::optional<FileAddress> high_pc;
    std::optional<std::uint64_t> ranges;  // DW_AT_ranges, with its form
    std::uint16_t ranges_form = 0;
    std::optional<std::uint64_t> string_offsets_base, address_base, range_lists_base,
        location_lists_base;
    std::optional<std::uint64_t> macros;  // into .debug_macro, or .debug_macinfo where they are old
    bool macros_are_old = false;
    std::uint64_t old_ranges_base =
        0;  // DW_AT_GNU_ranges_base: counts for the split unit's ranges, not for its own
};

// Where the parts of one unit start in the sections of a package; all 0 elsewhere (DWARF 5 §7.3.5).
struct Contribution {
    std::uint64_t abbrev = 0, line = 0, location_lists = 0, string_offsets = 0, range_lists = 0;
};

class Unit {
  public:
    // Reads the header at `at`. `section` is borrowed. Throws FormatError.
    Unit(const InfoSection& section, Position at, const Contribution& contribution = {});
    Unit(const Unit&) = delete;
    Unit& operator=(const Unit&) = delete;

    // Header facts.
    Position offset = 0, end = 0, first_entry = 0;
    std::uint64_t abbreviation_offset = 0;
    std::uint16_t version = 0;
    std::uint8_t address_size = 8;
    std::uint8_t offset_size = 4;
    std::uint8_t type = DW_UT_compile;
    std::uint64_t type_signature = 0;
    Position type_offset = 0;
    std::optional<std::uint64_t> split_id_in_header;
    const Unit* skeleton = nullptr;       // of a split unit: what the program itself holds of it
    std::uint32_t index = 0;              // of this unit among DebugInfo::units()
    std::uint16_t fallback_language = 0;  // of a partial unit that names none: its importer's

    // Read when first asked for, from any thread. A unit whose root or abbreviations are damaged
    // has an empty root and no entries; damage() then says what is wrong.
    const UnitRoot& root() const;
    const AbbreviationTable& abbreviations() const;
    std::string damage() const;

    const InfoSection& section() const { return *section_; }
    const Sections& sections() const { return section_->sections; }
    ByteSpan line_section() const {
        return skeleton ? skeleton->sections().line : section_->sections.line;
    }
    const Contribution& contribution() const { return contribution_; }
    std::uint64_t abbreviations_at() const { return abbreviation_offset + contribution_.abbrev; }
    // A reader over the unit, set to a position in it; and the position where a reader stands.
    ByteReader reader_at(Position position) const;
    Position position_of(const ByteReader& reader) const {
        return section_->base() + reader.offset();
    }

    FormValue read_form(ByteReader& reader, const AttributeSpec& spec) const;
    void skip_form(ByteReader& reader, const AttributeSpec& spec) const;

    // Entry `index` of .debug_addr, .debug_str_offsets (DWARF 5 §7.26, §7.27), and list offsets by
    // index (§7.28, §7.29).
    FileAddress indexed_address(std::uint64_t index) const;
    std::uint64_t indexed_string_offset(std::uint64_t index) const;  // into .debug_str
    std::uint64_t range_list_offset(std::uint64_t index) const;
    std::uint64_t location_list_offset(std::uint64_t index) const;
    // What a plain offset into .debug_ranges or .debug_loc is counted from: not 0 in split units
    // only.
    std::uint64_t ranges_start() const { return skeleton ? skeleton->root().old_ranges_base : 0; }
    std::uint64_t locations_start() const { return contribution_.location_lists; }

    std::uint16_t language() const { return root().language ? root().language : fallback_language; }
    bool is_cplusplus() const;
    bool holds_type() const { return type == DW_UT_type || type == DW_UT_split_type; }
    bool is_rust() const { return language() == DW_LANG_Rust; }

  private:
    UnitRoot read_root() const;
    std::string_view string_in(ByteSpan section, std::string_view section_name,
                               std::uint64_t at) const;
    std::string_view shared_string(std::uint64_t at) const;
    FormValue read_form_with(ByteReader& reader, const AttributeSpec& spec,
                             const UnitRoot& bases) const;
    FileAddress address_with(std::uint64_t index, const UnitRoot& bases) const;
    std::uint64_t string_offset_with(std::uint64_t index, const UnitRoot& bases) const;
    std::uint64_t list_offset(ByteSpan section, std::string_view section_name, std::uint64_t base,
                              std::uint64_t index) const;

    const InfoSection* section_;
    Contribution contribution_;
    mutable std::once_flag root_read_, abbreviations_read_;
    mutable UnitRoot root_;
    mutable std::unique_ptr<const AbbreviationTable> abbreviations_;
    mutable std::string root_damage_, abbreviation_damage_;
};

// The total length at the start of a unit or table, and whether offsets in it take 4 or 8 bytes
// (DWARF 5 §7.4).
struct InitialLength {
    std::uint64_t length;
    std::uint8_t offset_size;
};
InitialLength read_initial_length(ByteReader& reader);

}  // namespace lantern::dwarf
