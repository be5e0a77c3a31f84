// What the sanitizer that a program is built with has found. Its library calls two functions that
// anybody may put in place of its own: one with the summary of a report that is written already,
// and one at each report of undefined behaviour, before it is written.
#pragma once

#include <string>
#include <vector>

#include "core/object/sanitizer.h"
#include "core/session/moment.h"

namespace lantern {

class Session;

inline constexpr std::string_view kReportIsWritten = "__sanitizer_report_error_summary",
                                  kBehaviourIsUndefined = "__ubsan_on_report";

// At the beginning of one of the two. Of what is told by both, only the first is to stop at.
bool is_told_already(Target& target, ThreadId thread);
// "AddressSanitizer: heap-buffer-overflow sluice.c:7 in sum_of"; empty: it cannot be read.
std::string sanitizer_report(Target& target, ThreadId thread);

// It looks for leaks as a tracer of its own process, which it cannot be where we are the tracer: it
// would end the program with an error. Leaves an answer of the user's to that question alone.
// False: nothing was to be changed.
bool leave_out_leak_check(const Sanitizer& sanitizer, std::vector<std::string>& environment);

// A program that is built with one stops at its reports from now on. What the user should know of
// that; empty: it is built with none.
std::string heed_sanitizer(Session& session);

}  // namespace lantern
