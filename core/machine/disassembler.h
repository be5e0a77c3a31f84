// Machine code as assembler text, one instruction at a time, for a few or for millions. (Decoding
// and formatting by Zydis.)
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/machine/instruction.h"
#include "core/machine/registers.h"

namespace lantern {

enum class Syntax { intel, att };

// What stands for an absolute address in the text; empty to write it as a number.
using NameAddress = std::function<std::string(RunAddress)>;

class Disassembler {
  public:
    explicit Disassembler(Syntax syntax, NameAddress name = {});
    ~Disassembler();
    Disassembler(const Disassembler&) = delete;
    Disassembler& operator=(const Disassembler&) = delete;

    struct Line {
        unsigned length = 1;  // 1 for a byte that begins no instruction
        bool is_instruction = false;
        std::string_view text;  // holds until the next call; "(bad)" where there is none
    };
    Line at(ByteSpan bytes, RunAddress address);

  private:
    struct Engine;
    std::unique_ptr<Engine> engine_;
};

// One operand of an instruction, with what it amounts to in given registers.
struct OperandFact {
    enum class Kind { in_register, memory, number, target };
    Kind kind = Kind::number;
    std::string text;                   // as the assembler text has it
    std::string name;                   // of a register
    std::optional<RunAddress> address;  // of memory, and of a direct target
    unsigned size = 0;                  // bytes
    unsigned real_size =
        0;  // bytes of each number, where the instruction takes them as floating ones; else 0
    bool is_read = false, is_written = false;
    bool is_relative = false;  // memory found from the program counter
};
using RegisterValue = std::function<std::optional<std::uint64_t>(std::string_view name)>;
std::vector<OperandFact> operands_of(ByteSpan bytes, RunAddress address, Syntax syntax,
                                     const RegisterValue& value);

// Whether a conditional jump would be taken, and why: "ZF is not set". Nothing for another
// instruction, or where the registers it depends on are not known.
struct JumpFact {
    bool is_taken = false;
    std::string because;
};
std::optional<JumpFact> jump_fact(ByteSpan bytes, RunAddress address, const RegisterValue& value);

}  // namespace lantern
