// The interactive prompt: line editing, history and completion by libedit.
#pragma once

#include "cli/shell.h"

namespace lantern::cli {

// Reads and runs commands until the user leaves. Returns when `quit` was typed or the terminal is
// gone.
void run_prompt(Shell& shell);

}  // namespace lantern::cli
