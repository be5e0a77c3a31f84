#include "core/code/plain_move.h"

#include <algorithm>
#include <cstdlib>

#include "core/machine/instruction.h"

namespace lantern {

std::string text_of(const FunctionCode& code, std::uint32_t node) {
    return instruction_text(code.bytes(node), RunAddress(code.node(node).address.value));
}

// "mov rax, 0x0" ends in a number.
std::optional<std::uint64_t> last_number(const std::string& text) {
    std::size_t comma = text.rfind(", ");
    if (comma == std::string::npos) return std::nullopt;
    std::string operand = text.substr(comma + 2);
    bool is_negative = operand.starts_with('-');
    std::string digits = operand.substr(is_negative);
    if (digits.empty() ||
        digits.find_first_not_of("0123456789abcdefABCDEFx") != std::string::npos ||
        !std::isdigit(static_cast<unsigned char>(digits[0])))
        return std::nullopt;
    std::uint64_t number = std::strtoull(digits.c_str(), nullptr, 0);
    return is_negative ? -number : number;
}

namespace {

const RegisterUse* written_register(const Effects& effects) {
    for (const RegisterUse& use : effects.registers)
        if (use.writes && !use.is_implied) return &use;
    return nullptr;
}

const RegisterUse* read_register(const Effects& effects, const MemoryAccess* address) {
    for (const RegisterUse& use : effects.registers) {
        bool is_of_address =
            address && (use.dwarf_number == address->base || use.dwarf_number == address->index);
        if (use.reads && !use.is_implied && !is_of_address) return &use;
    }
    return nullptr;
}

}  // namespace

std::optional<PlainMove> move_into_register(const FunctionCode& code, std::uint32_t node,
                                            unsigned dwarf_number) {
    const Effects* effects = code.slots.effects_of(node);
    if (!effects) return std::nullopt;
    // The sign of the lower half is carried into the upper one: the same number, longer.
    if (dwarf_number == 0 && text_of(code, node) == "cdqe") return PlainMove{};
    const RegisterUse* written = written_register(*effects);
    if (!written || written->dwarf_number != dwarf_number || written->size < 4) return std::nullopt;
    PlainMove move;
    move.size = written->size;
    if (effects->clears_its_register) {
        move.from = PlainMove::From::constant;
        return move;
    }
    std::string text = text_of(code, node);
    if (!text.starts_with("mov")) return std::nullopt;
    auto read = std::ranges::find_if(effects->memory, [](const MemoryAccess& access) {
        return access.reads && !access.is_implied;
    });
    if (read != effects->memory.end()) {
        move.from = PlainMove::From::memory;
        move.access = *read;
        move.size = read->size;
        return move;
    }
    if (const RegisterUse* source = read_register(*effects, nullptr)) {
        move.dwarf_number = source->dwarf_number;
        return move;
    }
    if (auto number = last_number(text)) {
        move.from = PlainMove::From::constant;
        move.constant = *number;
        return move;
    }
    return std::nullopt;
}

std::optional<PlainMove> move_into_memory(const FunctionCode& code, std::uint32_t node) {
    const Effects* effects = code.slots.effects_of(node);
    std::string text = text_of(code, node);
    if (!effects || !text.starts_with("mov")) return std::nullopt;
    auto written = std::ranges::find_if(effects->memory, [](const MemoryAccess& access) {
        return access.writes && !access.is_implied;
    });
    if (written == effects->memory.end()) return std::nullopt;
    PlainMove move;
    move.size = written->size;
    if (const RegisterUse* source = read_register(*effects, &*written)) {
        move.dwarf_number = source->dwarf_number;
        return move;
    }
    auto number = last_number(text);
    if (!number) return std::nullopt;
    move.from = PlainMove::From::constant;
    move.constant = *number;
    return move;
}

std::optional<unsigned> register_moved_into_memory(ByteSpan instruction, std::uint64_t size) {
    auto effects = effects_of(instruction);
    bool is_move = effects && effects->memory.size() == 1 && effects->memory[0].writes &&
                   effects->memory[0].size == size &&
                   instruction_text(instruction, RunAddress(0)).starts_with("mov");
    const RegisterUse* source = is_move ? read_register(*effects, &effects->memory[0]) : nullptr;
    return source ? std::optional(source->dwarf_number) : std::nullopt;
}

}  // namespace lantern
