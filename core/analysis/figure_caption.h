// The small line under a picture: of what program, where it stood, why, and when.
#pragma once

#include <string>

#include "core/session/moment.h"

namespace lantern {

// "lockflow · fill_chamber, sluice.c:42 · breakpoint 1 · 2026-05-04 12:30:05"; the time is local.
std::string caption_of(const Moment& moment);

}  // namespace lantern
