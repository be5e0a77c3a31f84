// Runs a program until it fails, ends, or has run too long.
#pragma once

#include "core/analysis/diagnosis.h"
#include "core/session/session.h"

namespace lantern::cli {

// `hang_after`: seconds after which a program that still runs has failed; 0: never.
Diagnosis diagnosis_of_run(Session& session, double hang_after);
// Runs it again so often, with an eye on where the part of the line lies that was wrong, and adds
// who wrote there last. The session still stands where the failure is.
void confirm(Session& session, Diagnosis& diagnosis, unsigned times);

}  // namespace lantern::cli
