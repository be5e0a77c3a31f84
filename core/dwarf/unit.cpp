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

Unit::Unit(const Sections& sections, std::uint64_t at) : offset(at), sections_(&sections) {
    ByteReader reader(sections.info, ".debug_info", at);
    auto [length, size] = read_initial_length(reader);
    offset_size = size;
    if (length > reader.remaining())
        reader.fail(fmt::format("a unit claims {:#x} bytes but {:#x} are left", length, reader.remaining()));
    end = reader.offset() + length;
    version = reader.u16();
    if (version < 2 || version > 5) reader.fail(fmt::format("DWARF version {} is not known", version));
    if (version >= 5) {
        type = reader.u8();
        address_size = reader.u8();
        abbreviation_offset = reader.unsigned_of_size(offset_size);
        if (type == DW_UT_skeleton || type == DW_UT_split_compile) reader.u64();
        if (type == DW_UT_type || type == DW_UT_split_type) {
            type_signature = reader.u64();
            type_offset = offset + reader.unsigned_of_size(offset_size);
        }
    } else {
        abbreviation_offset = reader.unsigned_of_size(offset_size);
        address_size = reader.u8();
    }
    if (address_size != 8 && address_size != 4) reader.fail(fmt::format("addresses of {} bytes are not supported", address_size));
    first_entry = reader.offset();
}

ByteReader Unit::reader_at(std::uint64_t info_offset) const {
    return ByteReader(sections_->info.first(end), ".debug_info", info_offset);
}

bool Unit::is_cplusplus() const {
    switch (language) {
        case DW_LANG_C_plus_plus: case DW_LANG_C_plus_plus_03: case DW_LANG_C_plus_plus_11:
        case DW_LANG_C_plus_plus_14: case DW_LANG_C_plus_plus_17: case DW_LANG_C_plus_plus_20: return true;
        default: return false;
    }
}

void Unit::read_root() {
    ByteReader reader = reader_at(first_entry);
    const Abbreviation* abbreviation = abbreviations_->find(reader.uleb());
    if (!abbreviation) reader.fail("the unit's first entry has an unknown abbreviation");
    // The bases come first: other attributes of the same entry are read through them.
    std::uint64_t attributes = reader.offset();
    for (const AttributeSpec& spec : abbreviations_->specs(*abbreviation)) {
        bool is_base = spec.name == DW_AT_str_offsets_base || spec.name == DW_AT_addr_base ||
                       spec.name == DW_AT_rnglists_base || spec.name == DW_AT_loclists_base;
        if (!is_base) {
            skip_form(reader, spec);
            continue;
        }
        std::uint64_t base = read_form(reader, spec).number;
        switch (spec.name) {
            case DW_AT_str_offsets_base: string_offsets_base_ = base; break;
            case DW_AT_addr_base: address_base_ = base; break;
            case DW_AT_rnglists_base: range_lists_base_ = base; break;
            case DW_AT_loclists_base: location_lists_base_ = base; break;
        }
    }
    reader.seek(attributes);
    for (const AttributeSpec& spec : abbreviations_->specs(*abbreviation)) {
        FormValue value = read_form(reader, spec);
        switch (spec.name) {
            case DW_AT_name: name = value.text; break;
            case DW_AT_comp_dir: compilation_folder = value.text; break;
            case DW_AT_producer: producer = value.text; break;
            case DW_AT_dwo_name: split_name = value.text; break;
            case DW_AT_language: language = static_cast<std::uint16_t>(value.number); break;
            case DW_AT_stmt_list: line_table_offset = value.number; break;
            case DW_AT_low_pc: low_pc = FileAddress(value.number); break;
        }
    }
}

std::string_view Unit::string_in(ByteSpan section, std::string_view section_name, std::uint64_t at) const {
    return ByteReader(section, section_name, at).c_string();
}

FileAddress Unit::indexed_address(std::uint64_t index) const {
    std::uint64_t base = address_base_.value_or(8);
    if (index > sections_->addr.size() / address_size)
        throw FormatError(fmt::format(".debug_addr: index {} lies beyond the section", index));
    ByteReader reader(sections_->addr, ".debug_addr", base + index * address_size);
    return FileAddress(reader.unsigned_of_size(address_size));
}

std::string_view Unit::indexed_string(std::uint64_t index) const {
    std::uint64_t base = string_offsets_base_.value_or(offset_size == 8 ? 16 : 8);
    if (index > sections_->str_offsets.size() / offset_size)
        throw FormatError(fmt::format(".debug_str_offsets: index {} lies beyond the section", index));
    ByteReader reader(sections_->str_offsets, ".debug_str_offsets", base + index * offset_size);
    return string_in(sections_->str, ".debug_str", reader.unsigned_of_size(offset_size));
}

std::uint64_t Unit::list_offset(ByteSpan section, std::string_view section_name, std::uint64_t base,
                                std::uint64_t index) const {
    if (index > section.size() / offset_size)
        throw FormatError(fmt::format("{}: list {} lies beyond the section", section_name, index));
    ByteReader reader(section, section_name, base + index * offset_size);
    return base + reader.unsigned_of_size(offset_size);
}

std::uint64_t Unit::range_list_offset(std::uint64_t index) const {
    return list_offset(sections_->rnglists, ".debug_rnglists", range_lists_base_.value_or(offset_size == 8 ? 20 : 12), index);
}

std::uint64_t Unit::location_list_offset(std::uint64_t index) const {
    return list_offset(sections_->loclists, ".debug_loclists", location_lists_base_.value_or(offset_size == 8 ? 20 : 12), index);
}

FormValue Unit::read_form(ByteReader& reader, const AttributeSpec& spec) const {
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
    switch (spec.form) {
        case DW_FORM_addr: set(FormClass::address, reader.unsigned_of_size(address_size)); break;
        case DW_FORM_addrx: set(FormClass::address, indexed_address(reader.uleb()).value); break;
        case DW_FORM_GNU_addr_index: set(FormClass::address, indexed_address(reader.uleb()).value); break;
        case DW_FORM_addrx1: set(FormClass::address, indexed_address(reader.u8()).value); break;
        case DW_FORM_addrx2: set(FormClass::address, indexed_address(reader.u16()).value); break;
        case DW_FORM_addrx3: set(FormClass::address, indexed_address(reader.u24()).value); break;
        case DW_FORM_addrx4: set(FormClass::address, indexed_address(reader.u32()).value); break;
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
        case DW_FORM_ref_addr: set(FormClass::reference, reader.unsigned_of_size(version == 2 ? address_size : offset_size)); break;
        case DW_FORM_ref_sig8: set(FormClass::signature, reader.u64()); break;
        case DW_FORM_string: set_text(reader.c_string()); break;
        case DW_FORM_strp: set_text(string_in(sections_->str, ".debug_str", reader.unsigned_of_size(offset_size))); break;
        case DW_FORM_line_strp:
            set_text(string_in(sections_->line_str, ".debug_line_str", reader.unsigned_of_size(offset_size)));
            break;
        case DW_FORM_strx: case DW_FORM_GNU_str_index: set_text(indexed_string(reader.uleb())); break;
        case DW_FORM_strx1: set_text(indexed_string(reader.u8())); break;
        case DW_FORM_strx2: set_text(indexed_string(reader.u16())); break;
        case DW_FORM_strx3: set_text(indexed_string(reader.u24())); break;
        case DW_FORM_strx4: set_text(indexed_string(reader.u32())); break;
        // Data in another file: read over, not followed.
        case DW_FORM_ref_sup4: set(FormClass::unsupported, reader.u32()); break;
        case DW_FORM_ref_sup8: set(FormClass::unsupported, reader.u64()); break;
        case DW_FORM_strp_sup: case DW_FORM_GNU_ref_alt: case DW_FORM_GNU_strp_alt:
            set(FormClass::unsupported, reader.unsigned_of_size(offset_size));
            break;
        case DW_FORM_indirect: {
            AttributeSpec actual{spec.name, static_cast<std::uint16_t>(reader.uleb()), 0};
            if (actual.form == DW_FORM_indirect) reader.fail("an indirect form names itself");
            if (actual.form == DW_FORM_implicit_const) actual.implicit_const = reader.sleb();
            return read_form(reader, actual);
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
        default: read_form(reader, spec); return;
    }
}

}  // namespace lantern::dwarf
