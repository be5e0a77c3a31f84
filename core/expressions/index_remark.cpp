#include "core/expressions/index_remark.h"

#include <fmt/format.h>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

// Arrays of one element at the end of a structure are an old way to write one of unknown length.
constexpr std::uint64_t kShortestKnown = 2;

std::string remark_on(const Node& node, const EvaluationContext& context) {
    Value base = value_of_node(*node.children[0], context),
          index = value_of_node(*node.children[1], context);
    std::string name = node.children[0]->text.empty() ? "the array" : node.children[0]->text;
    const Type& type = plain(*base.type);
    if (type.kind != TypeKind::array || !type.count || *type.count < kShortestKnown ||
        base.first_index)
        return {};
    auto number = static_cast<std::int64_t>(ValueReader(*context.target).integer(index));
    auto count = static_cast<std::int64_t>(*type.count);
    if (number >= 0 && number < count) return {};
    std::string where = number < 0        ? "lies before its beginning"
                        : number == count ? "is the first behind its end"
                                          : "lies behind its end";
    return fmt::format("{} has {}, 0 to {}: [{}] {}", name, counted(*type.count, "element"),
                       count - 1, number, where);
}

std::string remark_in(const Node& node, const EvaluationContext& context) {
    if (node.kind == NodeKind::call) return {};
    for (const auto& child : node.children)
        if (child)
            if (std::string found = remark_in(*child, context); !found.empty()) return found;
    if (node.kind != NodeKind::index) return {};
    try {
        return remark_on(node, context);
    } catch (const Error&) {
        return {};
    }
}

}  // namespace

std::string index_remark(const Expression& expression, const EvaluationContext& context) {
    EvaluationContext without_calls = context;
    without_calls.call = nullptr;
    return remark_in(expression.tree(), without_calls);
}

}  // namespace lantern
