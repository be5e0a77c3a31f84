// What a Rust program panics with, read out of its memory without running any of its code. Most
// panics carry a text: a literal, or one that was put together. `panic_any` carries any value at
// all, and the bytes of such a value are no text, even where a text is among them:
//
//     panic!("too deep at {n}")            "too deep at 3"
//     panic_any(Flood { level: 9, … })     a value of canal::Flood, {level = 9, …}
//
// Which of them it is tells the table of functions that comes with the pointer: the compiler
// describes the tables that the user's own code needs with the type they are of. Those of the
// standard library are not described, and none is without debug information: sizes and the names of
// functions tell texts from the rest then, and of the rest nothing is told.
#pragma once

#include <string>

#include "core/session/moment.h"

namespace lantern {

struct PanicPayload {
    std::string text;            // empty if it is none, or cannot be told
    const Type* type = nullptr;  // of `object`, where it is no text; owned by its module's symbols
    RunAddress object;
};

// At the beginning of rust_panic, which is handed a `&mut dyn PanicPayload`. Never throws for what
// the memory holds.
PanicPayload panic_begun(Target& target, ThreadId thread);

// Whether a part of the program is of Rust.
bool may_panic(Target& target);

// Whether the thread stands at the beginning of __rust_panic_cleanup: catch_unwind has got hold of
// a panic. Then what that carries.
bool recovers_from_panic(Target& target, ThreadId thread);
PanicPayload panic_recovered(Target& target, ThreadId thread);

}  // namespace lantern
