// Which part of an object an address leads to, by name.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "core/symbols/type.h"

namespace lantern {

// "[2].level_cm" for 28 bytes into an array of chambers: the part of type `wanted` there, else the
// innermost; "" for the whole. "… + 3 bytes" where no part begins there. `offset` lies within the
// type.
std::string part_at_offset(const Type& type, std::uint64_t offset, const Type& wanted);

// The scalar that lies there, "[2].level_cm", and its type; of a union the first alternative.
// Nothing where none begins there.
struct NamedScalar {
    std::string text;
    const Type* type = nullptr;
};
std::optional<NamedScalar> scalar_part_at(const Type& type, std::uint64_t offset);

// Whether a part of that type, the whole perhaps, begins there.
bool has_part_at(const Type& type, std::uint64_t offset, const Type& wanted);

}  // namespace lantern
