#include "core/expressions/refusals.h"

#include <fmt/format.h>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {

void refuse_dereference(const Node& node, const Type& type) {
    throw ExpressionError(fmt::format("* needs a pointer, and this is {}", type_text(type)),
                          node.column);
}

void refuse_arrow(const Node& node, const Type& type) {
    bool has_members =
        plain(type).kind == TypeKind::structure || plain(type).kind == TypeKind::union_;
    throw ExpressionError(fmt::format("-> needs a pointer, and this is {}", type_text(type)),
                          node.column, has_members ? "use . here" : "");
}

void refuse_members(const Node& node, const Type& type) {
    bool is_pointer = plain(type).kind == TypeKind::pointer;
    throw ExpressionError(fmt::format("{} has no members", type_text(type)), node.column,
                          is_pointer ? "use -> here" : "");
}

void refuse_unknown_member(const Node& node, const Type& type) {
    constexpr std::size_t kMostListed = 12;
    std::vector<std::string> names;
    for (const Member& member : plain(type).members()) names.push_back(member.name);
    auto near = nearest_names(node.text, names);
    if (near.empty() && names.size() <= kMostListed) near = names;
    throw ExpressionError(fmt::format("{} has no member {}", type_text(type), node.text),
                          node.column,
                          near.empty() ? "" : fmt::format("it has {}", join_with(near, "and")));
}

void refuse_number(const Node& node, const Type& type) {
    throw ExpressionError(fmt::format("this needs a number, and it is {}", type_text(type)),
                          node.column);
}

void require_target(const Node& node, const Type& pointer) {
    if (plain(target_of(plain(pointer))).kind == TypeKind::nothing)
        throw ExpressionError("what a void pointer points at has no type", node.column,
                              "cast it first: *(TYPE *)…");
}

void require_elements(const Node& node, const Type& indexed) {
    const Type& type = plain(indexed);
    if (type.kind != TypeKind::array && type.kind != TypeKind::pointer)
        throw ExpressionError(
            fmt::format("[] needs an array or a pointer, and this is {}", type_text(indexed)),
            node.column);
    if (plain(target_of(type)).size == 0)
        throw ExpressionError(fmt::format("the elements of {} have no size", type_text(indexed)),
                              node.column, "cast it first");
}

}  // namespace lantern
