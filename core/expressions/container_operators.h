// What [], *, == mean for types of the standard libraries, by their views (see
// core/values/library).
#pragma once

#include "core/values/meaning.h"

namespace lantern {

// container[key]: the element of that number, or the value of that key. Nothing if the value has no
// view with parts. Throws RequestError for an index or key that is not there, BrokenValue.
std::optional<Value> element_of(const ValueReader& reader, const Value& container,
                                const Value& key);
// Throws RequestError for a container of C++ that compares its keys by code of the program: what it
// would find cannot be told.
void require_plain_keys(const Value& container);
// How many parts a value with a view has; nothing if it has no view with parts.
std::optional<std::uint64_t> count_of(const ValueReader& reader, const Value& container);
// `count` elements from number `first` on, as an array: where they lie one behind another that
// memory, else copies of them. Throws RequestError for what is not there or not known by number.
Value part_of_container(const ValueReader& reader, const Value& container, std::int64_t first,
                        std::uint64_t count);
// What * and -> lead to; nothing if it is no such type. Throws RequestError where it holds nothing.
std::optional<Value> target_of_owner(const ValueReader& reader, const Value& owner);
// The text of a character array, a pointer to characters or a string type; nothing for anything
// else.
std::optional<std::string> text_content(const ValueReader& reader, const Value& value);
// Whether two values are alike by what they mean; nothing if they cannot be compared that way.
std::optional<bool> are_alike(const ValueReader& reader, const Value& a, const Value& b,
                              int depth = 0);

}  // namespace lantern
