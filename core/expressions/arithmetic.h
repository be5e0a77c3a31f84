// C's arithmetic on values of the target: conversions (C17 §6.3.1), operators (§6.5.5 – §6.5.12), pointers (§6.5.6).
#pragma once

#include <string>

#include "core/values/value.h"

namespace lantern {

// The type a small integer is computed in.
const Type& promoted(const Type& type);
// The type two numbers are computed in.
const Type& common(const Type& a, const Type& b);
bool is_pointer_like(const Value& value);  // pointers, arrays, functions

// `op` is the operator as it is written; the operands have been converted to `type`. Comparisons give an int.
// Throw RequestError for what has no result: a division by zero, a shift that is too far, an operator that does not fit.
Value real_arithmetic(const std::string& op, const Type& type, long double a, long double b);
Value whole_arithmetic(const std::string& op, const Type& type, std::uint64_t a, std::uint64_t b);
// One of the operands at least is like a pointer.
Value pointer_arithmetic(const std::string& op, const ValueReader& reader, const Value& left, const Value& right);

}  // namespace lantern
