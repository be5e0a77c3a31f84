#include "core/code/call_argument.h"

#include <algorithm>

#include "core/code/plain_move.h"
#include "core/machine/effects.h"
#include "core/machine/registers.h"

namespace lantern {
namespace {

std::optional<CallArgument> made_by(ByteSpan instruction, unsigned argument) {
    auto effects = effects_of(instruction);
    if (!effects || !effects->memory.empty()) return std::nullopt;
    const RegisterUse *written = nullptr, *read = nullptr;
    for (const RegisterUse& use : effects->registers) {
        if (use.writes) written = &use;
        if (use.reads) read = &use;
    }
    bool is_whole = written && written->dwarf_number == argument && written->size >= 4;
    if (!is_whole) return std::nullopt;
    CallArgument made;
    made.size = written->size;
    if (effects->address) {
        const MemoryAccess& sum = *effects->address;
        bool is_plain = sum.base && *sum.base < kGeneralRegisters && !sum.index &&
                        !sum.has_other_registers && sum.segment == MemoryAccess::Segment::none;
        if (!is_plain) return std::nullopt;
        made.copied = sum.base;
        made.plus = static_cast<std::uint64_t>(sum.displacement);
        return made;
    }
    if (effects->clears_its_register) return made;
    if (effects->is_copy && read && read->size == written->size) {
        made.copied = read->dwarf_number;
        return made;
    }
    std::string text = instruction_text(instruction, RunAddress(0));
    auto number = last_number(text);
    if (read || !number || !text.starts_with("mov ")) return std::nullopt;
    made.plus = *number;
    return made;
}

}  // namespace

namespace {

// The last instruction before the call that writes the register, and what those behind it write.
struct Maker {
    std::uint32_t node = FlowGraph::kNone;
    RegisterSet written;  // by itself too
};

// In a straight line, which ends before it could go round.
std::optional<Maker> maker_of(KeptCode& code, std::uint32_t call, unsigned argument) {
    if (call == FlowGraph::kNone) return std::nullopt;
    const auto& effects = code.effects();
    const Ways& before = code.ways_back();
    Maker maker;
    for (std::uint32_t at = call; before[at].size() == 1 && before[at][0] < at;) {
        at = before[at][0];
        if (!effects[at] || code.flow().nodes()[at].kind == Instruction::Kind::call)
            return std::nullopt;
        maker.node = at;
        maker.written |= effects[at]->writes;
        if (effects[at]->writes.has(argument)) return maker;
    }
    return std::nullopt;
}

}  // namespace

std::optional<CallArgument> call_argument(KeptCode& code, std::uint32_t call, unsigned argument) {
    auto maker = maker_of(code, call, argument);
    if (!maker) return std::nullopt;
    auto made = made_by(code.bytes_of(maker->node), argument);
    if (made && made->copied == kProgramCounterNumber) {
        CallArgument fixed;
        fixed.address = code.flow().nodes()[maker->node].behind() + made->plus;
        return fixed;
    }
    // The copied register may be the argument itself.
    if (made && made->copied) made->is_gone = maker->written.has(*made->copied);
    return made;
}

bool is_computed_from_memory(KeptCode& code, std::uint32_t call, unsigned argument) {
    auto maker = maker_of(code, call, argument);
    if (!maker) return false;
    ByteSpan bytes = code.bytes_of(maker->node);
    auto effects = effects_of(bytes);
    bool reads_memory =
        effects && std::ranges::any_of(effects->memory, [](const MemoryAccess& access) {
            return access.reads && !access.is_implied;
        });
    if (!reads_memory) return false;
    std::string text = instruction_text(bytes, RunAddress(0));
    bool is_plain = text.starts_with("mov") || text.starts_with("vmov");
    return !is_plain || text.starts_with("movsx");
}

}  // namespace lantern
