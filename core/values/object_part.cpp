#include "core/values/object_part.h"

#include <fmt/format.h>

namespace lantern {
namespace {

bool are_one_type(const Type& a, const Type& b) {
    const Type &left = plain(a), &right = plain(b);
    return &left == &right || (left.kind == right.kind && left.size == right.size &&
                               left.full_name() == right.full_name());
}

const Member* member_holding(const Type& type, std::uint64_t offset) {
    const Member* found = nullptr;
    for (const Member& member : type.members()) {
        std::uint64_t size = plain(*member.type).size;
        bool holds = !member.constant && !member.is_virtual_base && !member.bit_size &&
                     member.offset <= offset && offset < member.offset + size;
        if (holds && !found) found = &member;
    }
    return found;
}

struct FoundPart {
    std::string name;
    std::uint64_t offset = 0;  // into the innermost part
    bool is_wanted = false;
};

FoundPart find_part(const Type& type, std::uint64_t offset, const Type& wanted) {
    constexpr int kDeepest = 30;
    FoundPart part{{}, offset, false};
    const Type* at = &plain(type);
    bool any_will_do = plain(wanted).kind == TypeKind::nothing;
    for (int depth = 0; depth < kDeepest; ++depth) {
        part.is_wanted = part.offset == 0 && (are_one_type(*at, wanted) || any_will_do);
        if (part.is_wanted) break;
        if (at->kind == TypeKind::array && plain(target_of(*at)).size) {
            std::uint64_t size = plain(target_of(*at)).size;
            part.name += fmt::format("[{}]", part.offset / size);
            part.offset %= size;
            at = &plain(target_of(*at));
            continue;
        }
        bool has_members = at->kind == TypeKind::structure && at->variants().empty();
        const Member* member = has_members ? member_holding(*at, part.offset) : nullptr;
        if (!member) break;
        if (!member->is_base_class && !member->name.empty()) part.name += "." + member->name;
        part.offset -= member->offset;
        at = &plain(*member->type);
    }
    part.is_wanted = part.is_wanted || (any_will_do && part.offset == 0);
    return part;
}

}  // namespace

std::string part_at_offset(const Type& type, std::uint64_t offset, const Type& wanted) {
    FoundPart part = find_part(type, offset, wanted);
    return part.offset ? fmt::format("{} + {} bytes", part.name, part.offset) : part.name;
}

bool has_part_at(const Type& type, std::uint64_t offset, const Type& wanted) {
    return find_part(type, offset, wanted).is_wanted;
}

namespace {

constexpr unsigned kDeepestPart = 16;  // members in members

std::optional<NamedScalar> scalar_part(const Type& type, std::uint64_t offset, unsigned depth) {
    const Type& whole = plain(type);
    if (depth > kDeepestPart || !whole.size || offset >= whole.size) return std::nullopt;
    if (whole.kind == TypeKind::array) {
        const Type& element = target_of(whole);
        std::uint64_t size = plain(element).size;
        if (!size) return std::nullopt;
        auto inner = scalar_part(element, offset % size, depth + 1);
        if (inner) inner->text = fmt::format("[{}]{}", offset / size, inner->text);
        return inner;
    }
    if (whole.kind != TypeKind::structure && whole.kind != TypeKind::union_)
        return offset == 0 ? std::optional(NamedScalar{"", &type}) : std::nullopt;
    for (const Member& member : whole.members()) {
        bool holds = !member.is_virtual_base && !member.bit_size && member.offset <= offset &&
                     offset < member.offset + plain(*member.type).size;
        if (!holds) continue;
        auto inner = scalar_part(*member.type, offset - member.offset, depth + 1);
        bool is_named = !member.name.empty() && !member.is_base_class;
        if (inner && is_named) inner->text = "." + member.name + inner->text;
        if (inner) return inner;
    }
    return std::nullopt;
}

}  // namespace

std::optional<NamedScalar> scalar_part_at(const Type& type, std::uint64_t offset) {
    return scalar_part(type, offset, 0);
}

}  // namespace lantern
