#include "core/expressions/declared_view.h"

#include <fmt/format.h>

#include "core/expressions/container_operators.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern {
namespace {

Value computed(const ValueReader& reader, const Value& self, const DeclaredView& view,
               const std::string& expression) {
    EvaluationContext context;
    context.target = &reader.target();
    context.self = &self;
    try {
        return evaluate(expression, context);
    } catch (const ExpressionError& error) {
        throw ExpressionError(fmt::format("the view of {} in the settings: {} in {}", view.type,
                                          error.what(), quote(expression)),
                              error.column());
    }
}

}  // namespace

DeclaredViews::DeclaredViews(std::vector<DeclaredView> views) {
    for (DeclaredView& view : views) {
        Pattern pattern(view.type);
        views_.push_back({std::move(view), std::move(pattern)});
    }
}

std::optional<Meaning> DeclaredViews::meaning(const ValueReader& reader, const Value& value) const {
    const Type& type = plain(*value.type);
    if (views_.empty() || type.kind != TypeKind::structure || type.name.empty())
        return std::nullopt;
    std::string name = readable_type_name(type.full_name(), type.is_rust);
    for (const auto& [view, pattern] : views_) {
        bool is_pattern = view.type.find_first_of("*?[/") != std::string::npos;
        if (is_pattern ? !pattern.matches(name) : name != view.type) continue;
        Meaning meaning;
        if (!view.text.empty()) {
            Value text = computed(reader, value, view, view.text);
            auto content = text_content(reader, text);
            meaning.text = content ? quote(*content) : one_line(make_view(reader, "", text), 120);
        }
        if (!view.elements.empty()) {
            meaning.alone = computed(reader, value, view, view.elements);
            return meaning;
        }
        if (view.children.empty()) return meaning;
        meaning.count = view.children.size();
        meaning.next = [&reader, value, &view = view,
                        i = std::size_t{0}]() mutable -> std::optional<Part> {
            if (i == view.children.size()) return std::nullopt;
            const auto& [child, expression] = view.children[i++];
            return Part{child, computed(reader, value, view, expression), {}};
        };
        return meaning;
    }
    return std::nullopt;
}

}  // namespace lantern
