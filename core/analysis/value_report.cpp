#include "core/analysis/value_report.h"

#include <fmt/format.h>

#include "core/analysis/doubtful_names.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/source_view.h"
#include "core/expressions/index_remark.h"
#include "core/expressions/scope_names.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr unsigned kEverything = 1'000'000;  // parts that are listed at most
constexpr std::size_t kLineWidth = 200;

ViewLimits limits_for(const Moment& moment, const ValueWish& wish) {
    ViewLimits limits = moment.view_limits();
    limits.raw = wish.raw;
    limits.first = wish.first;
    if (wish.everything) {
        limits.children = limits.nodes = limits.text = kEverything;
        limits.depth = 20;
    }
    return limits;
}

// The value may be of the program's memory; before it runs that is only what it starts with.
std::string note_of_a_start(const Moment& moment, const Value& value) {
    if (!moment.target().threads().empty() || !value.address ||
        plain(*value.type).kind == TypeKind::function)
        return {};
    return "the program is not running: this is what it starts with";
}

// "hides level#12": one name may stand for several variables, and the reader may have meant another
// one.
std::string note_of_namesakes(const Moment& moment, const std::string& name) {
    const Frame* frame = moment.selected_frame();
    auto others = frame ? hidden_namesakes(*frame, name) : std::vector<std::string>();
    return others.empty() ? "" : "hides " + join_with(others, "and");
}

}  // namespace

ValueReport report_value(const Moment& moment, const ValueWish& wish, const Expression& expression,
                         const Value& value) {
    if (value.is_available() && value.address) ValueReader(moment.target()).content(value, 1);
    ValueReport report;
    report.expression = wish.expression;
    report.value = view_of_value(moment, wish.expression, value,
                                 wish.form.value_or(moment.form_of(wish.expression)),
                                 limits_for(moment, wish));
    report.note = note_of_a_start(moment, value);
    if (report.note.empty()) report.note = index_remark(expression, moment.context());
    if (report.note.empty()) report.note = note_of_namesakes(moment, wish.expression);
    if (value.is_available())
        report.number = moment.presentation().results.add(as_it_is_now(moment.target(), value));
    return report;
}

std::string first_doubt(const ValueView& view) {
    for (const ValueView& child : view.children)
        if (view.doubt.empty() && !child.doubt.empty())
            return fmt::format("{}: {}", child.name, child.doubt);
    return view.doubt;
}

ValueView view_of_value(const Moment& moment, const std::string& expression, const Value& value,
                        Form form, const ViewLimits& limits) {
    ValueView view = make_view(ValueReader(moment.target()), expression, value, form, limits);
    if (value.is_available()) add_assignment(moment, expression, value, view);
    if (form == Form::natural) {
        add_source_view(moment, expression, view);
    } else if (view.unavailable.empty()) {
        ValueView natural = make_view(ValueReader(moment.target()), expression, value);
        add_source_view(moment, expression, natural);
        view.doubt = natural.doubt;
    }
    if (view.doubt.empty() && view.unavailable.empty())
        view.doubt = doubt_from_names(moment, expression);
    return view;
}

std::string value_line(const Moment& moment, const std::string& expression) {
    return one_line(make_view(ValueReader(moment.target()), expression,
                              evaluate(expression, moment.context()), moment.form_of(expression)),
                    kLineWidth);
}

Value as_it_is_now(Target& target, const Value& value) {
    constexpr std::uint64_t kMostKept = 1 << 20;
    const Type& type = plain(*value.type);
    if (!value.address || type.kind == TypeKind::function || type.size > kMostKept) return value;
    ValueReader reader(target);
    if (value.is_bit_field()) return value_of_integer(*value.type, reader.integer(value));
    Value fixed = value_of_bytes(*value.type, reader.content(value));
    fixed.first_index = value.first_index;
    return fixed;
}

}  // namespace lantern
