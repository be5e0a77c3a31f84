// What an instruction moves, where it does nothing else: from a register, from memory, or a number.
#pragma once

#include <optional>
#include <string>

#include "core/code/function_code.h"

namespace lantern {

struct PlainMove {
    enum class From { in_register, memory, constant } from = From::in_register;
    unsigned dwarf_number = 0;
    MemoryAccess access;
    std::uint64_t constant = 0;
    unsigned size = 0;  // bytes
};
// Into the register, and into memory.
std::optional<PlainMove> move_into_register(const FunctionCode& code, std::uint32_t node,
                                            unsigned dwarf_number);
std::optional<PlainMove> move_into_memory(const FunctionCode& code, std::uint32_t node);

// Of an instruction that stores as many bytes of a register into memory, and nothing else: which.
std::optional<unsigned> register_moved_into_memory(ByteSpan instruction, std::uint64_t size);

// The instruction as assembler text, and the number that its last operand is.
std::string text_of(const FunctionCode& code, std::uint32_t node);
std::optional<std::uint64_t> last_number(const std::string& text);

}  // namespace lantern
