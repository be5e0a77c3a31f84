// Why a function returned what was wrong later: the program is run again up to that call, which is
// then gone through line by line.
#pragma once

#include <vector>

#include "core/analysis/diagnosis.h"
#include "core/session/session.h"

namespace lantern::cli {

// From which line the call came back that the origin of the diagnosis ends with; then the same of
// the call in that line that gave back the null. Nothing where the origin ends otherwise, or where
// the further runs did not come there.
std::vector<OriginLink> lines_that_returned(Session& session, const Diagnosis& diagnosis);

// As if nothing had run yet: at the beginning of main, without breakpoints. Throws RequestError.
Stop begin_anew(Session& session);

}  // namespace lantern::cli
