#include "core/session/sanitizer_reports.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/machine/calling_convention.h"
#include "core/session/runtime_symbol.h"
#include "core/session/session.h"
#include "core/symbols/names.h"
#include "core/unwind/unwinder.h"
#include "core/values/value.h"

namespace lantern {
namespace {

constexpr std::string_view kUndefined = "UndefinedBehaviorSanitizer";

bool is_at(Target& target, ThreadId thread, std::string_view name) {
    RunAddress at = target.registers(thread).program_counter();
    const Module* module = target.module_at(at);
    const ElfSymbol* symbol = module ? runtime_symbol(module->symbols(), name) : nullptr;
    return symbol && module->to_run(symbol->address) == at;
}

std::string summary(Target& target, ThreadId thread) {
    constexpr std::size_t kLongest = 1024;
    constexpr std::string_view kBefore = "SUMMARY: ";
    RunAddress text(target.registers(thread).get(kIntegerParameters[0]).value_or(0));
    try {
        std::string all = ValueReader(target).text_at(text, kLongest).bytes;
        return all.starts_with(kBefore) ? all.substr(kBefore.size()) : all;
    } catch (const MemoryError&) {
        return {};
    }
}

// "shift out of bounds" of __ubsan_handle_shift_out_of_bounds_abort: what the compiler has put at
// the place that is checked.
std::string check_of(std::string_view function) {
    constexpr std::string_view kCheck = "__ubsan_handle_";
    function = last_component(function);
    if (!function.starts_with(kCheck)) return {};
    std::string words(function.substr(kCheck.size()));
    for (std::string_view end : {"_abort", "_v1"})
        if (words.ends_with(end)) words.resize(words.size() - end.size());
    std::ranges::replace(words, '_', ' ');
    return words;
}

std::string undefined_behaviour(Target& target, ThreadId thread) {
    constexpr unsigned kFramesOfTheLibrary = 12;
    Unwinder walk(target, thread);
    for (unsigned level = 1; level < kFramesOfTheLibrary && walk.frame(level); ++level)
        if (std::string check = check_of(frame_function_name(*walk.frame(level))); !check.empty())
            return fmt::format("{}: {}", kUndefined, check);
    return std::string(kUndefined);
}

}  // namespace

bool is_told_already(Target& target, ThreadId thread) {
    return !is_at(target, thread, kBehaviourIsUndefined) &&
           summary(target, thread).starts_with(kUndefined);
}

std::string sanitizer_report(Target& target, ThreadId thread) {
    return is_at(target, thread, kBehaviourIsUndefined) ? undefined_behaviour(target, thread)
                                                        : summary(target, thread);
}

bool leave_out_leak_check(const Sanitizer& sanitizer, std::vector<std::string>& environment) {
    constexpr std::string_view kAnswer = "detect_leaks";
    if (!sanitizer.checks_leaks) return false;
    std::string variable = std::string(sanitizer.options_variable) + "=";
    auto given = std::ranges::find_if(
        environment, [&](const std::string& each) { return each.starts_with(variable); });
    if (given == environment.end())
        environment.push_back(fmt::format("{}{}=0", variable, kAnswer));
    else if (given->find(kAnswer) == given->npos)
        *given += fmt::format(":{}=0", kAnswer);
    else
        return false;
    return true;
}

std::string heed_sanitizer(Session& session) {
    const Sanitizer* sanitizer = sanitizer_of(session.symbols().elf());
    if (!sanitizer) return {};
    Breakpoint reports;
    reports.cause = Cause::sanitizer;
    unsigned number = session.add_breakpoint(std::move(reports), true).number;
    std::string news =
        fmt::format("built with {}: what it reports stops the program, by breakpoint {}",
                    sanitizer->name, number);
    std::vector<std::string> environment = session.launch_options().environment;
    if (session.is_running() && sanitizer->checks_leaks)
        news += "; its check for leaks does not work under a debugger: release it before its end";
    else if (leave_out_leak_check(*sanitizer, environment))
        news += fmt::format(
            "; its check for leaks does not work under a debugger and is left out, by "
            "detect_leaks=0 in {}",
            sanitizer->options_variable);
    return news;
}

}  // namespace lantern
