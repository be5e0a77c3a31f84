// Arithmetic on values of the target as its language does it: conversions (C17 §6.3.1), operators
// (§6.5.5 – §6.5.12), pointers (§6.5.6).
#pragma once

#include "core/expressions/syntax.h"
#include "core/values/value.h"

namespace lantern {

// The type a small integer is computed in. Rust computes each type as it is.
const Type& promoted(const Value& value, Language language);
// The type two numbers are computed in; both have been promoted.
const Type& common(const Type& a, const Type& b);
// What a comparison gives: an int in C, a bool elsewhere.
const Type& truth_type(Language language);
bool is_pointer_like(const Value& value);  // pointers, arrays, functions

// The operands have been converted to `type`. Throw RequestError for what has no result: a division
// by zero, a shift that is too far, an operator that does not fit.
Value real_arithmetic(Operator op, const Type& type, long double a, long double b,
                      Language language);
Value whole_arithmetic(Operator op, const Type& type, Wide a, Wide b, Language language);
// One of the operands at least is like a pointer.
Value pointer_arithmetic(Operator op, const ValueReader& reader, const Value& left,
                         const Value& right, Language language);

}  // namespace lantern
