// Why the processor could not go on at an instruction: which operand it was, at what address, and
// what lies there.
#pragma once

#include <optional>
#include <string>

#include "core/session/moment.h"
#include "core/session/stop.h"

namespace lantern {

// Of a SIGSEGV or SIGBUS that the kernel raised for the instruction the thread stands at: "it read
// address 0x10, where nothing is mapped: a null pointer was followed". What is not known is said to
// be so.
std::string memory_fault_cause(const Moment& moment, const Stop& stop);
// Whether the access wrote; nothing where the instruction does not tell.
std::optional<bool> writes_at_fault(const Moment& moment, const Stop& stop);
// Of a SIGFPE and of a SIGILL.
std::string arithmetic_fault_cause(const Moment& moment, const Stop& stop);
std::string instruction_fault_cause(const Moment& moment, const Stop& stop);

}  // namespace lantern
