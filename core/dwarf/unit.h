// One unit of .debug_info: its header, its abbreviations and bases, and how it encodes attribute values
// (DWARF 5 §7.5.1, §7.5.5, §7.5.6).
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string_view>

#include "core/dwarf/abbreviations.h"
#include "core/dwarf/constants.h"
#include "core/dwarf/sections.h"
#include "core/support/address.h"

namespace lantern::dwarf {

enum class FormClass : std::uint8_t {
    address, block, constant, signed_constant, expression, flag, section_offset, list_index, reference, signature,
    string, unsupported,
};

// One attribute's value. Which members count follows from `form_class`.
struct FormValue {
    FormClass form_class = FormClass::unsupported;
    std::uint16_t form = 0;
    std::uint64_t number = 0;  // constants, addresses (file), offsets; references are offsets into .debug_info
    std::string_view text;
    ByteSpan block;
};

class Unit {
  public:
    // Reads the header at `offset` and then the root entry's bases. Throws FormatError.
    Unit(const Sections& sections, std::uint64_t offset);

    // Header facts. Offsets count from the start of .debug_info.
    std::uint64_t offset = 0, end = 0, first_entry = 0;
    std::uint64_t abbreviation_offset = 0;
    std::uint16_t version = 0;
    std::uint8_t address_size = 8;
    std::uint8_t offset_size = 4;
    std::uint8_t type = DW_UT_compile;
    std::uint64_t type_signature = 0, type_offset = 0;

    // Facts of the root entry; text is borrowed from the sections.
    std::string_view name, compilation_folder, producer, split_name;
    std::uint16_t language = 0;
    std::optional<std::uint64_t> line_table_offset;
    FileAddress low_pc;

    void use_abbreviations(std::shared_ptr<const AbbreviationTable> table) { abbreviations_ = std::move(table); }
    void read_root();

    const AbbreviationTable& abbreviations() const { return *abbreviations_; }
    const Sections& sections() const { return *sections_; }
    ByteReader reader_at(std::uint64_t info_offset) const;

    FormValue read_form(ByteReader& reader, const AttributeSpec& spec) const;
    void skip_form(ByteReader& reader, const AttributeSpec& spec) const;

    // Entry `index` of .debug_addr, .debug_str_offsets (DWARF 5 §7.26, §7.27), and list offsets by index (§7.28, §7.29).
    FileAddress indexed_address(std::uint64_t index) const;
    std::string_view indexed_string(std::uint64_t index) const;
    std::uint64_t range_list_offset(std::uint64_t index) const;
    std::uint64_t location_list_offset(std::uint64_t index) const;

    bool is_cplusplus() const;
    bool is_rust() const { return language == DW_LANG_Rust; }

  private:
    std::string_view string_in(ByteSpan section, std::string_view section_name, std::uint64_t at) const;
    std::uint64_t list_offset(ByteSpan section, std::string_view section_name, std::uint64_t base,
                              std::uint64_t index) const;

    const Sections* sections_;
    std::shared_ptr<const AbbreviationTable> abbreviations_;
    std::optional<std::uint64_t> string_offsets_base_, address_base_, range_lists_base_, location_lists_base_;
};

// The total length at the start of a unit or table, and whether offsets in it take 4 or 8 bytes (DWARF 5 §7.4).
struct InitialLength {
    std::uint64_t length;
    std::uint8_t offset_size;
};
InitialLength read_initial_length(ByteReader& reader);

}  // namespace lantern::dwarf
