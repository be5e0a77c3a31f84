#include "core/dwarf/unit.h"

#include <fmt/format.h>

#include "core/support/error.h"

namespace lantern::dwarf {

InitialLength read_initial_length(ByteReader& reader) {
    std::uint32_t first = reader.u32();
    if (first == 0xffffffff) return {reader.u64(), 8};
    if (first >= 0xfffffff0) reader.fail(fmt::format("the length {:#x} is reserved", first));
    return {first, 4};
}

Unit::Unit(const InfoSection& section, Position at, const Contribution& contribution)
    : offset(at), section_(&section), contribution_(contribution) {
    ByteReader reader(section.bytes, section.name, at - section.base());
    auto [length, size] = read_initial_length(reader);
    offset_size = size;
    if (length > reader.remaining())
        reader.fail(fmt::format("a unit claims {:#x} bytes but {:#x} are left", length,
                                reader.remaining()));
    end = position_of(reader) + length;
    version = reader.u16();
    if (version < 2 || version > 5)
        reader.fail(fmt::format("DWARF version {} is not known", version));
    bool holds_a_type = false;
    if (version >= 5) {
        type = reader.u8();
        address_size = reader.u8();
        abbreviation_offset = reader.unsigned_of_size(offset_size);
        if (type == DW_UT_skeleton || type == DW_UT_split_compile)
            split_id_in_header = reader.u64();
        holds_a_type = type == DW_UT_type || type == DW_UT_split_type;
    } else {
        abbreviation_offset = reader.unsigned_of_size(offset_size);
        address_size = reader.u8();
        holds_a_type = section.bytes.data() == section.sections.types.data() &&
                       !section.sections.types.empty();
        if (holds_a_type) type = DW_UT_type;
    }
    if (holds_a_type) {
        type_signature = reader.u64();
        type_offset = offset + reader.unsigned_of_size(offset_size);
    }
    if (address_size != 8 && address_size != 4)
        reader.fail(fmt::format("addresses of {} bytes are not supported", address_size));
    first_entry = position_of(reader);
}

ByteReader Unit::reader_at(Position position) const {
    if (position < section_->base())
        throw FormatError(fmt::format("{}: the position {:#x} lies before the section",
                                      section_->name, position));
    return ByteReader(section_->bytes.first(end - section_->base()), section_->name,
                      position - section_->base());
}

bool Unit::is_cplusplus() const {
    switch (language()) {
        case DW_LANG_C_plus_plus:
        case DW_LANG_C_plus_plus_03:
        case DW_LANG_C_plus_plus_11:
        case DW_LANG_C_plus_plus_14:
        case DW_LANG_C_plus_plus_17:
        case DW_LANG_C_plus_plus_20: return true;
        default: return false;
    }
}

const UnitRoot& Unit::root() const {
    std::call_once(root_read_, [this] {
        try {
            root_ = read_root();
        } catch (const FormatError& error) {
            root_damage_ = error.what();
        }
    });
    return root_;
}

const AbbreviationTable& Unit::abbreviations() const {
    std::call_once(abbreviations_read_, [this] {
        try {
            abbreviations_ =
                std::make_unique<AbbreviationTable>(sections().abbrev, abbreviations_at());
        } catch (const FormatError& error) {
            abbreviation_damage_ = error.what();
            abbreviations_ = std::make_unique<AbbreviationTable>();
        }
    });
    return *abbreviations_;
}

std::string Unit::damage() const {
    root();
    if (!root_damage_.empty()) return root_damage_;
    return abbreviation_damage_;
}

UnitRoot Unit::read_root() const {
    ByteReader reader = reader_at(first_entry);
    // The root's abbreviation is nearly always the first of the table: no need to read the others
    // for it.
    std::uint64_t code = reader.uleb();
    UnitRoot root;
    if (code == 0) return root;
    AbbreviationTable one = AbbreviationTable::up_to(sections().abbrev, abbreviations_at(), code);
    const Abbreviation* abbreviation = one.find(code);
    if (!abbreviation) reader.fail("the unit's first entry has an unknown abbreviation");
    root.tag = abbreviation->tag;
    if (skeleton) {
        const UnitRoot& other = skeleton->root();
        root.address_base = other.address_base;
        root.line_table_offset = other.line_table_offset;
        root.compilation_folder = other.compilation_folder;
        root.low_pc = other.low_pc;
    }
    if (section_->is_split) {
        // Split files name no bases: the tables start behind their headers, which the pre-standard
        // form lacks.
        std::uint64_t header = version < 5 ? 0 : offset_size == 8 ? 16 : 8;
        root.string_offsets_base = contribution_.string_offsets + header;
        root.range_lists_base = contribution_.range_lists + (offset_size == 8 ? 20 : 12);
        root.location_lists_base = contribution_.location_lists + (offset_size == 8 ? 20 : 12);
    }
    // The bases come first: other attributes of the same entry are read through them.
    std::uint64_t attributes = reader.offset();
    for (const AttributeSpec& spec : one.specs(*abbreviation)) {
        switch (spec.name) {
            case DW_AT_str_offsets_base:
                root.string_offsets_base = read_form_with(reader, spec, root).number;
                break;
            case DW_AT_addr_base:
            case DW_AT_GNU_addr_base:
                root.address_base = read_form_with(reader, spec, root).number;
                break;
            case DW_AT_rnglists_base:
                root.range_lists_base = read_form_with(reader, spec, root).number;
                break;
            case DW_AT_loclists_base:
                root.location_lists_base = read_form_with(reader, spec, root).number;
                break;
            default: skip_form(reader, spec);
        }
    }
    reader.seek(attributes);
    bool high_is_size = false;
    for (const AttributeSpec& spec : one.specs(*abbreviation)) {
        FormValue value = read_form_with(reader, spec, root);
        switch (spec.name) {
            case DW_AT_name: root.name = value.text; break;
            case DW_AT_comp_dir: root.compilation_folder = value.text; break;
            case DW_AT_producer: root.producer = value.text; break;
            case DW_AT_dwo_name:
            case DW_AT_GNU_dwo_name: root.split_name = value.text; break;
            case DW_AT_GNU_dwo_id: root.split_id = value.number; break;
            case DW_AT_GNU_ranges_base: root.old_ranges_base = value.number; break;
            case DW_AT_macros:
            case DW_AT_GNU_macros: root.macros = value.number; break;
            case DW_AT_macro_info: root.macros = value.number, root.macros_are_old = true; break;
            case DW_AT_language: root.language = static_cast<std::uint16_t>(value.number); break;
            case DW_AT_stmt_list: root.line_table_offset = value.number + contribution_.line; break;
            case DW_AT_low_pc: root.low_pc = FileAddress(value.number); break;
            case DW_AT_high_pc:
                root.high_pc = FileAddress(value.number);
                high_is_size = value.form_class != FormClass::address;
                break;
            case DW_AT_ranges:
                root.ranges = value.number;
                root.ranges_form = value.form;
                break;
        }
    }
    if (high_is_size) root.high_pc = root.low_pc + root.high_pc->value;
    if (split_id_in_header) root.split_id = split_id_in_header;
    return root;
}

std::string_view Unit::string_in(ByteSpan section, std::string_view section_name,
                                 std::uint64_t at) const {
    return ByteReader(section, section_name, at).c_string();
}

std::string_view Unit::shared_string(std::uint64_t at) const {
    return section_->shared
               ? string_in(section_->shared->sections.str, ".debug_str of the shared file", at)
               : std::string_view();
}

FileAddress Unit::address_with(std::uint64_t index, const UnitRoot& bases) const {
    std::uint64_t base = bases.address_base.value_or(8);
    if (index > sections().addr.size() / address_size)
        throw FormatError(fmt::format(".debug_addr: index {} lies beyond the section", index));
    ByteReader reader(sections().addr, ".debug_addr", base + index * address_size);
    return FileAddress(reader.unsigned_of_size(address_size));
}

FileAddress Unit::indexed_address(std::uint64_t index) const {
    return address_with(index, root());
}

std::uint64_t Unit::string_offset_with(std::uint64_t index, const UnitRoot& bases) const {
    std::uint64_t base = bases.string_offsets_base.value_or(offset_size == 8 ? 16 : 8);
    if (index > sections().str_offsets.size() / offset_size)
        throw FormatError(
            fmt::format(".debug_str_offsets: index {} lies beyond the section", index));
    ByteReader reader(sections().str_offsets, ".debug_str_offsets", base + index * offset_size);
    return reader.unsigned_of_size(offset_size);
}

std::uint64_t Unit::indexed_string_offset(std::uint64_t index) const {
    return string_offset_with(index, root());
}

std::uint64_t Unit::list_offset(ByteSpan section, std::string_view section_name, std::uint64_t base,
                                std::uint64_t index) const {
    if (index > section.size() / offset_size)
        throw FormatError(fmt::format("{}: list {} lies beyond the section", section_name, index));
    ByteReader reader(section, section_name, base + index * offset_size);
    return base + reader.unsigned_of_size(offset_size);
}

std::uint64_t Unit::range_list_offset(std::uint64_t index) const {
    return list_offset(sections().rnglists, ".debug_rnglists",
                       root().range_lists_base.value_or(offset_size == 8 ? 20 : 12), index);
}

std::uint64_t Unit::location_list_offset(std::uint64_t index) const {
    return list_offset(sections().loclists, ".debug_loclists",
                       root().location_lists_base.value_or(offset_size == 8 ? 20 : 12), index);
}

}  // namespace lantern::dwarf
