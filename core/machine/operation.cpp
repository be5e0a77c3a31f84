#include "core/machine/operation.h"

#include <string_view>

#include "core/machine/decoder.h"

namespace lantern {
namespace {

bool is_register(const ZydisDecodedOperand& operand) {
    return operand.type == ZYDIS_OPERAND_TYPE_REGISTER;
}

// The number that is added to the first operand, where that is all.
std::optional<std::int64_t> added(const Decoded& whole) {
    const auto& [instruction, operands] = whole;
    bool has_number = operands[1].type == ZYDIS_OPERAND_TYPE_IMMEDIATE;
    switch (instruction.mnemonic) {
        case ZYDIS_MNEMONIC_INC: return 1;
        case ZYDIS_MNEMONIC_DEC: return -1;
        case ZYDIS_MNEMONIC_ADD:
            return has_number ? std::optional(operands[1].imm.value.s) : std::nullopt;
        case ZYDIS_MNEMONIC_SUB:
            return has_number ? std::optional(-operands[1].imm.value.s) : std::nullopt;
        case ZYDIS_MNEMONIC_LEA: {
            const auto& memory = operands[1].mem;
            bool same = memory.index == ZYDIS_REGISTER_NONE && memory.disp.has_displacement &&
                        dwarf_number_of(memory.base) == dwarf_number_of(operands[0].reg.value);
            return same ? std::optional(memory.disp.value) : std::nullopt;
        }
        default: return std::nullopt;
    }
}

std::optional<Operation::Step> step_of(const Decoded& whole) {
    const ZydisDecodedOperand& into = whole.operands[0];
    if (!is_register(into) || into.size < 32) return std::nullopt;
    auto number = dwarf_number_of(into.reg.value);
    auto amount = number && *number < kFirstVectorRegister ? added(whole) : std::nullopt;
    return amount ? std::optional(Operation::Step{*number, *amount}) : std::nullopt;
}

// Names of vector instructions by how they begin; those with a V before them are the same.
constexpr std::string_view kArithmetic[] = {
    "padd", "psub", "pmul", "pmadd", "pcmp", "pmax", "pmin", "pavg", "pabs", "psad",
    "psll", "psrl", "psra", "pand",  "por",  "pxor", "and",  "or",   "xor",  "add",
    "sub",  "mul",  "div",  "sqrt",  "max",  "min",  "cmp",  "fm",   "fnm",  "cvt"};
constexpr std::string_view kOfWholeNumbers[] = {"padd", "psub", "pmul", "pmadd", "pcmp",
                                                "pmax", "pmin", "pavg", "pabs",  "psad"};
constexpr std::string_view kOfBits[] = {"pand", "por", "pxor", "and", "or", "xor"};

template <std::size_t N>
bool begins_with_one_of(std::string_view name, const std::string_view (&begins)[N]) {
    for (std::string_view begin : begins)
        if (name.starts_with(begin)) return true;
    return false;
}

// A byte shift moves, and computes nothing.
bool only_moves(std::string_view name) {
    return name == "pslldq" || name == "psrldq";
}

bool combines_with_itself(const Decoded& whole) {
    const auto& [instruction, operands] = whole;
    unsigned last = instruction.operand_count_visible;
    return last >= 2 && is_register(operands[last - 1]) && is_register(operands[last - 2]) &&
           operands[last - 1].reg.value == operands[last - 2].reg.value;
}

void read_vector(const Decoded& whole, Operation& operation) {
    const ZydisDecodedOperand& into = whole.operands[0];
    if (!is_register(into) || into.size < 128) return;
    auto number = dwarf_number_of(into.reg.value);
    bool is_vector = number && *number >= kFirstVectorRegister && *number < kFirstStackRegister;
    if (!is_vector) return;
    std::string_view name = ZydisMnemonicGetString(whole.instruction.mnemonic);
    if (name.starts_with('v')) name.remove_prefix(1);
    if (!begins_with_one_of(name, kArithmetic) || only_moves(name) || combines_with_itself(whole))
        return;
    // One number of a vector register (addss, cvtsi2sd) has an operand of one element.
    unsigned last = whole.instruction.operand_count_visible - 1u;
    if (last > 0 && whole.operands[last].type == ZYDIS_OPERAND_TYPE_IMMEDIATE) --last;
    const ZydisDecodedOperand& tells = whole.operands[last];
    bool of_bits = begins_with_one_of(name, kOfBits);
    if (tells.element_count < 2 && !of_bits) return;
    operation.vector_size = into.size / 8;
    if (!of_bits) operation.lane_size = into.element_size / 8;
    operation.of_whole_numbers = begins_with_one_of(name, kOfWholeNumbers);
}

bool chooses(const ZydisDecodedInstruction& instruction) {
    return instruction.meta.category == ZYDIS_CATEGORY_CMOV;
}

}  // namespace

std::optional<Operation> operation_of(ByteSpan bytes) {
    Decoded whole;
    if (!decode(bytes, whole)) return std::nullopt;
    Operation operation;
    operation.step = step_of(whole);
    read_vector(whole, operation);
    operation.chooses = chooses(whole.instruction);
    return operation;
}

}  // namespace lantern
