// A value as two runs can be asked whether they agree on it: numbers as they are, pointers as null
// or not, everything else as it is written, without addresses.
#pragma once

#include "core/comparison/walk.h"
#include "core/values/value.h"

namespace lantern {

// What `value` is to a walk; texts are added to `walk`. What a pointer or
// reference leads to is looked at too, where the function may only read it. Never throws for
// what the target lacks: there is no value then.
WalkValue walk_value(const ValueReader& reader, const Value& value, Walk& walk);

// "0x4012a0 <toll>" → "<toll>": what differs between two runs by itself.
std::string without_addresses(const std::string& text);

}  // namespace lantern
