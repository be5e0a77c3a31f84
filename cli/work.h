// What the arguments ask for: a report of files, or a session handed to scripts or the prompt.
#pragma once

#include "cli/options.h"

namespace lantern::cli {

// What the program is to exit with. An Error is shown, not thrown; EndRequested is thrown.
int work_by(const Options& options);

}  // namespace lantern::cli
