#include "core/analysis/recursion.h"

#include <fmt/format.h>

#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/value.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr unsigned kFramesOfRecursion = 160;
constexpr std::size_t kLongestTurn = 12;  // functions
constexpr std::size_t kTurns = 8;         // that must look alike
constexpr std::size_t kFewestLeft = 4;    // frames above the turns, of what the last one called

// How many functions make a turn from there on; 0: they do not repeat themselves.
std::size_t length_of_turn(const std::vector<const Frame*>& frames, std::size_t from) {
    for (std::size_t length = 1; length <= kLongestTurn; ++length) {
        std::size_t needed = from + length * kTurns;
        if (needed > frames.size()) return 0;
        bool repeats = true;
        for (std::size_t i = from; i + length < needed && repeats; ++i)
            repeats = frames[i]->function == frames[i + length]->function;
        if (repeats) return length;
    }
    return 0;
}

std::optional<std::int64_t> number_of(Target& target, ThreadId thread, const Frame& frame,
                                      std::size_t variable) {
    try {
        Value value =
            value_of_variable(target, thread, frame, frame.scopes.back()->variables[variable]);
        if (!value.is_available()) return std::nullopt;
        return static_cast<std::int64_t>(ValueReader(target).integer(value));
    } catch (const Error&) {
        return std::nullopt;
    }
}

std::string number_text(const Type& type, std::int64_t number) {
    if (plain(type).kind == TypeKind::pointer || plain(type).kind == TypeKind::reference)
        return number ? fmt::format("{:#x}", static_cast<std::uint64_t>(number)) : "null";
    return fmt::format("{}", number);
}

// Of one parameter, from the outer turns to the inner ones.
std::string change_of(Target& target, ThreadId thread, const std::vector<const Frame*>& turns,
                      std::size_t variable) {
    const Variable& parameter = turns.front()->scopes.back()->variables[variable];
    std::vector<std::int64_t> numbers;
    for (const Frame* frame : turns) {
        auto number = number_of(target, thread, *frame, variable);
        if (!number) return {};
        numbers.push_back(*number);
    }
    std::string now = number_text(*parameter.type, numbers.front());
    std::int64_t step = numbers[0] - numbers[1];
    for (std::size_t i = 1; i + 1 < numbers.size(); ++i)
        if (numbers[i] - numbers[i + 1] != step)
            return fmt::format("{} changes and is {} now", parameter.name, now);
    if (step == 0) return fmt::format("{} stays {}", parameter.name, now);
    return fmt::format("{} goes {} by {} each time and is {} now", parameter.name,
                       step > 0 ? "up" : "down", step > 0 ? step : -step, now);
}

void add_arguments(Target& target, ThreadId thread, const std::vector<const Frame*>& turns,
                   Recursion& recursion) {
    if (turns.front()->scopes.empty()) return;
    const auto& variables = turns.front()->scopes.back()->variables;
    for (std::size_t i = 0; i < variables.size(); ++i) {
        if (!variables[i].is_parameter || variables[i].name.empty() || !variables[i].type) continue;
        if (!is_scalar(*variables[i].type)) continue;
        std::string change = change_of(target, thread, turns, i);
        if (!change.empty()) recursion.arguments.push_back(std::move(change));
    }
}

// By how much of the stack one turn takes.
std::uint64_t turns_on(Target& target, const Frame& inner, const Frame& outer) {
    if (!inner.call_frame_address || !outer.call_frame_address) return 0;
    const MemoryRegion* stack = target.region_at(*outer.call_frame_address);
    if (!stack || *outer.call_frame_address <= *inner.call_frame_address) return 0;
    std::uint64_t turn = *outer.call_frame_address - *inner.call_frame_address;
    return (stack->end - *inner.call_frame_address) / turn;
}

}  // namespace

std::optional<Recursion> recursion_of(Target& target, Unwinder& stack, ThreadId thread) {
    std::vector<const Frame*> frames;
    for (unsigned level = 0; level < kFramesOfRecursion; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        if (!frame->inlined && frame->function) frames.push_back(frame);
    }
    // The innermost has not got its arguments yet.
    for (std::size_t from = 1; from <= kFewestLeft; ++from) {
        std::size_t length = length_of_turn(frames, from);
        if (!length) continue;
        Recursion recursion;
        for (std::size_t i = from + length; i > from; --i)
            recursion.functions.push_back(frame_function_name(*frames[i - 1]));
        std::vector<const Frame*> turns;
        for (std::size_t i = 0; i < kTurns; ++i) turns.push_back(frames[from + i * length]);
        recursion.turns = turns_on(target, *turns[0], *turns[1]);
        add_arguments(target, thread, turns, recursion);
        return recursion;
    }
    return std::nullopt;
}

std::string recursion_words(const Recursion& recursion) {
    if (recursion.functions.size() == 1)
        return recursion.functions.front() + " calls itself and does not come back";
    return join_with(recursion.functions, "and") + " call each other and do not come back";
}

}  // namespace lantern
