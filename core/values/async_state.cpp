#include "core/values/async_state.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "core/support/error.h"
#include "core/symbols/async.h"
#include "core/values/active_variant.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

AsyncState::Kind kind_named(std::string_view name) {
    if (name == "Unresumed") return AsyncState::Kind::not_begun;
    if (name == "Returned") return AsyncState::Kind::ended;
    if (name == "Panicked") return AsyncState::Kind::panicked;
    return AsyncState::Kind::waits;
}

}  // namespace

std::optional<AsyncState> async_state(const ValueReader& reader, const Value& value) {
    const Type& type = plain(*value.type);
    if (!is_async_task(type)) return std::nullopt;
    auto variant = active_variant(reader, value);
    if (!variant) return std::nullopt;
    AsyncState state;
    state.kind = kind_named(plain(*variant->content.type).name);
    for (const Variant& each : type.variants())
        if (each.name == variant->name) {
            state.line = each.line;
            state.number = static_cast<std::uint64_t>(each.discriminant.value_or(0));
        }
    // A block goes on with what it took from outside where it is, a function moves it first.
    if (state.kind == AsyncState::Kind::waits && type.name.starts_with("{async_fn") &&
        !type.variants().front().members.empty())
        state.called_with = type.variants().front().members.front().type;
    state.content = std::move(variant->content);
    return state;
}

std::vector<const Member*> held_members(const AsyncState& state) {
    using Kind = AsyncState::Kind;
    std::vector<const Member*> held;
    if (state.kind == Kind::ended || state.kind == Kind::panicked) return held;
    auto is_left_behind = [&](const Member& member) {
        return state.called_with &&
               std::ranges::any_of(plain(*state.called_with).members(), [&](const Member& other) {
                   return other.name == member.name && other.offset == member.offset;
               });
    };
    for (const Member& member : plain(*state.content.type).members()) {
        bool is_twice = std::ranges::any_of(
            held, [&](const Member* other) { return other->name == member.name; });
        if (!is_twice && !is_left_behind(member)) held.push_back(&member);
    }
    return held;
}

std::optional<Value> task_of_body(Target& target, ThreadId thread, const Frame& frame) {
    if (!frame.function || !frame.function->unit->is_rust() || !frame.body || frame.inlined)
        return std::nullopt;
    auto parameter = async_parameter(*frame.body);
    if (!parameter) return std::nullopt;
    Value pointer = value_of_variable(target, thread, frame, *parameter->variable);
    if (!pointer.is_available()) return std::nullopt;
    try {
        auto bytes = ValueReader(target).content(pointer, sizeof(std::uint64_t));
        std::uint64_t address = 0;
        if (bytes.size() != sizeof address) return std::nullopt;
        std::memcpy(&address, bytes.data(), sizeof address);
        return value_in_memory(*parameter->task, RunAddress(address));
    } catch (const Error&) {
        return std::nullopt;
    }
}

std::string async_state_text(const AsyncState& state) {
    switch (state.kind) {
        case AsyncState::Kind::not_begun: return "not begun";
        case AsyncState::Kind::ended: return "has ended";
        case AsyncState::Kind::panicked: return "has panicked";
        case AsyncState::Kind::waits: break;
    }
    return state.line ? fmt::format("waits at line {}", state.line) : "waits";
}

}  // namespace lantern
