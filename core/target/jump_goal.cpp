#include "core/target/jump_goal.h"

#include "core/machine/disassembler.h"
#include "core/support/error.h"
#include "core/target/code_at.h"

namespace lantern {
namespace {

RegisterValue registers_by_name(const Registers& registers) {
    return [&registers](std::string_view name) -> std::optional<std::uint64_t> {
        auto found = find_register(name);
        bool is_whole = found && found->size == 8 && found->offset == 0;
        return is_whole ? registers.get(found->dwarf_number) : std::nullopt;
    };
}

std::optional<RunAddress> computed_goal(Target& target, const InstructionAt& jump,
                                        const RegisterValue& value) {
    for (const OperandFact& operand :
         operands_of(jump.bytes(), jump.instruction.address, Syntax::intel, value)) {
        std::optional<std::uint64_t> goal;
        if (operand.kind == OperandFact::Kind::in_register) goal = value(operand.name);
        if (operand.kind == OperandFact::Kind::memory && operand.address)
            goal = target.read<std::uint64_t>(*operand.address);
        if (goal) return RunAddress(*goal);
    }
    return std::nullopt;
}

}  // namespace

std::optional<RunAddress> jump_goal(Target& target, ThreadId thread) {
    const Registers& registers = target.registers(thread);
    RegisterValue value = registers_by_name(registers);
    auto at = whole_instruction_at(target, registers.program_counter());
    if (!at) return std::nullopt;
    const Instruction& jump = at->instruction;
    if (jump.kind == Instruction::Kind::conditional_jump) {
        auto fact = jump_fact(at->bytes(), jump.address, value);
        if (!fact) return std::nullopt;
        return fact->is_taken ? jump.target : jump.next();
    }
    if (jump.kind != Instruction::Kind::jump) return std::nullopt;
    if (jump.target) return jump.target;
    try {
        return computed_goal(target, *at, value);
    } catch (const Error&) {  // the word cannot be read: the jump will fault
        return std::nullopt;
    }
}

}  // namespace lantern
