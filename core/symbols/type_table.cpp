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
        return count->form_class == FormClass::constant ||
                       count->form_class == FormClass::signed_constant
                   ? std::optional(count->number)
                   : std::nullopt;
    auto upper = subrange.attribute(DW_AT_upper_bound);
    if (!upper || (upper->form_class != FormClass::constant &&
                   upper->form_class != FormClass::signed_constant))
        return std::nullopt;
    std::uint64_t bound = upper->number, lower = subrange.number(DW_AT_lower_bound).value_or(0);
    if (bound == ~std::uint64_t{0} || (upper->form == DW_FORM_data4 && bound == 0xffffffff))
        return 0;
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

// What tells how long an array is, where that is no number.
std::optional<DynamicLength> dynamic_length(const Entry& subrange) {
    for (At name : {DW_AT_count, DW_AT_upper_bound}) {
        auto value = subrange.attribute(name);
        if (!value || (!value->is_expression() && value->form_class != FormClass::reference))
            continue;
        return DynamicLength{*value, name == DW_AT_upper_bound, &subrange.unit()};
    }
    return std::nullopt;
}

// C says "struct barge"; C++ and Rust say "barge".
std::string tagged_name(const Entry& entry) {
    auto name = entry.text(DW_AT_name);
    if (!name) return {};
    bool plain_name = entry.unit().is_cplusplus() || entry.unit().is_rust();
    return plain_name ? std::string(*name) : std::string(keyword(entry.tag())).append(*name);
}

}  // namespace

TypeTable::TypeTable(const DebugInfo& info, FindComplete find_complete, FileName file_name,
                     QualifiedName qualified_name)
    : info_(info),
      find_complete_(std::move(find_complete)),
      file_name_(std::move(file_name)),
      qualified_name_(std::move(qualified_name)) {}

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
        if (entry &&
            entry->has(
                DW_AT_signature)) {  // declared here, defined in a type unit (DWARF 5 §5.7.1)
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
    if (auto file = entry.number(DW_AT_decl_file))
        type.declared_in = file_name_(entry.unit(), *file);
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
            if (auto holder = info_.referred(entry, DW_AT_containing_type))
                type.holder = type_at(holder->offset());
            // A function's is its address or its place in the table, and what to add to the object
            // (Itanium C++ ABI §2.3).
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
        case DW_TAG_structure_type:
        case DW_TAG_class_type:
        case DW_TAG_union_type: fill_structure(type, entry); break;
        case DW_TAG_enumeration_type: fill_enumeration(type, entry); break;
        case DW_TAG_subroutine_type: fill_function(type, entry); break;
        default: type.kind = TypeKind::unknown;
    }
}

// An alias or qualifier whose chain leads back to itself stands for nothing.
void TypeTable::break_circle(Type& type) const {
    auto passes_on = [](const Type* each) {
        return each && (each->kind == TypeKind::alias || each->kind == TypeKind::qualified);
    };
    for (const Type* each = type.target; passes_on(&type) && passes_on(each); each = each->target) {
        if (each != &type) continue;
        type.target = &void_type();
        problems_.push_back(
            fmt::format("the type at {:#x} is an alias of itself", type.entry_offset));
        return;
    }
}

void TypeTable::fill_base(Type& type, const Entry& entry) const {
    switch (entry.number(DW_AT_encoding).value_or(0)) {
        case DW_ATE_boolean: type.kind = TypeKind::boolean; break;
        case DW_ATE_signed:
            type.kind = TypeKind::integer;
            type.is_signed = true;
            break;
        case DW_ATE_unsigned:
        case DW_ATE_address: type.kind = TypeKind::integer; break;
        case DW_ATE_signed_char:
            type.kind = TypeKind::character;
            type.is_signed = true;
            break;
        case DW_ATE_unsigned_char: type.kind = TypeKind::character; break;
        case DW_ATE_UTF:
            type.kind = TypeKind::character;
            type.is_text = true;
            break;
        case DW_ATE_float:
            type.kind = TypeKind::floating;
            type.is_signed = true;
            break;
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
        if (child.tag() == DW_TAG_subrange_type)
            dimensions.push_back({dimension(child), dynamic_length(child)});
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
        if (auto holder = info_.referred(entry, DW_AT_containing_type))
            type.holder = type_at(holder->offset());
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

}  // namespace lantern
