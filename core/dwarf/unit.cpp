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
        reader.fail(fmt::format("a unit claims {:#x} bytes but {:#x} are left", length, reader.remaining()));
    end = position_of(reader) + length;
    version = reader.u16();
    if (version < 2 || version > 5) reader.fail(fmt::format("DWARF version {} is not known", version));
    bool holds_a_type = false;
    if (version >= 5) {
        type = reader.u8();
        address_size = reader.u8();
        abbreviation_offset = reader.unsigned_of_size(offset_size);
        if (type == DW_UT_skeleton || type == DW_UT_split_compile) split_id_in_header = reader.u64();
        holds_a_type = type == DW_UT_type || type == DW_UT_split_type;
    } else {
        abbreviation_offset = reader.unsigned_of_size(offset_size);
        address_size = reader.u8();
        holds_a_type = section.bytes.data() == section.sections.types.data() && !section.sections.types.empty();
        if (holds_a_type) type = DW_UT_type;
    }
    if (holds_a_type) {
        type_signature = reader.u64();
        type_offset = offset + reader.unsigned_of_size(offset_size);
    }
    if (address_size != 8 && address_size != 4) reader.fail(fmt::format("addresses of {} bytes are not supported", address_size));
    first_entry = position_of(reader);
}

ByteReader Unit::reader_at(Position position) const {
    if (position < section_->base()) throw FormatError(fmt::format("{}: the position {:#x} lies before the section", section_->name, position));
    return ByteReader(section_->bytes.first(end - section_->base()), section_->name, position - section_->base());
}

bool Unit::is_cplusplus() const {
    switch (language()) {
        case DW_LANG_C_plus_plus: case DW_LANG_C_plus_plus_03: case DW_LANG_C_plus_plus_11:
        case DW_LANG_C_plus_plus_14: case DW_LANG_C_plus_plus_17: case DW_LANG_C_plus_plus_20: return true;
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
            abbreviations_ = std::make_unique<AbbreviationTable>(sections().abbrev, abbreviations_at());
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
    // The root's abbreviation is nearly always the first of the table: no need to read the others for it.
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
        // Split files name no bases: the tables start behind their headers, which the pre-standard form lacks.
        std::uint64_t header = version < 5 ? 0 : offset_size == 8 ? 16 : 8;
        root.string_offsets_base = contribution_.string_offsets + header;
        root.range_lists_base = contribution_.range_lists + (offset_size == 8 ? 20 : 12);
        root.location_lists_base = contribution_.location_lists + (offset_size == 8 ? 20 : 12);
    }
    // The bases come first: other attributes of the same entry are read through them.
    std::uint64_t attributes = reader.offset();
    for (const AttributeSpec& spec : one.specs(*abbreviation)) {
        switch (spec.name) {
            case DW_AT_str_offsets_base: root.string_offsets_base = read_form_with(reader, spec, root).number; break;
            case DW_AT_addr_base: case DW_AT_GNU_addr_base: root.address_base = read_form_with(reader, spec, root).number; break;
            case DW_AT_rnglists_base: root.range_lists_base = read_form_with(reader, spec, root).number; break;
            case DW_AT_loclists_base: root.location_lists_base = read_form_with(reader, spec, root).number; break;
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
            case DW_AT_dwo_name: case DW_AT_GNU_dwo_name: root.split_name = value.text; break;
            case DW_AT_GNU_dwo_id: root.split_id = value.number; break;
            case DW_AT_GNU_ranges_base: root.old_ranges_base = value.number; break;
            case DW_AT_macros: case DW_AT_GNU_macros: root.macros = value.number; break;
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

std::string_view Unit::string_in(ByteSpan section, std::string_view section_name, std::uint64_t at) const {
    return ByteReader(section, section_name, at).c_string();
}

std::string_view Unit::shared_string(std::uint64_t at) const {
    return section_->shared ? string_in(section_->shared->sections.str, ".debug_str of the shared file", at) : std::string_view();
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
        throw FormatError(fmt::format(".debug_str_offsets: index {} lies beyond the section", index));
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
    return list_offset(sections().rnglists, ".debug_rnglists", root().range_lists_base.value_or(offset_size == 8 ? 20 : 12), index);
}

std::uint64_t Unit::location_list_offset(std::uint64_t index) const {
    return list_offset(sections().loclists, ".debug_loclists", root().location_lists_base.value_or(offset_size == 8 ? 20 : 12), index);
}

FormValue Unit::read_form(ByteReader& reader, const AttributeSpec& spec) const {
    return read_form_with(reader, spec, root());
}

FormValue Unit::read_form_with(ByteReader& reader, const AttributeSpec& spec, const UnitRoot& bases) const {
    FormValue value;
    value.form = spec.form;
    auto set = [&](FormClass form_class, std::uint64_t number) {
        value.form_class = form_class;
        value.number = number;
    };
    auto set_text = [&](std::string_view text) {
        value.form_class = FormClass::string;
        value.text = text;
    };
    auto set_block = [&](FormClass form_class, std::uint64_t size) {
        value.form_class = form_class;
        value.block = reader.block(size);
    };
    auto indexed = [&](std::uint64_t index) { return string_in(sections().str, ".debug_str", string_offset_with(index, bases)); };
    // Without the shared file there is nothing to follow.
    auto set_shared = [&](std::uint64_t at) {
        if (section_->shared) set(FormClass::reference, section_->shared->base() + at);
    };
    switch (spec.form) {
        case DW_FORM_addr: set(FormClass::address, reader.unsigned_of_size(address_size)); break;
        case DW_FORM_addrx: set(FormClass::address, address_with(reader.uleb(), bases).value); break;
        case DW_FORM_GNU_addr_index: set(FormClass::address, address_with(reader.uleb(), bases).value); break;
        case DW_FORM_addrx1: set(FormClass::address, address_with(reader.u8(), bases).value); break;
        case DW_FORM_addrx2: set(FormClass::address, address_with(reader.u16(), bases).value); break;
        case DW_FORM_addrx3: set(FormClass::address, address_with(reader.u24(), bases).value); break;
        case DW_FORM_addrx4: set(FormClass::address, address_with(reader.u32(), bases).value); break;
        case DW_FORM_block1: set_block(FormClass::block, reader.u8()); break;
        case DW_FORM_block2: set_block(FormClass::block, reader.u16()); break;
        case DW_FORM_block4: set_block(FormClass::block, reader.u32()); break;
        case DW_FORM_block: set_block(FormClass::block, reader.uleb()); break;
        case DW_FORM_data16: set_block(FormClass::block, 16); break;
        case DW_FORM_exprloc: set_block(FormClass::expression, reader.uleb()); break;
        case DW_FORM_data1: set(FormClass::constant, reader.u8()); break;
        case DW_FORM_data2: set(FormClass::constant, reader.u16()); break;
        // Before version 4 these two also carried section offsets (DWARF 3 §7.5.4).
        case DW_FORM_data4: set(version < 4 ? FormClass::section_offset : FormClass::constant, reader.u32()); break;
        case DW_FORM_data8: set(version < 4 ? FormClass::section_offset : FormClass::constant, reader.u64()); break;
        case DW_FORM_udata: set(FormClass::constant, reader.uleb()); break;
        case DW_FORM_sdata: set(FormClass::signed_constant, static_cast<std::uint64_t>(reader.sleb())); break;
        case DW_FORM_implicit_const: set(FormClass::signed_constant, static_cast<std::uint64_t>(spec.implicit_const)); break;
        case DW_FORM_flag: set(FormClass::flag, reader.u8()); break;
        case DW_FORM_flag_present: set(FormClass::flag, 1); break;
        case DW_FORM_sec_offset: set(FormClass::section_offset, reader.unsigned_of_size(offset_size)); break;
        case DW_FORM_loclistx: set(FormClass::list_index, reader.uleb()); break;
        case DW_FORM_rnglistx: set(FormClass::list_index, reader.uleb()); break;
        case DW_FORM_ref1: set(FormClass::reference, offset + reader.u8()); break;
        case DW_FORM_ref2: set(FormClass::reference, offset + reader.u16()); break;
        case DW_FORM_ref4: set(FormClass::reference, offset + reader.u32()); break;
        case DW_FORM_ref8: set(FormClass::reference, offset + reader.u64()); break;
        case DW_FORM_ref_udata: set(FormClass::reference, offset + reader.uleb()); break;
        case DW_FORM_ref_addr: set(FormClass::reference, section_->base() + reader.unsigned_of_size(version == 2 ? address_size : offset_size)); break;
        case DW_FORM_ref_sig8: set(FormClass::signature, reader.u64()); break;
        case DW_FORM_string: set_text(reader.c_string()); break;
        case DW_FORM_strp: set_text(string_in(sections().str, ".debug_str", reader.unsigned_of_size(offset_size))); break;
        case DW_FORM_line_strp:
            set_text(string_in(sections().line_str, ".debug_line_str", reader.unsigned_of_size(offset_size)));
            break;
        case DW_FORM_strx: case DW_FORM_GNU_str_index: set_text(indexed(reader.uleb())); break;
        case DW_FORM_strx1: set_text(indexed(reader.u8())); break;
        case DW_FORM_strx2: set_text(indexed(reader.u16())); break;
        case DW_FORM_strx3: set_text(indexed(reader.u24())); break;
        case DW_FORM_strx4: set_text(indexed(reader.u32())); break;
        case DW_FORM_ref_sup4: set_shared(reader.u32()); break;
        case DW_FORM_ref_sup8: set_shared(reader.u64()); break;
        case DW_FORM_GNU_ref_alt: set_shared(reader.unsigned_of_size(offset_size)); break;
        case DW_FORM_strp_sup: case DW_FORM_GNU_strp_alt: set_text(shared_string(reader.unsigned_of_size(offset_size))); break;
        case DW_FORM_indirect: {
            AttributeSpec actual{spec.name, static_cast<std::uint16_t>(reader.uleb()), 0};
            if (actual.form == DW_FORM_indirect) reader.fail("an indirect form names itself");
            if (actual.form == DW_FORM_implicit_const) actual.implicit_const = reader.sleb();
            return read_form_with(reader, actual, bases);
        }
        default: reader.fail(fmt::format("attribute form {:#x} is not known", spec.form));
    }
    return value;
}

void Unit::skip_form(ByteReader& reader, const AttributeSpec& spec) const {
    switch (spec.form) {
        case DW_FORM_flag_present: case DW_FORM_implicit_const: return;
        case DW_FORM_data1: case DW_FORM_ref1: case DW_FORM_flag: case DW_FORM_strx1: case DW_FORM_addrx1: return reader.skip(1);
        case DW_FORM_data2: case DW_FORM_ref2: case DW_FORM_strx2: case DW_FORM_addrx2: return reader.skip(2);
        case DW_FORM_strx3: case DW_FORM_addrx3: return reader.skip(3);
        case DW_FORM_data4: case DW_FORM_ref4: case DW_FORM_strx4: case DW_FORM_addrx4: case DW_FORM_ref_sup4: return reader.skip(4);
        case DW_FORM_data8: case DW_FORM_ref8: case DW_FORM_ref_sig8: case DW_FORM_ref_sup8: return reader.skip(8);
        case DW_FORM_data16: return reader.skip(16);
        case DW_FORM_addr: return reader.skip(address_size);
        case DW_FORM_strp: case DW_FORM_line_strp: case DW_FORM_sec_offset: case DW_FORM_strp_sup:
        case DW_FORM_GNU_ref_alt: case DW_FORM_GNU_strp_alt: return reader.skip(offset_size);
        case DW_FORM_ref_addr: return reader.skip(version == 2 ? address_size : offset_size);
        case DW_FORM_udata: case DW_FORM_sdata: case DW_FORM_ref_udata: case DW_FORM_strx: case DW_FORM_addrx:
        case DW_FORM_loclistx: case DW_FORM_rnglistx: case DW_FORM_GNU_addr_index: case DW_FORM_GNU_str_index:
            reader.uleb();
            return;
        case DW_FORM_string: reader.c_string(); return;
        case DW_FORM_block1: return reader.skip(reader.u8());
        case DW_FORM_block2: return reader.skip(reader.u16());
        case DW_FORM_block4: return reader.skip(reader.u32());
        case DW_FORM_block: case DW_FORM_exprloc: return reader.skip(reader.uleb());
        case DW_FORM_indirect: {
            AttributeSpec actual{spec.name, static_cast<std::uint16_t>(reader.uleb()), 0};
            if (actual.form == DW_FORM_indirect) reader.fail("an indirect form names itself");
            if (actual.form == DW_FORM_implicit_const) reader.sleb();
            return skip_form(reader, actual);
        }
        default: reader.fail(fmt::format("attribute form {:#x} is not known", spec.form));
    }
}

}  // namespace lantern::dwarf
