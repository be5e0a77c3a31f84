// What names mean at the sites of a breakpoint, before the program comes there.
#pragma once

#include "core/session/breakpoint.h"
#include "core/unwind/frame.h"

namespace lantern {

// The frame that a thread will have at a site, without registers: good for names and types, not for
// values.
Frame frame_at(Target& target, const Breakpoint::Site& site);

// Reads the condition and the noted expressions as they will be read at the sites. Throws
// ExpressionError, with the column, for what does not parse, and, unless `may_come_later`, for a
// name that means nothing at any of them: a library may still bring it.
void require_meaning_at_sites(Target& target, const Breakpoint& breakpoint,
                              const EvaluationContext& otherwise, bool may_come_later);

}  // namespace lantern
