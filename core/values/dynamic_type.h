// What an object really is, told by its table of virtual functions (Itanium C++ ABI §2.5).
#pragma once

#include "core/values/value.h"

namespace lantern {

struct DynamicType {
    Value object;  // the whole object, of its own type; of the static type where that is all that
                   // is known
    std::string name;       // of the class the table is for
    std::string problem;    // not empty: the object has no sound table, and this says what it has
    bool is_other = false;  // not the type it was looked at as
};

// The class whose table of virtual functions covers that address ("canal::Barge"); empty: none
// does.
std::string class_of_table(Target& target, RunAddress address);

// Nothing for a type without virtual functions or an object that is not in memory. Never throws for
// what memory holds.
std::optional<DynamicType> dynamic_type(const ValueReader& reader, const Value& object);

}  // namespace lantern
