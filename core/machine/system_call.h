// How a thread asks the kernel for something (System V ABI x86-64 §A.2.1).
#pragma once

#include <initializer_list>

#include "core/machine/registers.h"

namespace lantern {

constexpr unsigned kSystemCallLength = 2;  // bytes of the instruction
constexpr std::byte kSystemCallCode[kSystemCallLength] = {std::byte{0x0f}, std::byte{0x05}};

// Makes the registers ready for the instruction; a system call they stood in is not taken up again.
void set_system_call(Registers& registers, long number, std::initializer_list<std::uint64_t> arguments);
// What the kernel gave back; negative error numbers included.
std::int64_t system_call_result(const Registers& registers);
// The sixth at most.
std::uint64_t system_call_argument(const Registers& registers, unsigned index);
// Registers as they were before the instruction that has just entered the kernel.
void take_system_call_back(Registers& registers, long number);

}  // namespace lantern
