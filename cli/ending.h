// Waiting for input in a way that lets the signals through that ask us to end.
#pragma once

#include <poll.h>
#include <signal.h>

#include <span>

namespace lantern::cli {

// poll(2) on these, with only the signals of `mask` blocked for the time of waiting. `moment`: null
// for no limit. Throws nothing: it may be called through a library of C's.
int wait_for_input(std::span<pollfd> watch, const timespec* moment, const sigset_t& mask);
// Throws EndRequested when a signal has come while it waited.
void end_if_asked();
bool is_asked_to_end();
// The signals that are blocked now, without those that ask us to end.
sigset_t mask_for_waiting();

}  // namespace lantern::cli
