#include "core/symbols/coroutine.h"

#include <algorithm>

namespace lantern {
namespace {

constexpr std::string_view kGccFrame = "frame_ptr", kClangFrame = "__coro_frame";

// gcc's own are named so; the user's lie in the frame as artificial as these.
bool is_compilers_own(std::string_view name) {
    return name == kGccFrame || name.starts_with("_Coro_") || name.starts_with("__coro_");
}

void sort_out(Scope& scope, const std::vector<CoroutineBeginning>& begins) {
    for (Variable& variable : scope.variables) {
        if (is_compilers_own(variable.name)) {
            variable.is_artificial = true;
            variable.is_parameter = false;
            continue;
        }
        for (const CoroutineBeginning& begin : begins)
            for (const Variable& parameter : begin.body.outermost.variables)
                if (parameter.is_parameter && parameter.name == variable.name)
                    variable.is_artificial = false;
    }
    for (const auto& inner : scope.inner) sort_out(*inner, begins);
}

}  // namespace

bool is_part_of_coroutine(std::string_view linker_name) {
    for (std::string_view part : {".actor", ".resume", ".destroy", ".cleanup"}) {
        std::size_t at = linker_name.find(part);
        if (at == linker_name.npos) continue;
        std::string_view behind = linker_name.substr(at + part.size());
        if (behind.empty() || behind.starts_with('.')) return true;
    }
    return false;
}

bool may_be_part_of_coroutine(const FunctionBody& body) {
    return std::ranges::any_of(body.outermost.variables, [](const Variable& variable) {
        return variable.name == kGccFrame || variable.name == kClangFrame;
    });
}

void take_as_part_of_coroutine(FunctionBody& body, const std::vector<CoroutineBeginning>& begins) {
    body.returned = &void_type();
    body.coroutine.emplace();
    if (!begins.empty())
        body.coroutine.emplace(begins[0].function.declared_in, begins[0].function.declared_line);
    sort_out(body.outermost, begins);
}

}  // namespace lantern
