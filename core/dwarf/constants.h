// The numbers of DWARF that this project uses, by their names in the standard (DWARF 5 §7).
#pragma once

#include <cstdint>

namespace lantern::dwarf {

enum Tag : std::uint16_t {
    DW_TAG_array_type = 0x01, DW_TAG_class_type = 0x02, DW_TAG_entry_point = 0x03, DW_TAG_enumeration_type = 0x04,
    DW_TAG_formal_parameter = 0x05, DW_TAG_label = 0x0a, DW_TAG_lexical_block = 0x0b, DW_TAG_member = 0x0d,
    DW_TAG_pointer_type = 0x0f, DW_TAG_reference_type = 0x10, DW_TAG_compile_unit = 0x11, DW_TAG_string_type = 0x12,
    DW_TAG_structure_type = 0x13, DW_TAG_subroutine_type = 0x15, DW_TAG_typedef = 0x16, DW_TAG_union_type = 0x17,
    DW_TAG_unspecified_parameters = 0x18, DW_TAG_variant = 0x19, DW_TAG_inheritance = 0x1c,
    DW_TAG_inlined_subroutine = 0x1d, DW_TAG_module = 0x1e, DW_TAG_ptr_to_member_type = 0x1f,
    DW_TAG_subrange_type = 0x21, DW_TAG_base_type = 0x24, DW_TAG_const_type = 0x26, DW_TAG_constant = 0x27,
    DW_TAG_enumerator = 0x28, DW_TAG_subprogram = 0x2e, DW_TAG_template_type_parameter = 0x2f,
    DW_TAG_template_value_parameter = 0x30, DW_TAG_try_block = 0x32, DW_TAG_variant_part = 0x33,
    DW_TAG_variable = 0x34, DW_TAG_volatile_type = 0x35, DW_TAG_restrict_type = 0x37, DW_TAG_namespace = 0x39,
    DW_TAG_imported_declaration = 0x08, DW_TAG_imported_module = 0x3a, DW_TAG_unspecified_type = 0x3b,
    DW_TAG_partial_unit = 0x3c, DW_TAG_imported_unit = 0x3d, DW_TAG_rvalue_reference_type = 0x42,
    DW_TAG_template_alias = 0x43, DW_TAG_type_unit = 0x41, DW_TAG_atomic_type = 0x47, DW_TAG_call_site = 0x48,
    DW_TAG_call_site_parameter = 0x49, DW_TAG_skeleton_unit = 0x4a, DW_TAG_immutable_type = 0x4b,
    DW_TAG_GNU_template_parameter_pack = 0x4107, DW_TAG_GNU_call_site = 0x4109, DW_TAG_GNU_call_site_parameter = 0x410a,
};

enum At : std::uint16_t {
    DW_AT_sibling = 0x01, DW_AT_location = 0x02, DW_AT_name = 0x03, DW_AT_byte_size = 0x0b, DW_AT_bit_offset = 0x0c,
    DW_AT_bit_size = 0x0d, DW_AT_stmt_list = 0x10, DW_AT_low_pc = 0x11, DW_AT_high_pc = 0x12, DW_AT_language = 0x13,
    DW_AT_comp_dir = 0x1b, DW_AT_const_value = 0x1c, DW_AT_inline = 0x20, DW_AT_lower_bound = 0x22,
    DW_AT_producer = 0x25, DW_AT_prototyped = 0x27, DW_AT_upper_bound = 0x2f, DW_AT_abstract_origin = 0x31,
    DW_AT_artificial = 0x34, DW_AT_count = 0x37, DW_AT_data_member_location = 0x38, DW_AT_decl_column = 0x39,
    DW_AT_decl_file = 0x3a, DW_AT_decl_line = 0x3b, DW_AT_declaration = 0x3c, DW_AT_encoding = 0x3e,
    DW_AT_external = 0x3f, DW_AT_frame_base = 0x40, DW_AT_specification = 0x47, DW_AT_type = 0x49,
    DW_AT_data_location = 0x50, DW_AT_byte_stride = 0x51, DW_AT_entry_pc = 0x52, DW_AT_ranges = 0x55,
    DW_AT_call_column = 0x57, DW_AT_call_file = 0x58, DW_AT_call_line = 0x59, DW_AT_signature = 0x69,
    DW_AT_data_bit_offset = 0x6b, DW_AT_linkage_name = 0x6e, DW_AT_str_offsets_base = 0x72, DW_AT_addr_base = 0x73,
    DW_AT_macro_info = 0x43, DW_AT_macros = 0x79, DW_AT_GNU_macros = 0x2119,
    DW_AT_rnglists_base = 0x74, DW_AT_dwo_name = 0x76, DW_AT_noreturn = 0x87, DW_AT_alignment = 0x88,
    DW_AT_loclists_base = 0x8c, DW_AT_MIPS_linkage_name = 0x2007, DW_AT_GNU_vector = 0x2107,
    DW_AT_GNU_dwo_name = 0x2130, DW_AT_GNU_entry_view = 0x2138, DW_AT_GNU_dwo_id = 0x2131, DW_AT_GNU_ranges_base = 0x2132, DW_AT_GNU_addr_base = 0x2133,
    DW_AT_import = 0x18, DW_AT_discr = 0x15, DW_AT_discr_value = 0x16, DW_AT_virtuality = 0x4c,
    DW_AT_containing_type = 0x1d, DW_AT_calling_convention = 0x36, DW_AT_defaulted = 0x8b, DW_AT_call_return_pc = 0x7d, DW_AT_call_value = 0x7e, DW_AT_call_origin = 0x7f,
    DW_AT_call_target = 0x83, DW_AT_call_pc = 0x81, DW_AT_GNU_tail_call = 0x2115, DW_AT_call_tail_call = 0x82, DW_AT_GNU_call_site_value = 0x2111, DW_AT_GNU_call_site_target = 0x2113,
};

enum Form : std::uint16_t {
    DW_FORM_addr = 0x01, DW_FORM_block2 = 0x03, DW_FORM_block4 = 0x04, DW_FORM_data2 = 0x05, DW_FORM_data4 = 0x06,
    DW_FORM_data8 = 0x07, DW_FORM_string = 0x08, DW_FORM_block = 0x09, DW_FORM_block1 = 0x0a, DW_FORM_data1 = 0x0b,
    DW_FORM_flag = 0x0c, DW_FORM_sdata = 0x0d, DW_FORM_strp = 0x0e, DW_FORM_udata = 0x0f, DW_FORM_ref_addr = 0x10,
    DW_FORM_ref1 = 0x11, DW_FORM_ref2 = 0x12, DW_FORM_ref4 = 0x13, DW_FORM_ref8 = 0x14, DW_FORM_ref_udata = 0x15,
    DW_FORM_indirect = 0x16, DW_FORM_sec_offset = 0x17, DW_FORM_exprloc = 0x18, DW_FORM_flag_present = 0x19,
    DW_FORM_strx = 0x1a, DW_FORM_addrx = 0x1b, DW_FORM_ref_sup4 = 0x1c, DW_FORM_strp_sup = 0x1d, DW_FORM_data16 = 0x1e,
    DW_FORM_line_strp = 0x1f, DW_FORM_ref_sig8 = 0x20, DW_FORM_implicit_const = 0x21, DW_FORM_loclistx = 0x22,
    DW_FORM_rnglistx = 0x23, DW_FORM_ref_sup8 = 0x24, DW_FORM_strx1 = 0x25, DW_FORM_strx2 = 0x26, DW_FORM_strx3 = 0x27,
    DW_FORM_strx4 = 0x28, DW_FORM_addrx1 = 0x29, DW_FORM_addrx2 = 0x2a, DW_FORM_addrx3 = 0x2b, DW_FORM_addrx4 = 0x2c,
    DW_FORM_GNU_addr_index = 0x1f01, DW_FORM_GNU_str_index = 0x1f02, DW_FORM_GNU_ref_alt = 0x1f20,
    DW_FORM_GNU_strp_alt = 0x1f21,
};

enum UnitType : std::uint8_t {
    DW_UT_compile = 1, DW_UT_type = 2, DW_UT_partial = 3, DW_UT_skeleton = 4, DW_UT_split_compile = 5, DW_UT_split_type = 6,
};

// The pre-standard location lists of split DWARF 4 (the GNU "debug fission" proposal).
enum SplitLle : std::uint8_t {
    DW_LLE_GNU_end_of_list_entry = 0, DW_LLE_GNU_base_address_selection_entry = 1, DW_LLE_GNU_start_end_entry = 2,
    DW_LLE_GNU_start_length_entry = 3, DW_LLE_GNU_offset_pair_entry = 4,
};

// Columns of a split package's index (DWARF 5 §7.3.5.3; version 2 is the pre-standard one).
enum PackageColumn : std::uint32_t {
    DW_SECT_INFO = 1, DW_SECT_TYPES = 2, DW_SECT_ABBREV = 3, DW_SECT_LINE = 4, DW_SECT_LOCLISTS = 5,
    DW_SECT_STR_OFFSETS = 6, DW_SECT_RNGLISTS = 8,
};

// Attributes of the name index (DWARF 5 §6.1.1.4.8).
enum Idx : std::uint16_t { DW_IDX_compile_unit = 1, DW_IDX_type_unit = 2, DW_IDX_die_offset = 3 };

enum BaseEncoding : std::uint8_t {
    DW_ATE_address = 1, DW_ATE_boolean = 2, DW_ATE_complex_float = 3, DW_ATE_float = 4, DW_ATE_signed = 5,
    DW_ATE_signed_char = 6, DW_ATE_unsigned = 7, DW_ATE_unsigned_char = 8, DW_ATE_UTF = 0x10,
};

// DW_AT_calling_convention (DWARF 5 §7.16).
enum : std::uint64_t { DW_CC_nocall = 3, DW_CC_pass_by_reference = 4, DW_CC_pass_by_value = 5 };

enum Language : std::uint16_t {
    DW_LANG_C89 = 1, DW_LANG_C = 2, DW_LANG_C_plus_plus = 4, DW_LANG_C99 = 0x0c, DW_LANG_C_plus_plus_03 = 0x19,
    DW_LANG_C_plus_plus_11 = 0x1a, DW_LANG_Rust = 0x1c, DW_LANG_Ada83 = 0x03,
    DW_LANG_Fortran77 = 0x07, DW_LANG_Fortran90 = 0x08, DW_LANG_Pascal83 = 0x09, DW_LANG_Ada95 = 0x0d, DW_LANG_Fortran95 = 0x0e,
    DW_LANG_ObjC = 0x10, DW_LANG_D = 0x13, DW_LANG_Go = 0x16, DW_LANG_Swift = 0x1e, DW_LANG_Fortran03 = 0x22, DW_LANG_Fortran08 = 0x23, DW_LANG_C11 = 0x1d, DW_LANG_C_plus_plus_14 = 0x21,
    DW_LANG_C17 = 0x2c, DW_LANG_C_plus_plus_17 = 0x2a, DW_LANG_C_plus_plus_20 = 0x2b, DW_LANG_Mips_Assembler = 0x8001,
};

enum Lne : std::uint8_t { DW_LNE_end_sequence = 1, DW_LNE_set_address = 2, DW_LNE_define_file = 3, DW_LNE_set_discriminator = 4 };

enum Lns : std::uint8_t {
    DW_LNS_copy = 1, DW_LNS_advance_pc = 2, DW_LNS_advance_line = 3, DW_LNS_set_file = 4, DW_LNS_set_column = 5,
    DW_LNS_negate_stmt = 6, DW_LNS_set_basic_block = 7, DW_LNS_const_add_pc = 8, DW_LNS_fixed_advance_pc = 9,
    DW_LNS_set_prologue_end = 10, DW_LNS_set_epilogue_begin = 11, DW_LNS_set_isa = 12,
};

enum Lnct : std::uint16_t { DW_LNCT_path = 1, DW_LNCT_directory_index = 2, DW_LNCT_timestamp = 3, DW_LNCT_size = 4, DW_LNCT_MD5 = 5 };

enum Rle : std::uint8_t {
    DW_RLE_end_of_list = 0, DW_RLE_base_addressx = 1, DW_RLE_startx_endx = 2, DW_RLE_startx_length = 3,
    DW_RLE_offset_pair = 4, DW_RLE_base_address = 5, DW_RLE_start_end = 6, DW_RLE_start_length = 7,
};

enum Lle : std::uint8_t {
    DW_LLE_end_of_list = 0, DW_LLE_base_addressx = 1, DW_LLE_startx_endx = 2, DW_LLE_startx_length = 3,
    DW_LLE_offset_pair = 4, DW_LLE_default_location = 5, DW_LLE_base_address = 6, DW_LLE_start_end = 7,
    DW_LLE_start_length = 8, DW_LLE_GNU_view_pair = 9,
};

enum Op : std::uint8_t {
    DW_OP_addr = 0x03, DW_OP_deref = 0x06, DW_OP_const1u = 0x08, DW_OP_const1s, DW_OP_const2u, DW_OP_const2s,
    DW_OP_const4u, DW_OP_const4s, DW_OP_const8u, DW_OP_const8s, DW_OP_constu, DW_OP_consts, DW_OP_dup, DW_OP_drop,
    DW_OP_over, DW_OP_pick, DW_OP_swap, DW_OP_rot, DW_OP_xderef, DW_OP_abs, DW_OP_and, DW_OP_div, DW_OP_minus,
    DW_OP_mod, DW_OP_mul, DW_OP_neg, DW_OP_not, DW_OP_or, DW_OP_plus, DW_OP_plus_uconst, DW_OP_shl, DW_OP_shr,
    DW_OP_shra, DW_OP_xor, DW_OP_bra, DW_OP_eq, DW_OP_ge, DW_OP_gt, DW_OP_le, DW_OP_lt, DW_OP_ne, DW_OP_skip,
    DW_OP_lit0 = 0x30, DW_OP_reg0 = 0x50, DW_OP_breg0 = 0x70, DW_OP_regx = 0x90, DW_OP_fbreg, DW_OP_bregx, DW_OP_piece,
    DW_OP_deref_size, DW_OP_xderef_size, DW_OP_nop, DW_OP_push_object_address, DW_OP_call2, DW_OP_call4,
    DW_OP_call_ref, DW_OP_form_tls_address, DW_OP_call_frame_cfa, DW_OP_bit_piece, DW_OP_implicit_value,
    DW_OP_stack_value, DW_OP_implicit_pointer, DW_OP_addrx, DW_OP_constx, DW_OP_entry_value, DW_OP_const_type,
    DW_OP_regval_type, DW_OP_deref_type, DW_OP_xderef_type, DW_OP_convert, DW_OP_reinterpret,
    DW_OP_GNU_push_tls_address = 0xe0, DW_OP_GNU_uninit = 0xf0, DW_OP_GNU_implicit_pointer = 0xf2,
    DW_OP_GNU_entry_value = 0xf3, DW_OP_GNU_const_type = 0xf4, DW_OP_GNU_regval_type = 0xf5,
    DW_OP_GNU_deref_type = 0xf6, DW_OP_GNU_convert = 0xf7, DW_OP_GNU_reinterpret = 0xf9,
    DW_OP_GNU_parameter_ref = 0xfa, DW_OP_GNU_addr_index = 0xfb, DW_OP_GNU_const_index = 0xfc,
    DW_OP_GNU_variable_value = 0xfd,
};

enum Cfa : std::uint8_t {
    DW_CFA_nop = 0, DW_CFA_set_loc, DW_CFA_advance_loc1, DW_CFA_advance_loc2, DW_CFA_advance_loc4,
    DW_CFA_offset_extended, DW_CFA_restore_extended, DW_CFA_undefined, DW_CFA_same_value, DW_CFA_register,
    DW_CFA_remember_state, DW_CFA_restore_state, DW_CFA_def_cfa, DW_CFA_def_cfa_register, DW_CFA_def_cfa_offset,
    DW_CFA_def_cfa_expression, DW_CFA_expression, DW_CFA_offset_extended_sf, DW_CFA_def_cfa_sf,
    DW_CFA_def_cfa_offset_sf, DW_CFA_val_offset, DW_CFA_val_offset_sf, DW_CFA_val_expression,
    DW_CFA_GNU_args_size = 0x2e, DW_CFA_GNU_negative_offset_extended = 0x2f,
    DW_CFA_advance_loc = 0x40, DW_CFA_offset = 0x80, DW_CFA_restore = 0xc0,
};

// Pointer encodings of .eh_frame (Linux Standard Base, "DWARF Exception Header Encoding").
enum Peh : std::uint8_t {
    DW_EH_PE_absptr = 0x00, DW_EH_PE_uleb128 = 0x01, DW_EH_PE_udata2 = 0x02, DW_EH_PE_udata4 = 0x03,
    DW_EH_PE_udata8 = 0x04, DW_EH_PE_sleb128 = 0x09, DW_EH_PE_sdata2 = 0x0a, DW_EH_PE_sdata4 = 0x0b,
    DW_EH_PE_sdata8 = 0x0c, DW_EH_PE_pcrel = 0x10, DW_EH_PE_datarel = 0x30, DW_EH_PE_indirect = 0x80, DW_EH_PE_omit = 0xff,
};

}  // namespace lantern::dwarf
