// Rust's enums and structures as expressions write them, and patterns: Some(7), Gate::Open { width:
// 3 }, matches!(gate, Gate::Open { .. }) (The Rust Reference, "Struct expressions", "Patterns").
#pragma once

#include <functional>

#include "core/expressions/syntax.h"
#include "core/values/value.h"

namespace lantern {

using Fields = std::vector<std::pair<std::string, Value>>;  // of a tuple: "__0", "__1" …

// A value of an enum that nothing in the program holds.
Value case_value(const ValueReader& reader, const std::string& its_enum, const std::string& name,
                 const Fields& fields);

// Whether a name is written as types, variants and constants are.
bool is_written_as_case(std::string_view name);
// "None", "Gate::Shut", "Some" with its fields, or a structure. Nothing if the program has no such
// variant or type. Throws ExpressionError for a variant that its enum does not have.
std::optional<Value> case_called(const ValueReader& reader, const std::string& name,
                                 const Fields& fields, unsigned column);

// Whether a value fits a pattern. `compute` gives the value of what stands in it as an expression.
// Throws ExpressionError.
bool fits_pattern(const ValueReader& reader, const Value& value, const Node& pattern,
                  const std::function<Value(const Node&)>& compute);

}  // namespace lantern
