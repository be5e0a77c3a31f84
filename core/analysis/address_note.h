// What an address means to a person: the function or variable there, whose stack, the heap, a text.
// One line, without guesses.
#pragma once

#include <string>

#include "core/session/moment.h"

namespace lantern {

// "fill_chamber+4, sluice.c:42", "level", "stack of frame 1", "heap", "in lockflow"; empty for a
// number that leads nowhere.
std::string address_note(const Moment& moment, RunAddress address);
// The beginning of a text that lies there, in quotes; empty if there is none of at least four
// characters.
std::string text_at_address(const Moment& moment, RunAddress address);
// The text that the bytes of a word are, in quotes; empty where fewer than four of them are one.
std::string text_of_word(std::uint64_t word);
// "fill_chamber" or "fill_chamber+4": a symbol of a module; empty if none owns the address.
std::string symbol_note(Target& target, RunAddress address);

}  // namespace lantern
