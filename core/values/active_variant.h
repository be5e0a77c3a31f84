// Which alternative a Rust enum holds (DWARF 5 §5.7.10).
#pragma once

#include "core/values/value.h"

namespace lantern {

struct ActiveVariant {
    std::string name;  // "Some"
    Value content;     // a structure with its fields
};

// Nothing for a type without variants. Throws BrokenValue for a discriminant that none of them has.
std::optional<ActiveVariant> active_variant(const ValueReader& reader, const Value& value);

// Fields that have only numbers: Some(3), (2, 5).
bool is_tuple_of_rust(const Type& type);

}  // namespace lantern
