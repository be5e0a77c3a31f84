// What a failed assertion compared: its text is in the message.
#pragma once

#include <string>
#include <vector>

namespace lantern {

// Of "z: lz77.c:365: find: Assertion `n > 0 && list[n] == limit' failed." what stands in quotes.
// Empty where the message is none of a failed assertion.
std::string asserted_condition(const std::string& message);
// n, list[n], limit: each once, no constants.
std::vector<std::string> operands_of_condition(const std::string& condition);

}  // namespace lantern
