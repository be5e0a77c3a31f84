#include "core/session/site_scope.h"

#include "core/expressions/name_lookup.h"
#include "core/expressions/typing.h"
#include "core/support/error.h"

namespace lantern {
namespace {

void require_meaning(Target& target, const Breakpoint& breakpoint, const std::string& text,
                     const EvaluationContext& otherwise, bool may_come_later) {
    std::optional<ExpressionError> first;
    for (const Breakpoint::Site& site : breakpoint.sites) {
        Frame frame = frame_at(target, site);
        if (!frame.function) return;  // nothing is known of that code
        EvaluationContext there = otherwise;
        there.target = &target;
        there.frame = &frame;
        try {
            Expression expression(text, there);
            if (may_come_later) return;
            require_known_names(expression.tree(), there);
            type_before_it_runs(expression.tree(), there);
            return;
        } catch (const ExpressionError& error) {
            if (!first)
                first = ExpressionError(error.what(), error.column(),
                                        error.advice().and_also(Next::set_place_later), text);
        }
    }
    if (first) throw *first;
}

}  // namespace

Frame frame_at(Target& target, const Breakpoint::Site& site) {
    Frame frame;
    frame.program_counter = frame.lookup_address = site.address;
    frame.module = target.module_at(site.address);
    if (!frame.module) return frame;
    const ModuleSymbols& symbols = frame.module->symbols();
    frame.function = symbols.function_at(site.code.address);
    if (!frame.function) return frame;
    frame.body = &symbols.body_of(*frame.function);
    frame.position = site.code.position;
    auto chains = site.code.position
                      ? chains_down_to(*frame.body, site.code.address, site.code.position->inlined)
                      : chains_at(*frame.body, site.code.address);
    if (chains.empty()) return frame;
    frame.inlined = chains.front().inlined;
    frame.scopes = chains.front().scopes;
    return frame;
}

void require_meaning_at_sites(Target& target, const Breakpoint& breakpoint,
                              const EvaluationContext& otherwise, bool may_come_later) {
    auto check = [&](const std::string& text) {
        if (text.empty()) return;
        if (breakpoint.sites.empty())
            Expression(text, otherwise);
        else
            require_meaning(target, breakpoint, text, otherwise, may_come_later);
    };
    check(breakpoint.condition);
    for (const std::string& noted : breakpoint.noted) check(noted);
}

}  // namespace lantern
