// What types are made of: read when it is asked for (DWARF 5 §5.7).
#include "core/symbols/type_table.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/support/error.h"
#include "core/symbols/names.h"

namespace lantern {

using namespace dwarf;

namespace {

// A member's offset: a number, or in DWARF 2 an expression that adds one (DWARF 2 §5.5.6).
std::uint64_t member_offset(const Entry& member) {
    auto location = member.attribute(DW_AT_data_member_location);
    if (!location) return 0;
    if (location->form_class != FormClass::block && location->form_class != FormClass::expression)
        return location->number;
    ByteReader reader(location->block, "member location");
    if (reader.at_end() || reader.u8() != DW_OP_plus_uconst) return 0;
    return reader.uleb();
}

// Where a virtual base stands is computed from the object (DWARF 5 §5.7.3).
ByteSpan offset_expression(const Entry& member) {
    auto location = member.attribute(DW_AT_data_member_location);
    if (!location || !location->is_expression() || location->block.empty()) return {};
    return static_cast<std::uint8_t>(location->block[0]) == DW_OP_plus_uconst ? ByteSpan()
                                                                              : location->block;
}

// Of DWARF 5 a variable, before that a member that is only declared.
bool is_static(const Entry& child) {
    return child.tag() == DW_TAG_variable ||
           (child.tag() == DW_TAG_member && child.flag(DW_AT_declaration));
}

}  // namespace

Member TypeTable::read_member(const Entry& entry) const {
    Member member;
    member.name = entry.text(DW_AT_name).value_or("");
    member.type = type_of(entry);
    member.is_base_class = entry.tag() == DW_TAG_inheritance;
    member.is_virtual_base =
        member.is_base_class && entry.number(DW_AT_virtuality).value_or(0) != 0;
    member.is_artificial = entry.flag(DW_AT_artificial);
    member.offset_expression = offset_expression(entry);
    member.offset = member_offset(entry);
    member.bit_size = entry.number(DW_AT_bit_size).value_or(0);
    if (!member.bit_size) return member;
    if (auto from_start = entry.number(DW_AT_data_bit_offset)) {
        member.bit_offset = *from_start;
    } else {
        // Up to DWARF 3 the offset counted from the most significant bit of the storage unit (DWARF
        // 3 §5.5.6).
        std::uint64_t unit_bits =
            8 * entry.number(DW_AT_byte_size).value_or(plain(*member.type).size);
        std::uint64_t from_top = entry.number(DW_AT_bit_offset).value_or(0);
        member.bit_offset = member.offset * 8 + unit_bits - from_top - member.bit_size;
    }
    member.offset = member.bit_offset / 8;
    return member;
}

std::vector<Member> TypeTable::read_members(const Type& type) const {
    std::vector<Member> members;
    auto entry = info_.entry_at(type.entry_offset);
    if (!entry) return members;
    for_each_child(*entry, [&](const Entry& child) {
        if (is_static(child)) return;
        if (child.tag() == DW_TAG_member || child.tag() == DW_TAG_inheritance)
            members.push_back(read_member(child));
    });
    return members;
}

std::vector<Member> TypeTable::read_static_members(const Type& type) const {
    std::vector<Member> members;
    auto entry = info_.entry_at(type.entry_offset);
    if (!entry) return members;
    for_each_child(*entry, [&](const Entry& child) {
        if (!is_static(child)) return;
        Member member;
        member.name = child.text(DW_AT_name).value_or("");
        member.type = type_of(child);
        if (auto constant = child.number(DW_AT_const_value))
            member.constant = static_cast<std::int64_t>(*constant);
        members.push_back(std::move(member));
    });
    return members;
}

std::vector<Variant> TypeTable::read_variants(const Type& type) const {
    std::vector<Variant> variants;
    auto entry = info_.entry_at(type.entry_offset);
    if (!entry) return variants;
    for_each_child(*entry, [&](const Entry& part) {
        if (part.tag() != DW_TAG_variant_part) return;
        for_each_child(part, [&](const Entry& child) {
            if (child.tag() != DW_TAG_variant) return;
            Variant variant;
            if (auto value = child.number(DW_AT_discr_value))
                variant.discriminant = static_cast<std::int64_t>(*value);
            else
                variant.is_default = part.has(DW_AT_discr);
            for_each_child(child, [&](const Entry& field) {
                if (field.tag() != DW_TAG_member) return;
                variant.members.push_back(read_member(field));
                variant.line =
                    static_cast<std::uint32_t>(field.number(DW_AT_decl_line).value_or(0));
            });
            if (!variant.members.empty()) variant.name = variant.members.front().name;
            variants.push_back(std::move(variant));
        });
    });
    return variants;
}

std::optional<Member> TypeTable::read_discriminant(const Type& type) const {
    std::optional<Member> found;
    auto entry = info_.entry_at(type.entry_offset);
    if (!entry) return found;
    for_each_child(*entry, [&](const Entry& part) {
        if (part.tag() != DW_TAG_variant_part || found) return;
        if (auto member = info_.referred(part, DW_AT_discr)) found = read_member(*member);
    });
    return found;
}

std::vector<TemplateArgument> TypeTable::read_arguments(const Type& type) const {
    std::vector<TemplateArgument> arguments;
    auto entry = info_.entry_at(type.entry_offset);
    if (!entry) return arguments;
    auto read = [&](const Entry& child) {
        if (child.tag() != DW_TAG_template_type_parameter &&
            child.tag() != DW_TAG_template_value_parameter)
            return;
        TemplateArgument argument;
        argument.name = child.text(DW_AT_name).value_or("");
        argument.type = type_of(child);
        if (child.tag() == DW_TAG_template_value_parameter)
            argument.value = static_cast<std::int64_t>(child.number(DW_AT_const_value).value_or(0));
        arguments.push_back(std::move(argument));
    };
    for_each_child(*entry, [&](const Entry& child) {
        read(child);
        if (child.tag() == DW_TAG_GNU_template_parameter_pack) for_each_child(child, read);
    });
    return arguments;
}

// Compilers that do not say it (DW_AT_calling_convention) leave it to be seen from the class: a
// destructor, a copy or move constructor that somebody wrote, virtual functions, or a part of which
// any of these is true.
bool TypeTable::read_passed_by_reference(const Type& type) const {
    if (type.kind != TypeKind::structure || type.is_rust) return false;
    auto entry = info_.entry_at(type.entry_offset);
    if (!entry) return false;
    auto said = entry->number(DW_AT_calling_convention).value_or(0);
    if (said == DW_CC_pass_by_reference || said == DW_CC_pass_by_value)
        return said == DW_CC_pass_by_reference;
    std::string name(without_template_arguments(type.name));
    bool found = false;
    for_each_child(*entry, [&](const Entry& child) {
        if (child.tag() != DW_TAG_subprogram) return;
        if (child.number(DW_AT_virtuality).value_or(0)) found = true;
        if (child.flag(DW_AT_artificial) || child.number(DW_AT_defaulted).value_or(0)) return;
        std::string_view function = child.text(DW_AT_name).value_or("");
        if (function == "~" + name) found = true;
        if (function != name) return;
        unsigned parameters = 0;
        const Type* last = nullptr;
        for_each_child(child, [&](const Entry& parameter) {
            if (parameter.tag() != DW_TAG_formal_parameter || parameter.flag(DW_AT_artificial))
                return;
            ++parameters;
            last = type_of(parameter);
        });
        if (parameters == 1 && plain(*last).kind == TypeKind::reference &&
            &plain(target_of(plain(*last))) == &type)
            found = true;
    });
    if (found) return true;
    for (const Member& member : type.members())
        if (member.is_virtual_base ||
            (&plain(*member.type) != &type && plain(*member.type).is_passed_by_reference()))
            return true;
    return false;
}

std::string TypeTable::full_name(const Type& type) const {
    auto entry = info_.entry_at(type.entry_offset);
    if (!entry) return type.name;
    std::string qualified = qualified_name_(type.entry_offset);
    if (qualified.empty()) return type.name;
    bool plain_name = entry->unit().is_cplusplus() || entry->unit().is_rust();
    return plain_name ? qualified : type.name;
}

std::vector<std::string> TypeTable::read_methods(const Type& type) const {
    std::vector<std::string> names;
    auto entry = info_.entry_at(type.entry_offset);
    if (!entry) return names;
    for_each_child(*entry, [&](const Entry& child) {
        if (child.tag() != DW_TAG_subprogram || child.flag(DW_AT_artificial)) return;
        if (auto name = child.text(DW_AT_name);
            name && std::find(names.begin(), names.end(), *name) == names.end())
            names.emplace_back(*name);
    });
    return names;
}

}  // namespace lantern
