// How rustc returns a value from a function of its own convention. There is no document that
// promises it; what is here is what the compiler does: it follows the shape that it gave the type,
// which is computed again from the debug information.
#pragma once

#include <string_view>

#include "core/machine/calling_convention.h"
#include "core/symbols/type.h"

namespace lantern {

// A type as rustc hands it about: as one scalar, as two, or as bytes in memory. `unknown`: the
// debug information does not tell (the sort of vector, a union, an attribute of the type).
struct RustShape {
    enum class Kind { nothing, scalar, pair, memory, unknown } kind = Kind::nothing;
    ScalarPart first, second;     // of the value: offsets in bytes
    bool may_be_integer = false;  // a floating scalar in a structure of its own, which #[repr(C)]
                                  // returns as a whole number
};
RustShape rust_shape(const Type& type);

// `producer` is what the compiler says of itself: the rules changed once between versions 1.64
// and 1.84; in between, where they differ, it is unknown.
ReturnLocation rust_return_location(const Type& type, std::string_view producer);

}  // namespace lantern
