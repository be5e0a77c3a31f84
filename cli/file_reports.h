// What is told of programs without running them: survey, became, disassembly.
#pragma once

#include "cli/options.h"
#include "cli/output.h"
#include "cli/settings.h"
#include "core/symbols/symbol_files.h"

namespace lantern::cli {

constexpr int kWorked = 0, kCommandFailed = 1, kNotReadable = 3;  // exit statuses

// Where symbols are looked for, by the options and the settings. Throws FileError for a folder that
// is not there.
SymbolSearch symbol_search(const Options& options, const Settings& settings);

// Each shows its reports and gives the exit status; with --out they are kept too. They throw what
// reading a program throws.
int run_survey(const Options& options, Output& output);
int run_became(const Options& options, Output& output);
int run_disassembly(const Options& options, Output& output);

}  // namespace lantern::cli
