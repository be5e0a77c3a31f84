// Which type a register is shown in, and the lanes a vector register can be taken apart into.
#pragma once

#include <string_view>

#include "core/machine/registers.h"
#include "core/symbols/type.h"

namespace lantern {

// Unsigned for general ones, long double for x87, doubles for vectors.
const Type& type_of_register(const RegisterName& name);
// "f32" of 16 bytes is four floats; i8 … i64, u8 … u64, f32, f64. Null for another word.
const Type* lanes_of(std::string_view word, std::uint64_t size);
// The words, for messages.
std::string lane_words();

}  // namespace lantern
