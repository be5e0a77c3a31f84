#include "core/symbols/type_table.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/support/error.h"
#include "core/symbols/names.h"

namespace lantern {

using namespace dwarf;

namespace {

// Array bounds that a compiler wrote as -1 or left out mean "not known".
std::optional<std::uint64_t> dimension(const Entry& subrange) {
    if (auto count = subrange.attribute(DW_AT_count))
        return count->form_class == FormClass::constant || count->form_class == FormClass::signed_constant
                   ? std::optional(count->number) : std::nullopt;
    auto upper = subrange.attribute(DW_AT_upper_bound);
    if (!upper || (upper->form_class != FormClass::constant && upper->form_class != FormClass::signed_constant)) return std::nullopt;
    std::uint64_t bound = upper->number, lower = subrange.number(DW_AT_lower_bound).value_or(0);
    if (bound == ~std::uint64_t{0} || (upper->form == DW_FORM_data4 && bound == 0xffffffff)) return 0;
    return bound - lower + 1;
}

std::string_view keyword(Tag tag) {
    switch (tag) {
        case DW_TAG_structure_type: return "struct ";
        case DW_TAG_union_type: return "union ";
        case DW_TAG_enumeration_type: return "enum ";
        default: return "";
    }
}

// A member's offset: a number, or in DWARF 2 an expression that adds one (DWARF 2 §5.5.6).
std::uint64_t member_offset(const Entry& member) {
    auto location = member.attribute(DW_AT_data_member_location);
    if (!location) return 0;
    if (location->form_class != FormClass::block && location->form_class != FormClass::expression) return location->number;
    ByteReader reader(location->block, "member location");
    if (reader.at_end() || reader.u8() != DW_OP_plus_uconst) return 0;
    return reader.uleb();
}

bool is_expression(const FormValue& value) {
    return value.form_class == FormClass::block || value.form_class == FormClass::expression;
}

// Where a virtual base stands is computed from the object (DWARF 5 §5.7.3).
ByteSpan offset_expression(const Entry& member) {
    auto location = member.attribute(DW_AT_data_member_location);
    if (!location || !is_expression(*location) || location->block.empty()) return {};
    return static_cast<std::uint8_t>(location->block[0]) == DW_OP_plus_uconst ? ByteSpan() : location->block;
}

// What tells how long an array is, where that is no number.
std::optional<DynamicLength> dynamic_length(const Entry& subrange) {
    for (At name : {DW_AT_count, DW_AT_upper_bound}) {
        auto value = subrange.attribute(name);
        if (!value || (!is_expression(*value) && value->form_class != FormClass::reference)) continue;
        return DynamicLength{*value, name == DW_AT_upper_bound, &subrange.unit()};
    }
    return std::nullopt;
}

// Of DWARF 5 a variable, before that a member that is only declared.
bool is_static(const Entry& child) {
    return child.tag() == DW_TAG_variable || (child.tag() == DW_TAG_member && child.flag(DW_AT_declaration));
}

// C says "struct barge"; C++ and Rust say "barge".
std::string tagged_name(const Entry& entry) {
    auto name = entry.text(DW_AT_name);
    if (!name) return {};
    bool plain_name = entry.unit().is_cplusplus() || entry.unit().is_rust();
    return plain_name ? std::string(*name) : std::string(keyword(entry.tag())).append(*name);
}

}  // namespace

TypeTable::TypeTable(const DebugInfo& info, FindComplete find_complete, FileName file_name, QualifiedName qualified_name)
    : info_(info), find_complete_(std::move(find_complete)), file_name_(std::move(file_name)), qualified_name_(std::move(qualified_name)) {}

const Type* TypeTable::type_of(const Entry& entry) const {
    auto value = entry.attribute(DW_AT_type);
    if (!value) return &void_type();
    auto target = info_.referred(*value);
    return target ? type_at(target->offset()) : &void_type();
}

const Type* TypeTable::type_at(std::uint64_t offset) const {
    auto& slot = types_[offset];
    if (slot) return slot.get();
    slot = std::make_unique<Type>();
    Type& type = *slot;  // stays valid while `types_` grows
    type.table = this;
    type.entry_offset = offset;
    // A program's types nest a few deep; a file made to harm could nest them a million deep.
    constexpr unsigned kDeepest = 500;
    if (depth_ >= kDeepest) return &type;
    ++depth_;
    try {
        auto entry = info_.entry_at(offset);
        if (entry && entry->has(DW_AT_signature)) {  // declared here, defined in a type unit (DWARF 5 §5.7.1)
            if (auto definition = info_.referred(*entry, DW_AT_signature)) entry = definition;
            type.entry_offset = entry->offset();
        }
        if (entry) fill(type, *entry);
    } catch (...) {
        --depth_;
        throw;
    }
    --depth_;
    return &type;
}

void TypeTable::fill(Type& type, const Entry& entry) const {
    type.name = entry.text(DW_AT_name).value_or("");
    type.size = entry.number(DW_AT_byte_size).value_or(0);
    type.declared_at = static_cast<std::uint32_t>(entry.number(DW_AT_decl_line).value_or(0));
    if (auto file = entry.number(DW_AT_decl_file)) type.declared_in = file_name_(entry.unit(), *file);
    type.is_rust = entry.unit().is_rust();
    auto wrap = [&](TypeKind kind) {
        type.kind = kind;
        type.target = type_of(entry);
        break_circle(type);
    };
    auto qualify = [&](const char* word) {
        wrap(TypeKind::qualified);
        type.qualifier = word;
        type.size = type.target->size;
    };
    switch (entry.tag()) {
        case DW_TAG_base_type: fill_base(type, entry); break;
        case DW_TAG_unspecified_type: type.kind = TypeKind::nothing; break;
        case DW_TAG_ptr_to_member_type:
            wrap(TypeKind::member_pointer);
            if (auto holder = info_.referred(entry, DW_AT_containing_type)) type.holder = type_at(holder->offset());
            // A function's is its address or its place in the table, and what to add to the object (Itanium C++ ABI §2.3).
            type.size = target_of(type).kind == TypeKind::function ? 16 : 8;
            break;
        case DW_TAG_pointer_type:
            wrap(TypeKind::pointer);
            if (!type.size) type.size = entry.unit().address_size;
            break;
        case DW_TAG_reference_type:
        case DW_TAG_rvalue_reference_type:
            wrap(TypeKind::reference);
            type.is_rvalue = entry.tag() == DW_TAG_rvalue_reference_type;
            if (!type.size) type.size = entry.unit().address_size;
            break;
        case DW_TAG_typedef:
        case DW_TAG_template_alias:
            wrap(TypeKind::alias);
            type.size = type.target->size;
            break;
        case DW_TAG_const_type: qualify("const"); break;
        case DW_TAG_volatile_type: qualify("volatile"); break;
        case DW_TAG_restrict_type: qualify("restrict"); break;
        case DW_TAG_atomic_type: qualify("_Atomic"); break;
        case DW_TAG_immutable_type: qualify("const"); break;
        case DW_TAG_array_type: fill_array(type, entry); break;
        case DW_TAG_structure_type: case DW_TAG_class_type: case DW_TAG_union_type: fill_structure(type, entry); break;
        case DW_TAG_enumeration_type: fill_enumeration(type, entry); break;
        case DW_TAG_subroutine_type: fill_function(type, entry); break;
        default: type.kind = TypeKind::unknown;
    }
}

// An alias or qualifier whose chain leads back to itself stands for nothing.
void TypeTable::break_circle(Type& type) const {
    auto passes_on = [](const Type* each) { return each && (each->kind == TypeKind::alias || each->kind == TypeKind::qualified); };
    for (const Type* each = type.target; passes_on(&type) && passes_on(each); each = each->target) {
        if (each != &type) continue;
        type.target = &void_type();
        problems_.push_back(fmt::format("the type at {:#x} is an alias of itself", type.entry_offset));
        return;
    }
}

void TypeTable::fill_base(Type& type, const Entry& entry) const {
    switch (entry.number(DW_AT_encoding).value_or(0)) {
        case DW_ATE_boolean: type.kind = TypeKind::boolean; break;
        case DW_ATE_signed: type.kind = TypeKind::integer; type.is_signed = true; break;
        case DW_ATE_unsigned: case DW_ATE_address: type.kind = TypeKind::integer; break;
        case DW_ATE_signed_char: type.kind = TypeKind::character; type.is_signed = true; break;
        case DW_ATE_unsigned_char: type.kind = TypeKind::character; break;
        case DW_ATE_UTF:
            type.kind = TypeKind::character;
            type.is_text = true;
            break;
        case DW_ATE_float: type.kind = TypeKind::floating; type.is_signed = true; break;
        case DW_ATE_complex_float: type.kind = TypeKind::complex; break;
        default: type.kind = TypeKind::unknown;
    }
    if (type.name == "()") type.kind = TypeKind::structure;
    if (type.name == "wchar_t") {
        type.kind = TypeKind::character;
        type.is_text = true;
    }
}

void TypeTable::fill_array(Type& type, const Entry& entry) const {
    struct Dimension {
        std::optional<std::uint64_t> count;
        std::optional<DynamicLength> dynamic;
    };
    std::vector<Dimension> dimensions;
    for_each_child(entry, [&](const Entry& child) {
        if (child.tag() == DW_TAG_subrange_type) dimensions.push_back({dimension(child), dynamic_length(child)});
    });
    if (dimensions.empty()) dimensions.emplace_back();
    // int grid[3][4] is an array of 3 whose elements are arrays of 4.
    const Type* element = type_of(entry);
    for (std::size_t i = dimensions.size(); i-- > 1;) {
        auto inner = std::make_unique<Type>();
        inner->kind = TypeKind::array;
        inner->target = element;
        inner->count = dimensions[i].count;
        inner->dynamic_length = dimensions[i].dynamic;
        inner->size = element->size * dimensions[i].count.value_or(0);
        inner->is_rust = type.is_rust;
        element = inner.get();
        inner_dimensions_.push_back(std::move(inner));
    }
    type.kind = TypeKind::array;
    type.target = element;
    type.count = dimensions[0].count;
    type.dynamic_length = dimensions[0].dynamic;
    type.is_vector = entry.flag(DW_AT_GNU_vector);
    if (!type.size) type.size = element->size * dimensions[0].count.value_or(0);
}

void TypeTable::fill_structure(Type& type, const Entry& entry) const {
    type.kind = entry.tag() == DW_TAG_union_type ? TypeKind::union_ : TypeKind::structure;
    type.name = tagged_name(entry);
    type.is_incomplete = entry.flag(DW_AT_declaration);
    // Rust's tables of a trait's functions say which type they are for.
    if (type.is_rust)
        if (auto holder = info_.referred(entry, DW_AT_containing_type)) type.holder = type_at(holder->offset());
    if (!type.is_incomplete) return;
    auto complete = find_complete_(entry);
    if (!complete || *complete == entry.offset()) return;
    auto definition = info_.entry_at(*complete);
    if (!definition || definition->flag(DW_AT_declaration)) return;
    type.is_incomplete = false;
    type.entry_offset = *complete;
    type.size = definition->number(DW_AT_byte_size).value_or(0);
}

void TypeTable::fill_enumeration(Type& type, const Entry& entry) const {
    type.kind = TypeKind::enumeration;
    type.name = tagged_name(entry);
    for_each_child(entry, [&](const Entry& child) {
        if (child.tag() != DW_TAG_enumerator) return;
        std::int64_t value = static_cast<std::int64_t>(child.number(DW_AT_const_value).value_or(0));
        if (value < 0) type.is_signed = true;
        type.enumerators.push_back({std::string(child.text(DW_AT_name).value_or("")), value});
    });
    if (entry.has(DW_AT_type)) {
        const Type& underlying = plain(*type_of(entry));
        type.is_signed = underlying.is_signed;
        if (!type.size) type.size = underlying.size;
    }
}

void TypeTable::fill_function(Type& type, const Entry& entry) const {
    type.kind = TypeKind::function;
    type.target = type_of(entry);
    for_each_child(entry, [&](const Entry& child) {
        if (child.tag() == DW_TAG_formal_parameter) type.parameters.push_back(type_of(child));
        if (child.tag() == DW_TAG_unspecified_parameters) type.is_variadic = true;
    });
}

Member TypeTable::read_member(const Entry& entry) const {
    Member member;
    member.name = entry.text(DW_AT_name).value_or("");
    member.type = type_of(entry);
    member.is_base_class = entry.tag() == DW_TAG_inheritance;
    member.is_virtual_base = member.is_base_class && entry.number(DW_AT_virtuality).value_or(0) != 0;
    member.is_artificial = entry.flag(DW_AT_artificial);
    member.offset_expression = offset_expression(entry);
    member.offset = member_offset(entry);
    member.bit_size = entry.number(DW_AT_bit_size).value_or(0);
    if (!member.bit_size) return member;
    if (auto from_start = entry.number(DW_AT_data_bit_offset)) {
        member.bit_offset = *from_start;
    } else {
        // Up to DWARF 3 the offset counted from the most significant bit of the storage unit (DWARF 3 §5.5.6).
        std::uint64_t unit_bits = 8 * entry.number(DW_AT_byte_size).value_or(plain(*member.type).size);
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
        if (child.tag() == DW_TAG_member || child.tag() == DW_TAG_inheritance) members.push_back(read_member(child));
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
        if (auto constant = child.number(DW_AT_const_value)) member.constant = static_cast<std::int64_t>(*constant);
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
            if (auto value = child.number(DW_AT_discr_value)) variant.discriminant = static_cast<std::int64_t>(*value);
            else variant.is_default = part.has(DW_AT_discr);
            for_each_child(child, [&](const Entry& field) {
                if (field.tag() == DW_TAG_member) variant.members.push_back(read_member(field));
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
        if (child.tag() != DW_TAG_template_type_parameter && child.tag() != DW_TAG_template_value_parameter) return;
        TemplateArgument argument;
        argument.name = child.text(DW_AT_name).value_or("");
        argument.type = type_of(child);
        if (child.tag() == DW_TAG_template_value_parameter) argument.value = static_cast<std::int64_t>(child.number(DW_AT_const_value).value_or(0));
        arguments.push_back(std::move(argument));
    };
    for_each_child(*entry, [&](const Entry& child) {
        read(child);
        if (child.tag() == DW_TAG_GNU_template_parameter_pack) for_each_child(child, read);
    });
    return arguments;
}

// Compilers that do not say it (DW_AT_calling_convention) leave it to be seen from the class: a destructor, a copy or move
// constructor that somebody wrote, virtual functions, or a part of which any of these is true.
bool TypeTable::read_passed_by_reference(const Type& type) const {
    if (type.kind != TypeKind::structure || type.is_rust) return false;
    auto entry = info_.entry_at(type.entry_offset);
    if (!entry) return false;
    auto said = entry->number(DW_AT_calling_convention).value_or(0);
    if (said == DW_CC_pass_by_reference || said == DW_CC_pass_by_value) return said == DW_CC_pass_by_reference;
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
            if (parameter.tag() != DW_TAG_formal_parameter || parameter.flag(DW_AT_artificial)) return;
            ++parameters;
            last = type_of(parameter);
        });
        if (parameters == 1 && plain(*last).kind == TypeKind::reference && &plain(target_of(plain(*last))) == &type) found = true;
    });
    if (found) return true;
    for (const Member& member : type.members())
        if (member.is_virtual_base || (&plain(*member.type) != &type && plain(*member.type).is_passed_by_reference())) return true;
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
        if (auto name = child.text(DW_AT_name); name && std::find(names.begin(), names.end(), *name) == names.end()) names.emplace_back(*name);
    });
    return names;
}

}  // namespace lantern
