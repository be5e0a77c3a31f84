// The types that expressions need whether or not the program mentions them, and types made from
// others.
#pragma once

#include <string>
#include <vector>

#include "core/symbols/type.h"

namespace lantern {

const Type& int_type();
const Type& unsigned_type();
const Type& long_type();
const Type& unsigned_long_type();
const Type& char_type();
const Type& double_type();
const Type& bool_type();

// A C type from its words in any order ("unsigned", "long", "int"); null if they make none.
const Type* base_type_from_words(std::vector<std::string> words);

// "i32", "usize", "f64", "char", "bool" …; null for another word.
const Type* rust_base_type(std::string_view word);

// Made once for each target, which owns them: they end with the module that it is of.
const Type& pointer_to(const Type& target);
const Type& reference_to(const Type& target);
const Type& array_of(const Type& element, std::uint64_t count);
// A structure of Rust with these members one behind another.
const Type& rust_structure_of(const std::string& name,
                              const std::vector<std::pair<std::string, const Type*>>& members);
// An enum of Rust that holds `content` as its only case.
const Type& rust_enum_of(const std::string& name, const std::string& its_case, const Type& content);
const Type& function_of(const Type& returned, const std::vector<const Type*>& parameters);

}  // namespace lantern
