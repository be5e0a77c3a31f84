// How a thread asks the kernel for something (System V ABI x86-64 §A.2.1).
#pragma once

#include <initializer_list>
#include <optional>

#include "core/machine/registers.h"

namespace lantern {

constexpr unsigned kSystemCallLength = 2;  // bytes of the instruction
constexpr std::byte kSystemCallCode[kSystemCallLength] = {std::byte{0x0f}, std::byte{0x05}};

// Makes the registers ready for the instruction; a system call they stood in is not taken up again.
void set_system_call(Registers& registers, long number,
                     std::initializer_list<std::uint64_t> arguments);
// What the kernel gave back; negative error numbers included.
std::int64_t system_call_result(const Registers& registers);
// The sixth at most.
std::uint64_t system_call_argument(const Registers& registers, unsigned index);
void set_system_call_argument(Registers& registers, unsigned index, std::uint64_t value);

// The memory that a system call, which is just entered, reads or writes through one argument of
// known length; nothing for calls that lead into memory in other ways, or nowhere. Addresses are of
// the running program.
struct CallBuffer {
    unsigned argument = 0;  // which one holds its address
    std::uint64_t address = 0, size = 0;
    bool is_written = false;     // by the kernel; else it reads there
    bool result_counts = false;  // what the call gives back is how many bytes of it were used; else
                                 // all, where it did not fail
    std::uint64_t used(std::int64_t result) const;
};
std::optional<CallBuffer> buffer_of_call(const Registers& registers);
// A call that is just entered and leaves the program's memory as it is; of others that is not
// known.
bool writes_no_memory(const Registers& registers);
// Registers as they were before the instruction that has just entered the kernel.
void take_system_call_back(Registers& registers, long number);
// Of a thread that was stopped in the middle of a call which the kernel would begin anew when it
// goes on: before the instruction, as the kernel would put them. False: they are in no such call.
bool take_broken_call_back(Registers& registers);

}  // namespace lantern
