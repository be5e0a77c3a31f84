// Breakpoints and modules in the words of the protocol.
#pragma once

#include "cli/protocol/conversation.h"

namespace lantern::cli {

// It stands somewhere, or waits for something that needs no place.
bool is_verified(const Session& session, const KeptBreakpoint& kept);
Json breakpoint_json(Conversation& conversation, const KeptBreakpoint& kept);
// Those on lines that were asked for before there was a program: where they stand in it.
void find_lines(Conversation& conversation);
Json module_json(Conversation& conversation, const Module& module);

}  // namespace lantern::cli
