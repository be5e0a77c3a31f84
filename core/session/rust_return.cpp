#include "core/session/rust_return.h"

#include <algorithm>
#include <charconv>

#include "core/values/value.h"

namespace lantern {
namespace {

using Kind = RustShape::Kind;
using PartKind = ScalarPart::Kind;

constexpr int kDeepestType = 40;
constexpr unsigned kRegisterSize = 8;

RustShape shape_of(const Type& type, int depth);

RustShape scalar(std::uint64_t size, PartKind kind) {
    return {Kind::scalar, {0, size, kind}, {}, false};
}

std::uint64_t rounded_up(std::uint64_t number, std::uint64_t to) {
    return to ? (number + to - 1) / to * to : number;
}

bool same_primitive(const ScalarPart& a, const ScalarPart& b) {
    return a.kind == b.kind && a.size == b.size;
}

// Two scalars that lie as a pair of them would by itself. Numbers of 128 bits were aligned to 8
// bytes before version 1.77.
bool lie_as_pair(const ScalarPart& first, const ScalarPart& second, std::uint64_t size) {
    for (std::uint64_t largest : {16, 8}) {
        std::uint64_t second_align = std::min(second.size, largest),
                      most = std::max(std::min(first.size, largest), second_align);
        if (first.offset == 0 && second.offset == rounded_up(first.size, second_align) &&
            size == rounded_up(second.offset + second.size, most))
            return true;
    }
    return false;
}

struct Field {
    std::uint64_t offset, size;
    RustShape shape;
};

// The fields that take room.
std::vector<Field> fields_of(const std::vector<Member>& members, int depth) {
    std::vector<Field> fields;
    for (const Member& member : members)
        if (std::uint64_t size = plain(*member.type).size)
            fields.push_back({member.offset, size, shape_of(*member.type, depth)});
    return fields;
}

bool has_unknown(const std::vector<Field>& fields) {
    return std::any_of(fields.begin(), fields.end(),
                       [](const Field& field) { return field.shape.kind == Kind::unknown; });
}

RustShape shape_of_fields(std::vector<Field> fields, std::uint64_t size) {
    if (fields.empty()) return {size ? Kind::memory : Kind::nothing, {}, {}, false};
    if (fields.size() == 1 && fields[0].offset == 0 && fields[0].size == size)
        return fields[0].shape;
    if (fields.size() == 2 && has_unknown(fields)) return {Kind::unknown, {}, {}, false};
    if (fields.size() == 2 && fields[0].shape.kind == Kind::scalar &&
        fields[1].shape.kind == Kind::scalar) {
        if (fields[1].offset < fields[0].offset) std::swap(fields[0], fields[1]);
        RustShape pair{Kind::pair, fields[0].shape.first, fields[1].shape.first, false};
        pair.first.offset = fields[0].offset, pair.second.offset = fields[1].offset;
        if (lie_as_pair(pair.first, pair.second, size)) return pair;
    }
    return {Kind::memory, {}, {}, false};
}

// A variant's own structure: its one member holds the fields.
std::vector<Field> fields_of_variant(const Variant& variant, int depth) {
    if (variant.members.empty()) return {};
    const Type& content = plain(*variant.members.front().type);
    std::vector<Field> fields = fields_of(content.members(), depth);
    for (Field& field : fields) field.offset += variant.members.front().offset;
    return fields;
}

// A tag, and in every variant at most one scalar, at one offset and of one sort: a pair.
RustShape shape_of_tagged(const Type& type, const Member& tag, int depth) {
    std::uint64_t tag_size = plain(*tag.type).size;
    if (tag_size == type.size) return scalar(tag_size, PartKind::integer);
    std::optional<ScalarPart> common;
    for (const Variant& variant : type.variants()) {
        std::vector<Field> fields = fields_of_variant(variant, depth);
        if (fields.empty()) continue;
        if (has_unknown(fields)) return {Kind::unknown, {}, {}, false};
        if (fields.size() > 1 || fields[0].shape.kind != Kind::scalar)
            return {Kind::memory, {}, {}, false};
        ScalarPart part = fields[0].shape.first;
        part.offset = fields[0].offset;
        if (common && (!same_primitive(*common, part) || common->offset != part.offset))
            return {Kind::memory, {}, {}, false};
        common = part;
    }
    ScalarPart first{0, tag_size, PartKind::integer};
    if (!common || tag.offset != 0 || !lie_as_pair(first, *common, type.size))
        return {Kind::memory, {}, {}, false};
    return {Kind::pair, first, *common, false};
}

// The variant that others hide in: they take no room of their own, or it all lies in memory.
RustShape shape_of_niche(const Type& type, int depth) {
    const Variant* holding = nullptr;
    for (const Variant& variant : type.variants()) {
        if (variant.is_default || !variant.discriminant)
            holding = &variant;
        else if (!fields_of_variant(variant, depth).empty())
            return {Kind::memory, {}, {}, false};
    }
    return holding ? shape_of_fields(fields_of_variant(*holding, depth), type.size)
                   : RustShape{Kind::unknown, {}, {}, false};
}

RustShape shape_of_variants(const Type& type, int depth) {
    if (type.name.find("{async") != std::string::npos ||
        type.name.find("{coroutine") != std::string::npos ||
        type.name.find("{gen") != std::string::npos)
        return {Kind::memory, {}, {}, false};
    const auto& variants = type.variants();
    const auto& tag = type.discriminant();
    if (!tag) return shape_of_fields(fields_of_variant(variants.front(), depth), type.size);
    bool is_niche = std::any_of(variants.begin(), variants.end(),
                                [](const Variant& variant) { return !variant.discriminant; });
    return is_niche ? shape_of_niche(type, depth) : shape_of_tagged(type, *tag, depth);
}

// All that take room in the same way: as that; the library's own two are told by name, others may
// be laid out for C.
RustShape shape_of_union(const Type& type, int depth) {
    std::vector<Field> fields = fields_of(type.members(), depth);
    std::string family = family_name(type.full_name());
    bool is_the_library_s = family.ends_with("MaybeUninit") || family.ends_with("ManuallyDrop");
    RustShape shape = fields.empty() ? RustShape{} : fields[0].shape;
    for (const Field& field : fields) {
        bool same = field.size == type.size && field.shape.kind == shape.kind &&
                    same_primitive(field.shape.first, shape.first) &&
                    same_primitive(field.shape.second, shape.second);
        if (!same) return {Kind::memory, {}, {}, false};
    }
    bool same_for_c = shape.kind == Kind::nothing || shape.kind == Kind::memory ||
                      (shape.kind == Kind::scalar && shape.first.kind == PartKind::integer);
    return is_the_library_s || same_for_c ? shape : RustShape{Kind::unknown, {}, {}, false};
}

bool is_written_by_the_compiler(const Type& type) {
    return type.name.empty() || type.name.front() == '(' || type.name.front() == '{' ||
           type.name.front() == '&';
}

RustShape shape_of_structure(const Type& type, int depth) {
    if (type.is_incomplete) return {Kind::unknown, {}, {}, false};
    const std::string& name = type.full_name();
    if (name.find("core_arch::") != std::string::npos ||
        name.find("core_simd::") != std::string::npos)
        return {Kind::unknown, {}, {}, false};
    if (!type.variants().empty()) return shape_of_variants(type, depth);
    RustShape shape = shape_of_fields(fields_of(type.members(), depth), type.size);
    if (shape.kind == Kind::scalar && shape.first.kind == PartKind::floating &&
        !is_written_by_the_compiler(type))
        shape.may_be_integer = true;
    return shape;
}

RustShape shape_of(const Type& type, int depth) {
    const Type& base = plain(type);
    if (depth > kDeepestType) return {Kind::unknown, {}, {}, false};
    if (base.kind == TypeKind::unknown) return {Kind::unknown, {}, {}, false};
    if (base.size == 0) return {};
    switch (base.kind) {
        case TypeKind::structure: return shape_of_structure(base, depth + 1);
        case TypeKind::union_: return shape_of_union(base, depth + 1);
        case TypeKind::array:
            return base.is_vector ? RustShape{Kind::unknown, {}, {}, false}
                                  : RustShape{Kind::memory, {}, {}, false};
        case TypeKind::floating: return scalar(base.size, PartKind::floating);
        default: return scalar(base.size, PartKind::integer);
    }
}

// The minor number of "… rustc version 1.63.0 …".
std::optional<unsigned> minor_version(std::string_view producer) {
    constexpr std::string_view kMark = "rustc version 1.";
    std::size_t at = producer.find(kMark);
    if (at == std::string_view::npos) return std::nullopt;
    unsigned minor = 0;
    const char* begin = producer.data() + at + kMark.size();
    if (std::from_chars(begin, producer.data() + producer.size(), minor).ec != std::errc())
        return std::nullopt;
    return minor;
}

constexpr unsigned kIntegers[] = {0, 1, 2};  // rax, rdx, rcx: one more than C uses
constexpr unsigned kVectorsForReturning = 2;

// Each part takes the next registers of its sort; nothing if they do not suffice.
std::optional<ReturnLocation> in_registers(std::initializer_list<ScalarPart> parts) {
    ReturnLocation location{ReturnLocation::Kind::registers, {}};
    unsigned integers = 0, vectors = 0;
    for (const ScalarPart& part : parts) {
        if (part.kind == PartKind::floating) {
            if (vectors == kVectorsForReturning) return std::nullopt;
            location.pieces.push_back({kFirstVectorRegister + vectors++, part.offset, part.size});
            continue;
        }
        for (std::uint64_t at = 0; at < part.size; at += kRegisterSize) {
            if (integers == std::size(kIntegers)) return std::nullopt;
            location.pieces.push_back({kIntegers[integers++], part.offset + at,
                                       std::min<std::uint64_t>(kRegisterSize, part.size - at)});
        }
    }
    return location;
}

}  // namespace

RustShape rust_shape(const Type& type) {
    return shape_of(type, 0);
}

ReturnLocation rust_return_location(const Type& type, std::string_view producer) {
    constexpr unsigned kLastOfTheOld = 63, kFirstOfTheNew = 85;
    RustShape shape = rust_shape(type);
    std::uint64_t size = plain(type).size;
    switch (shape.kind) {
        case Kind::nothing: return {};
        case Kind::unknown: return {ReturnLocation::Kind::unknown, {}};
        case Kind::scalar: return *in_registers({shape.first});
        case Kind::memory:
            return size > kRegisterSize ? returned_in_memory()
                                        : *in_registers({{0, size, PartKind::integer}});
        case Kind::pair: break;
    }
    auto location = in_registers({shape.first, shape.second});
    if (size <= 2 * kRegisterSize) return location ? *location : returned_in_memory();
    auto minor = minor_version(producer);
    if (minor >= kFirstOfTheNew) return returned_in_memory();
    if (minor <= kLastOfTheOld && minor) return location ? *location : returned_in_memory();
    return {ReturnLocation::Kind::unknown, {}};
}

}  // namespace lantern
