// What the source adds to the value of an expression that names a variable, or a member of one.
#include <algorithm>
#include <cctype>

#include "core/analysis/source_view.h"
#include "core/expressions/evaluator.h"
#include "core/expressions/scope_names.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

// "lock.level": `lock` in the frame, and its member; null where it is no such path. A doubt about
// what is around it is one about the part.
const ValueView* part_called(ValueView& view, std::string_view path) {
    std::size_t dot = path.find('.');
    if (dot == std::string_view::npos) return &view;
    path.remove_prefix(dot + 1);
    for (ValueView& child : view.children) {
        if (child.name != path.substr(0, path.find('.'))) continue;
        if (child.doubt.empty()) child.doubt = view.doubt;
        return part_called(child, path);
    }
    return nullptr;
}

bool is_name(const std::string& text) {
    return !text.empty() && !std::isdigit(static_cast<unsigned char>(text[0])) &&
           std::ranges::all_of(text, [](char c) { return is_word_letter(c) || c == ':'; });
}

std::optional<ValueView> view_of_variable(const Moment& moment, const Frame& frame,
                                          const Variable& variable) {
    Value value = value_of_variable(moment.target(), moment.thread(), frame, variable);
    ValueView view = make_view(ValueReader(moment.target()), variable.name, value);
    SourceView(moment, frame).add_to(view, variable);
    return view;
}

// Nothing where the name means something else there: a member of the object that a method is of.
std::optional<ValueView> view_of_global(const Moment& moment, const Frame& frame,
                                        const std::string& name) {
    const Module* holder = nullptr;
    auto variable =
        is_name(name) ? find_global(moment.target(), &frame, name, holder) : std::nullopt;
    if (!variable || holder != frame.module) return std::nullopt;
    EvaluationContext context = moment.context();
    context.call = nullptr;
    try {
        Value meant = evaluate(name, context);
        Value value = value_of_global(moment.target(), moment.thread(), &frame, *holder, *variable);
        if (!value.address || meant.address != value.address) return std::nullopt;
        ValueView view = make_view(ValueReader(moment.target()), name, value);
        SourceView(moment, frame).add_to_global(view, *variable, *value.address);
        return view;
    } catch (const Error&) {
        return std::nullopt;
    }
}

}  // namespace

void add_source_view(const Moment& moment, const std::string& expression, ValueView& view) {
    const Frame* frame = moment.selected_frame();
    std::string path(trimmed(expression)), name = path.substr(0, path.find('.'));
    auto visible = frame ? find_visible(*frame, name) : std::nullopt;
    if (visible && name == path) return SourceView(moment, *frame).add_to(view, *visible->variable);
    auto whole = visible ? view_of_variable(moment, *frame, *visible->variable)
                 : frame ? view_of_global(moment, *frame, name)
                         : std::nullopt;
    const ValueView* part = whole ? part_called(*whole, path) : nullptr;
    if (!part || part->text != view.text || part->unavailable != view.unavailable) return;
    view.doubt = part->doubt;
    view.recovered = part->recovered;
    view.recovered_from = part->recovered_from;
}

}  // namespace lantern
