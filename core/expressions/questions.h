// What the methods of the standard libraries answer: .size(), .at(k), .find(k), .is_some() … told
// from the views of their types (see core/values/library). Nothing of the program runs.
#pragma once

#include "core/expressions/syntax.h"
#include "core/values/value.h"

namespace lantern {

// The answer of `object.name(arguments)`; nothing if it is no question that a view can answer.
// References are not looked through. Throws RequestError for an element, key or value that is not
// there, BrokenValue, MemoryError.
std::optional<Value> answer_to(const ValueReader& reader, const Value& object,
                               const std::string& name, const std::vector<Value>& arguments,
                               Language language);

// The names of those that an object of this type can be asked, for advice and completion; empty if
// there are none.
std::vector<std::string> questions_for(const Type& type, Language language);

}  // namespace lantern
