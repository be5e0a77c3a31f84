// A structure on the stack is often filled member by member. As soon as one of them is set the
// variable counts as assigned; what nothing has set then is garbage among values.
//
//     struct lock gate;             gate = {width = (not set), depth_cm = 210, doors = (not set)}
//     gate.depth_cm = 210;
//  ◆  gate.width = 6;
#pragma once

#include "core/values/assignment.h"

namespace lantern {

// Of the members that the view lists, at any depth but not within arrays and unions: marks those
// that no way here has stored into. Does nothing for a parameter, and for what is no structure or
// is marked itself.
void mark_unset_members(ValueView& view, const AssignmentAnalysis& assignment,
                        const PartOfVariable& shown, const Scope& declared_in);

// What ".doors.width" is of a variable. Nothing where the path leads through anything but
// structures.
std::optional<PartOfVariable> part_named(const Variable& variable, std::string_view path);

}  // namespace lantern
