// Where the source of a function sets a variable to a number, by its text alone: for what a
// compiler has worked out beforehand and kept no code for.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "core/session/moment.h"

namespace lantern {

// The one line of the frame's function, before the one where it stands, that assigns just this
// number to the name (0: null too); nothing where no line or several do.
std::optional<std::uint32_t> line_that_assigns(const Moment& moment, const Frame& frame,
                                               const std::string& name, std::uint64_t value);

// Whether a line of source sets the name to the number, and to nothing else: `at = NULL;`, or one
// arm of a choice.
bool assigns_number(const std::string& line, const std::string& name, std::uint64_t value);

}  // namespace lantern
