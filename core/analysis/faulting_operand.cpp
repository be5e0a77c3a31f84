#include "core/analysis/faulting_operand.h"

#include <algorithm>

namespace lantern {

const MemoryAccess* operand_at(const Effects& effects, const Registers& registers, RunAddress next,
                               std::uint64_t gs_base, RunAddress address) {
    const MemoryAccess* open = nullptr;
    for (const MemoryAccess& access : effects.memory) {
        auto start = accessed_address(access, registers, next, gs_base);
        if (!start)
            open = &access;
        else if (*start <= address.value && address.value < *start + std::max(access.size, 1u))
            return &access;
    }
    if (open) return open;
    // What repeats has moved on, and large operands may be touched anywhere: the only one that
    // there is.
    return effects.memory.size() == 1 ? &effects.memory[0] : nullptr;
}

}  // namespace lantern
