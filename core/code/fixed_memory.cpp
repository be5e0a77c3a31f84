#include "core/code/fixed_memory.h"

#include <algorithm>

#include "core/machine/registers.h"

namespace lantern {

using Touch = FrameSlots::Touch;

// Where the access is, as far as the instruction alone tells.
std::optional<FileAddress> FixedMemory::place_of(std::uint32_t node,
                                                 const MemoryAccess& access) const {
    bool is_plain = !access.index && !access.has_other_registers &&
                    access.segment == MemoryAccess::Segment::none;
    if (!is_plain || (access.base && access.base != kProgramCounterNumber)) return std::nullopt;
    std::uint64_t base = access.base ? flow_.nodes()[node].behind().value : 0;
    return FileAddress(base + static_cast<std::uint64_t>(access.displacement));
}

Touch FixedMemory::touch(std::uint32_t node) const {
    const Effects* effects = slots_.effects_of(node);
    if (!effects) return Touch::may_write;
    Instruction::Kind kind = flow_.nodes()[node].kind;
    if (kind == Instruction::Kind::call || kind == Instruction::Kind::system_call)
        return Touch::may_write;
    Touch touched = Touch::none;
    for (const MemoryAccess& access : effects->memory) {
        bool is_push = access.is_implied && access.base == kStackPointerNumber;
        if (!access.writes || is_push || slots_.slot_of(node, access)) continue;
        auto at = place_of(node, access);
        bool is_apart = at && (*at + access.size <= address_ || address_ + size_ <= *at);
        if (is_apart) continue;
        if (at && *at <= address_ && address_ + size_ <= *at + access.size) return Touch::writes;
        touched = Touch::may_write;
    }
    return touched;
}

bool FixedMemory::reads(std::uint32_t node) const {
    const Effects* effects = slots_.effects_of(node);
    return !effects || std::ranges::any_of(effects->memory, [&](const MemoryAccess& access) {
        auto at = access.reads ? place_of(node, access) : std::nullopt;
        return at && *at < address_ + size_ && address_ < *at + access.size;
    });
}

}  // namespace lantern
