// The values of attributes, by their forms (DWARF 5 §7.5.5).
#include "core/dwarf/unit.h"

#include <fmt/format.h>

#include "core/support/error.h"

namespace lantern::dwarf {

FormValue Unit::read_form(ByteReader& reader, const AttributeSpec& spec) const {
    return read_form_with(reader, spec, root());
}

FormValue Unit::read_form_with(ByteReader& reader, const AttributeSpec& spec,
                               const UnitRoot& bases) const {
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
    auto indexed = [&](std::uint64_t index) {
        return string_in(sections().str, ".debug_str", string_offset_with(index, bases));
    };
    // Without the shared file there is nothing to follow.
    auto set_shared = [&](std::uint64_t at) {
        if (section_->shared) set(FormClass::reference, section_->shared->base() + at);
    };
    switch (spec.form) {
        case DW_FORM_addr: set(FormClass::address, reader.unsigned_of_size(address_size)); break;
        case DW_FORM_addrx:
            set(FormClass::address, address_with(reader.uleb(), bases).value);
            break;
        case DW_FORM_GNU_addr_index:
            set(FormClass::address, address_with(reader.uleb(), bases).value);
            break;
        case DW_FORM_addrx1: set(FormClass::address, address_with(reader.u8(), bases).value); break;
        case DW_FORM_addrx2:
            set(FormClass::address, address_with(reader.u16(), bases).value);
            break;
        case DW_FORM_addrx3:
            set(FormClass::address, address_with(reader.u24(), bases).value);
            break;
        case DW_FORM_addrx4:
            set(FormClass::address, address_with(reader.u32(), bases).value);
            break;
        case DW_FORM_block1: set_block(FormClass::block, reader.u8()); break;
        case DW_FORM_block2: set_block(FormClass::block, reader.u16()); break;
        case DW_FORM_block4: set_block(FormClass::block, reader.u32()); break;
        case DW_FORM_block: set_block(FormClass::block, reader.uleb()); break;
        case DW_FORM_data16: set_block(FormClass::block, 16); break;
        case DW_FORM_exprloc: set_block(FormClass::expression, reader.uleb()); break;
        case DW_FORM_data1: set(FormClass::constant, reader.u8()); break;
        case DW_FORM_data2: set(FormClass::constant, reader.u16()); break;
        // Before version 4 these two also carried section offsets (DWARF 3 §7.5.4).
        case DW_FORM_data4:
            set(version < 4 ? FormClass::section_offset : FormClass::constant, reader.u32());
            break;
        case DW_FORM_data8:
            set(version < 4 ? FormClass::section_offset : FormClass::constant, reader.u64());
            break;
        case DW_FORM_udata: set(FormClass::constant, reader.uleb()); break;
        case DW_FORM_sdata:
            set(FormClass::signed_constant, static_cast<std::uint64_t>(reader.sleb()));
            break;
        case DW_FORM_implicit_const:
            set(FormClass::signed_constant, static_cast<std::uint64_t>(spec.implicit_const));
            break;
        case DW_FORM_flag: set(FormClass::flag, reader.u8()); break;
        case DW_FORM_flag_present: set(FormClass::flag, 1); break;
        case DW_FORM_sec_offset:
            set(FormClass::section_offset, reader.unsigned_of_size(offset_size));
            break;
        case DW_FORM_loclistx: set(FormClass::list_index, reader.uleb()); break;
        case DW_FORM_rnglistx: set(FormClass::list_index, reader.uleb()); break;
        case DW_FORM_ref1: set(FormClass::reference, offset + reader.u8()); break;
        case DW_FORM_ref2: set(FormClass::reference, offset + reader.u16()); break;
        case DW_FORM_ref4: set(FormClass::reference, offset + reader.u32()); break;
        case DW_FORM_ref8: set(FormClass::reference, offset + reader.u64()); break;
        case DW_FORM_ref_udata: set(FormClass::reference, offset + reader.uleb()); break;
        case DW_FORM_ref_addr:
            set(FormClass::reference,
                section_->base() +
                    reader.unsigned_of_size(version == 2 ? address_size : offset_size));
            break;
        case DW_FORM_ref_sig8: set(FormClass::signature, reader.u64()); break;
        case DW_FORM_string: set_text(reader.c_string()); break;
        case DW_FORM_strp:
            set_text(string_in(sections().str, ".debug_str", reader.unsigned_of_size(offset_size)));
            break;
        case DW_FORM_line_strp:
            set_text(string_in(sections().line_str, ".debug_line_str",
                               reader.unsigned_of_size(offset_size)));
            break;
        case DW_FORM_strx:
        case DW_FORM_GNU_str_index: set_text(indexed(reader.uleb())); break;
        case DW_FORM_strx1: set_text(indexed(reader.u8())); break;
        case DW_FORM_strx2: set_text(indexed(reader.u16())); break;
        case DW_FORM_strx3: set_text(indexed(reader.u24())); break;
        case DW_FORM_strx4: set_text(indexed(reader.u32())); break;
        case DW_FORM_ref_sup4: set_shared(reader.u32()); break;
        case DW_FORM_ref_sup8: set_shared(reader.u64()); break;
        case DW_FORM_GNU_ref_alt: set_shared(reader.unsigned_of_size(offset_size)); break;
        case DW_FORM_strp_sup:
        case DW_FORM_GNU_strp_alt:
            set_text(shared_string(reader.unsigned_of_size(offset_size)));
            break;
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
        case DW_FORM_flag_present:
        case DW_FORM_implicit_const: return;
        case DW_FORM_data1:
        case DW_FORM_ref1:
        case DW_FORM_flag:
        case DW_FORM_strx1:
        case DW_FORM_addrx1: return reader.skip(1);
        case DW_FORM_data2:
        case DW_FORM_ref2:
        case DW_FORM_strx2:
        case DW_FORM_addrx2: return reader.skip(2);
        case DW_FORM_strx3:
        case DW_FORM_addrx3: return reader.skip(3);
        case DW_FORM_data4:
        case DW_FORM_ref4:
        case DW_FORM_strx4:
        case DW_FORM_addrx4:
        case DW_FORM_ref_sup4: return reader.skip(4);
        case DW_FORM_data8:
        case DW_FORM_ref8:
        case DW_FORM_ref_sig8:
        case DW_FORM_ref_sup8: return reader.skip(8);
        case DW_FORM_data16: return reader.skip(16);
        case DW_FORM_addr: return reader.skip(address_size);
        case DW_FORM_strp:
        case DW_FORM_line_strp:
        case DW_FORM_sec_offset:
        case DW_FORM_strp_sup:
        case DW_FORM_GNU_ref_alt:
        case DW_FORM_GNU_strp_alt: return reader.skip(offset_size);
        case DW_FORM_ref_addr: return reader.skip(version == 2 ? address_size : offset_size);
        case DW_FORM_udata:
        case DW_FORM_sdata:
        case DW_FORM_ref_udata:
        case DW_FORM_strx:
        case DW_FORM_addrx:
        case DW_FORM_loclistx:
        case DW_FORM_rnglistx:
        case DW_FORM_GNU_addr_index:
        case DW_FORM_GNU_str_index: reader.uleb(); return;
        case DW_FORM_string: reader.c_string(); return;
        case DW_FORM_block1: return reader.skip(reader.u8());
        case DW_FORM_block2: return reader.skip(reader.u16());
        case DW_FORM_block4: return reader.skip(reader.u32());
        case DW_FORM_block:
        case DW_FORM_exprloc: return reader.skip(reader.uleb());
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
