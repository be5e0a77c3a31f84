// What a task of an async function is at (see core/symbols/async.h).
#pragma once

#include <optional>
#include <vector>

#include "core/unwind/frame.h"
#include "core/values/value.h"

namespace lantern {

struct AsyncState {
    enum class Kind { not_begun, ended, panicked, waits };
    Kind kind = Kind::not_begun;
    std::uint64_t number = 0;  // as the program writes it into the task
    std::uint32_t line = 0;    // where it waits
    Value content;             // a structure with what it holds
    // The structure of what an async function was called with, once it has moved those members
    // elsewhere: what still lies there is stale. Null: nothing was moved.
    const Type* called_with = nullptr;
};

// The members of its content that it holds; none at its end. Each name once.
std::vector<const Member*> held_members(const AsyncState& state);

// Nothing for a value that is no task. Throws BrokenValue for a state that it cannot be in, and
// MemoryError.
std::optional<AsyncState> async_state(const ValueReader& reader, const Value& value);

// The task whose body the frame is of; nothing for another frame, or where it is not known.
std::optional<Value> task_of_body(Target& target, ThreadId thread, const Frame& frame);

std::string async_state_text(const AsyncState& state);  // "waits at line 46"

}  // namespace lantern
