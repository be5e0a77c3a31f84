// Brings each side to where the runs part, to look at its stack and its variables.
#pragma once

#include "core/comparison/parting_report.h"
#include "core/session/session.h"

namespace lantern {

// The program as it was walked, to be run once more.
LaunchOptions launch_as_walked(const PairedRunRequest& request, unsigned side);

// Launches the session's program and runs it to the event: to the entry of the function, or back
// out of it. False: it has come somewhere else.
bool go_to_event(Session& session, const PairedRun& run, unsigned side, std::uint32_t event);

// Where a side is looked at: inside of a call that returns something else, at the last event that
// both did alike where a program ends, else at the event itself.
std::uint32_t event_to_look_at(const PairedRun& run, const Parting& parting, unsigned side);

// Adds what the stops tell: stacks, variables, what nobody has set, the line inside of the
// function. `mappings` and `search` are those of the sessions that are made for it.
void add_stops(const PairedRunRequest& request, const PairedRun& run, const Parting& parting,
               const std::vector<SourceMapping>& mappings, PartingReport& report);

}  // namespace lantern
