// A value as another type: what casts, parameters and assignments do (C17 §6.3, §6.5.4; C++20
// §7.6.1.9).
#pragma once

#include "core/values/value.h"

namespace lantern {

// Throws ExpressionError for what has no conversion.
Value converted(const ValueReader& reader, const Value& from, const Type& to, unsigned column);
// The same, with pointers between a class and its bases moved to where that part of the object is.
Value converted_along_classes(const ValueReader& reader, const Value& from, const Type& to,
                              unsigned column);
// The same for what a program writes as static_cast, and as reinterpret_cast, which moves nothing.
Value statically_cast(const ValueReader& reader, const Value& from, const Type& to,
                      unsigned column);
Value reinterpreted(const ValueReader& reader, const Value& from, const Type& to, unsigned column);
// Before two pointers are compared: the one to a derived class becomes one to the other's class
// (C++20 §7.6.9).
void bring_to_common_class(const ValueReader& reader, Value& left, Value& right, unsigned column);
// Of a pointer to an object with virtual functions: to the wanted part of the whole object, null if
// it has none.
Value dynamically_cast(const ValueReader& reader, const Value& from, const Type& to,
                       unsigned column);

}  // namespace lantern
