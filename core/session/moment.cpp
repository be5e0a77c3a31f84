#include "core/session/moment.h"

#include <array>
#include <optional>

#include "core/symbols/places.h"

namespace lantern {

Unwinder& Moment::stack() const {
    if (!parts_.stack) std::rethrow_exception(parts_.why_no_stack);
    return *parts_.stack;
}

EvaluationContext Moment::context() const {
    EvaluationContext context;
    context.target = parts_.target;
    context.thread = parts_.thread;
    context.frame = selected_frame();
    context.results = &parts_.presentation->results;
    context.call = parts_.call;
    return context;
}

ViewLimits Moment::view_limits() const {
    ViewLimits limits;
    limits.around = parts_.surroundings;
    return limits;
}

Form Moment::form_of(const std::string& name) const {
    auto found = parts_.presentation->forms.find(name);
    return found == parts_.presentation->forms.end() ? Form::natural : found->second;
}

namespace {

struct Named {
    const ModuleSymbols* symbols = nullptr;  // null: nobody names it
    std::optional<std::array<std::uint8_t, 16>> md5;
};

Named who_names(const std::vector<const ModuleSymbols*>& modules, const std::string& source) {
    Named named;
    for (const ModuleSymbols* symbols : modules) {
        if (!symbols->has_debug_information()) continue;
        for (const dwarf::Unit* unit : units_mentioning(*symbols, source))
            for (const dwarf::LineFile& file : symbols->files_of(*unit)) {
                if (file.path != source) continue;
                named.symbols = symbols;
                if (file.md5) named.md5 = file.md5;
            }
        if (named.symbols) break;
    }
    return named;
}

}  // namespace

SourceState source_state(const Moment& moment, const std::string& recorded) {
    std::vector<const ModuleSymbols*> modules;
    if (const Frame* frame = moment.selected_frame(); frame && frame->module)
        modules.push_back(&frame->module->symbols());
    for (const Module& module : moment.target().modules())
        if (!module.is_system_library()) modules.push_back(&module.symbols());
    Named named = who_names(modules, recorded);
    const ModuleSymbols& judge =
        named.symbols ? *named.symbols : moment.target().modules().front().symbols();
    return moment.sources().state(recorded, named.md5, judge.elf().modified_at());
}

bool is_stale(const Moment& moment, const std::string& recorded) {
    SourceState state = source_state(moment, recorded);
    return state == SourceState::newer || state == SourceState::different;
}

}  // namespace lantern
