#include "cli/protocol/variable_json.h"

#include <fmt/format.h>

#include <algorithm>

#include "cli/protocol/request.h"
#include "cli/views/text.h"
#include "core/support/error.h"
#include "core/values/library/library_view.h"
#include "core/values/value_view.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kLongestWords = 1000;

// What can be opened: it has parts, or leads to something that has.
bool leads_to_something(const Value& value, const ValueView& view) {
    if (!view.unavailable.empty()) return false;
    const Type& type = plain(*value.type);
    if (type.kind != TypeKind::pointer || !view.number || *view.number == 0 ||
        is_unset(view.assignment))
        return false;
    const Type& target = plain(target_of(type));
    bool is_text = target.kind == TypeKind::integer && target.size == 1;
    return target.size != 0 && target.kind != TypeKind::function && !is_text;
}

// Each line of a list: elements and pairs count from 0, members have names.
void add_counts(const ValueView& view, unsigned listed, Json& json) {
    std::uint64_t total = view.first + view.children.size() + view.more;
    bool is_known = view.more || view.children.size() < listed;
    if (!is_known) return;
    bool is_indexed =
        view.arrangement == Arrangement::elements || view.arrangement == Arrangement::pairs;
    json[is_indexed ? "indexedVariables" : "namedVariables"] = total;
}

std::string type_words(const ValueView& view, const std::string& before) {
    std::string text = view.type;
    if (!before.empty()) text += fmt::format(", was {}", before);
    if (std::string qualified = qualification(view); !qualified.empty()) text += ", " + qualified;
    if (view.is_captured) text += ", captured by the lambda";
    if (view.is_shadowed) text += ", hidden by the inner one of the same name";
    if (!view.detail.empty()) text += ", " + view.detail;
    return text;
}

bool needs_brackets(const std::string& expression) {
    return std::ranges::any_of(expression, [](char c) {
        bool is_plain = std::isalnum(static_cast<unsigned char>(c)) ||
                        std::string_view("_.[]:#@%").find(c) != std::string_view::npos;
        return !is_plain;
    });
}

std::string in_brackets(const std::string& expression) {
    std::string without_arrows = expression;
    for (std::size_t at; (at = without_arrows.find("->")) != std::string::npos;)
        without_arrows.replace(at, 2, ".");
    return needs_brackets(without_arrows) ? "(" + expression + ")" : expression;
}

bool is_same_place(const Value& a, const Value& b) {
    if (a.address || b.address)
        return a.address == b.address && a.bit_offset == b.bit_offset &&
               plain(*a.type).size == plain(*b.type).size;
    return a.in_register && b.in_register && a.in_register->number == b.in_register->number &&
           a.in_register->offset == b.in_register->offset;
}

// The first of the expressions that stands for this very value; empty where none does.
std::string that_stands_for(const Value& value, const std::vector<std::string>& expressions,
                            const EvaluationContext& context) {
    for (const std::string& expression : expressions) {
        try {
            if (is_same_place(evaluate(expression, context), value)) return expression;
        } catch (const Error&) {  // it has no meaning
        }
    }
    return {};
}

std::vector<std::string> ways_to_ask(const Holder& holder, const ValueView& whole,
                                     const std::string& part) {
    if (holder.expression.empty()) return {};
    std::string base = in_brackets(holder.expression);
    switch (whole.arrangement) {
        case Arrangement::elements: return {base + part};
        case Arrangement::pairs: return {base + part, base + ".at(" + part + ")"};
        case Arrangement::target: return {"*" + base, base};
        default: return {base + "." + part, base + "->" + part, "(*" + base + ")." + part};
    }
}

// Which of the ways to ask stands for the very first part of a container, which is found at once
// however large it is; -1: none does.
int way_of_container(const Holder& holder, const ValueView& whole, const Value& first,
                     const std::string& name, const EvaluationContext& context) {
    auto ways = ways_to_ask(holder, whole, name);
    std::string found = that_stands_for(first, ways, context);
    auto at = std::ranges::find(ways, found);
    return found.empty() ? -1 : static_cast<int>(at - ways.begin());
}

// The expressions of a part that begins at `first`: of a container by what holds for its beginning.
void add_expressions(const Holder& holder, const ValueView& whole, const LocalVariable& beginning,
                     const EvaluationContext& context, std::vector<LocalVariable>& parts) {
    if (holder.expression.empty() || parts.empty()) return;
    bool by_index =
        whole.arrangement == Arrangement::elements || whole.arrangement == Arrangement::pairs;
    int way = by_index
                  ? way_of_container(holder, whole, beginning.value, beginning.view.name, context)
                  : -1;
    for (LocalVariable& part : parts) {
        auto ways = ways_to_ask(holder, whole, part.view.name);
        bool is_cut = part.view.name.find("…") != std::string::npos;
        if (!by_index)
            part.expression = that_stands_for(part.value, ways, context);
        else if (way >= 0 && !is_cut)
            part.expression = ways[static_cast<std::size_t>(way)];
    }
}

}  // namespace

ViewLimits limits_of_line(const Moment& moment) {
    ViewLimits limits = moment.view_limits();
    limits.children = 8;
    limits.depth = 3;
    limits.nodes = 100;
    limits.text = 200;
    return limits;
}

std::string value_words(const ValueView& view) {
    if (!view.unavailable.empty()) return no_value_text(view);
    std::string text = one_line(view, kLongestWords);
    if (is_unset(view.assignment)) {
        bool may_be_left_out = view.assignment == Assignment::not_stored;
        return fmt::format("not {} yet (holds {})", may_be_left_out ? "stored" : "set", text);
    }
    if (!view.broken.empty()) text += fmt::format(" (broken: {})", view.broken);
    if (std::string remark = doubts_about(view); !remark.empty())
        text += fmt::format(" ({})", remark);
    return text;
}

Json value_json(Conversation& conversation, FrameAt frame, const LocalVariable& variable,
                const std::string& before, const char* name) {
    const ValueView& view = variable.view;
    Json json{
        {name, value_words(view)}, {"type", type_words(view, before)}, {"variablesReference", 0}};
    if (view.has_children() || leads_to_something(variable.value, view)) {
        json["variablesReference"] = conversation.references.add(
            Holder{Holder::Kind::parts, frame, "", variable.value, variable.expression});
        if (view.has_children()) add_counts(view, 8, json);
    }
    bool is_pointer = plain(*variable.value.type).kind == TypeKind::pointer && view.number;
    if (is_pointer && view.unavailable.empty())
        json["memoryReference"] = reference_to(RunAddress(*view.number));
    else if (variable.value.address)
        json["memoryReference"] = reference_to(*variable.value.address);
    return json;
}

Json variable_json(Conversation& conversation, FrameAt frame, const LocalVariable& variable,
                   const std::string& before) {
    const ValueView& view = variable.view;
    Json json{{"name", view.name.empty() ? "*" : view.name}};
    if (view.is_shadowed) json["name"] = fmt::format("{}#{}", view.name, view.declared_line);
    json.update(value_json(conversation, frame, variable, before, "value"));
    if (!variable.expression.empty()) json["evaluateName"] = variable.expression;
    Json attributes = Json::array();
    bool is_place = variable.value.address || variable.value.in_register;
    if (!is_place) attributes.push_back("readOnly");
    if (is_unset(view.assignment)) attributes.push_back("notSet");
    if (!view.unavailable.empty()) attributes.push_back("noValue");
    if (!before.empty()) attributes.push_back("changed");
    if (!attributes.empty()) json["presentationHint"] = {{"attributes", std::move(attributes)}};
    if (!variable.declared_in.empty() && view.declared_line)
        json["declarationLocationReference"] =
            conversation.references.add(Location{variable.declared_in, view.declared_line});
    return json;
}

void check_expressions(Conversation& conversation, std::vector<LocalVariable>& variables) {
    EvaluationContext context = conversation.session().context();
    for (LocalVariable& each : variables) {
        bool is_place = each.value.address || each.value.in_register;
        if (is_place) each.expression = that_stands_for(each.value, {each.expression}, context);
    }
}

namespace {

// The parts of one value, not of what it leads to.
struct Listed {
    ValueView view;
    std::vector<Value> values;

    Listed(const Moment& moment, const Value& value, Form form, std::uint64_t first,
           std::uint64_t count) {
        constexpr std::uint64_t kMost = 100'000;
        ViewLimits limits = limits_of_line(moment);
        limits.first = first;
        limits.children = static_cast<unsigned>(std::min(count, kMost));
        limits.nodes = limits.children * 40 + 100;
        limits.parts = &values;
        view = make_view(ValueReader(moment.target()), "", value, form, limits);
    }

    std::vector<LocalVariable> variables() {
        std::vector<LocalVariable> parts;
        for (std::size_t i = 0; i < view.children.size() && i < values.size(); ++i)
            parts.push_back({std::move(view.children[i]), std::move(values[i]), {}, {}});
        return parts;
    }
};

}  // namespace

std::vector<LocalVariable> parts_of(Conversation& conversation, const Holder& holder,
                                    std::uint64_t first, std::uint64_t count, Form form) {
    Moment moment = conversation.session().moment();
    Value whole = holder.value;
    Holder asked = holder;
    Listed listed(moment, whole, form, first, count);
    if (plain(*whole.type).kind == TypeKind::pointer && !listed.view.has_children()) {
        whole = ValueReader(moment.target()).dereference(whole);
        listed = Listed(moment, whole, form, first, count);
        if (!listed.view.has_children()) {  // a number, or another pointer
            ValueView alone = std::move(listed.view);
            listed.view = {};
            listed.view.arrangement = Arrangement::target;
            listed.view.children.push_back(std::move(alone));
            listed.values = {whole};
        } else if (listed.view.arrangement == Arrangement::elements && !holder.expression.empty()) {
            asked.expression = "*" + in_brackets(holder.expression);
        }
    }
    if (asked.expression == holder.expression)
        add_assignment(moment, holder.expression, whole, listed.view);
    std::vector<LocalVariable> parts = listed.variables();
    if (parts.empty()) return parts;
    LocalVariable beginning = parts.front();
    if (first > 0) {
        auto at_the_beginning = Listed(moment, whole, form, 0, 1).variables();
        if (!at_the_beginning.empty()) beginning = std::move(at_the_beginning.front());
    }
    add_expressions(asked, listed.view, beginning, conversation.session().context(), parts);
    return parts;
}

}  // namespace lantern::cli
