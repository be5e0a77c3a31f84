// A value that the source says cannot be here: with it, control would not have come to this line.
//
//     v = pick(gate);
//     if (v != 0) {
//         open(v);          ◄ here: an account that says v = 0 contradicts the line above
//
// Only conditions of that variable and numbers are asked, and only where nothing may have set it
// since.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/analysis/source_changes.h"
#include "core/session/moment.h"

namespace lantern {

// The line of a condition that the variable's present value contradicts, at the statement `here` of
// the frame's own function. Never throws; runs nothing of the program.
std::optional<std::uint32_t> contradicting_condition(const Moment& moment, const Frame& frame,
                                                     const SourceChanges& changes, std::size_t here,
                                                     const std::string& name);

// The line of a condition that asks about the variable, where its present value can only be that of
// one of the ways behind it, and the statement `here` is on none: no statement sets the variable to
// what can be told beforehand, each calls or reads memory. For a value that is accounted for as a
// constant.
std::optional<std::uint32_t> condition_it_is_of(const SourceChanges& changes, std::size_t here,
                                                const std::string& name);

// The parts of a condition that must each be so for it to have held, or not to have: of `a && b`
// that held both, of `a || b` that did not. The whole where it cannot be taken apart.
std::vector<std::string> parts_decided(const std::string& condition, bool held);

}  // namespace lantern
