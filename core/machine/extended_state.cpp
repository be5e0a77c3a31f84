#include "core/machine/extended_state.h"

#include <cpuid.h>

#include <cstring>

namespace lantern {
namespace {

constexpr std::size_t kLegacySize = 512, kHeaderSize = 64,
                      kMaskAt = 464;  // the kernel keeps there which parts exist (user_xstate)
constexpr std::size_t kStackAt = 32, kVectorsAt = 160;

// The parts, by their bits (Intel SDM 1, §13.1).
enum StatePart : unsigned {
    kStack = 0,
    kVectors = 1,
    kUpperHalves = 2,
    kMasks = 5,
    kUpper256 = 6,
    kHigh16 = 7,
    kPartCount = 10
};

struct Layout {
    std::array<std::size_t, kPartCount> offsets{};
    std::size_t size = 0;
};

const Layout& layout_here() {
    static const Layout layout = [] {
        Layout made;
        unsigned eax = 0, ebx = 0, ecx = 0, edx = 0;
        if (__get_cpuid_count(0xd, 0, &eax, &ebx, &ecx, &edx)) made.size = ebx;
        for (unsigned part = 2; part < kPartCount; ++part)
            if (__get_cpuid_count(0xd, part, &eax, &ebx, &ecx, &edx)) made.offsets[part] = ebx;
        return made;
    }();
    return layout;
}

std::size_t offset_of(ByteSpan area, StatePart part) {
    static constexpr std::array<std::size_t, kPartCount> kUsual{0,    0,    576,  960, 1024,
                                                                1088, 1152, 1664, 0,   2688};
    return area.size() == layout_here().size ? layout_here().offsets[part] : kUsual[part];
}

std::uint64_t word_at(ByteSpan area, std::size_t at) {
    std::uint64_t word = 0;
    if (at + sizeof word <= area.size()) std::memcpy(&word, area.data() + at, sizeof word);
    return word;
}

// Exists on that processor, and lies inside the area.
bool has(ByteSpan area, StatePart part, std::size_t size) {
    if (area.size() < kLegacySize + kHeaderSize) return false;
    bool exists = word_at(area, kMaskAt) >> part & 1;
    std::size_t at = offset_of(area, part);
    return exists && at >= kLegacySize + kHeaderSize && at + size <= area.size();
}

// Where it is not in use the processor has left the part as it was before: all zero.
bool in_use(ByteSpan area, StatePart part) {
    return word_at(area, kLegacySize) >> part & 1;
}

void copy_part(ByteSpan area, std::size_t from, std::byte* to, std::size_t size) {
    std::memcpy(to, area.data() + from, size);
}

}  // namespace

std::optional<ExtendedState> read_extended_state(ByteSpan area) {
    if (area.size() < kLegacySize) return std::nullopt;
    ExtendedState state;
    bool only_legacy = area.size() < kLegacySize + kHeaderSize;
    auto u16 = [&](std::size_t at) { return static_cast<std::uint16_t>(word_at(area, at)); };
    state.control = u16(0);
    state.status = u16(2);
    state.last_opcode = u16(6);
    state.last_instruction = word_at(area, 8);
    state.last_operand = word_at(area, 16);
    state.vector_control = static_cast<std::uint32_t>(word_at(area, 24));
    bool stack_used = only_legacy || in_use(area, kStack);
    auto tags = static_cast<unsigned>(area[4]);
    unsigned top = state.status >> 11 & 7;
    for (unsigned i = 0; i < 8; ++i) {
        if (stack_used) copy_part(area, kStackAt + 16 * i, state.stack[i].data(), 10);
        state.stack_in_use[i] = stack_used && (tags >> ((top + i) % 8) & 1);
    }
    bool wide = has(area, kUpper256, 512) && has(area, kHigh16, 1024),
         middle = has(area, kUpperHalves, 256);
    state.vector_size = wide ? 64 : middle ? 32 : 16;
    state.vectors.resize(wide ? 32 : 16);
    for (unsigned i = 0; i < 16; ++i) {
        if (only_legacy || in_use(area, kVectors))
            copy_part(area, kVectorsAt + 16 * i, state.vectors[i].data(), 16);
        if (middle && in_use(area, kUpperHalves))
            copy_part(area, offset_of(area, kUpperHalves) + 16 * i, state.vectors[i].data() + 16,
                      16);
        if (wide && in_use(area, kUpper256))
            copy_part(area, offset_of(area, kUpper256) + 32 * i, state.vectors[i].data() + 32, 32);
        if (wide && in_use(area, kHigh16))
            copy_part(area, offset_of(area, kHigh16) + 64 * i, state.vectors[16 + i].data(), 64);
    }
    if (has(area, kMasks, 64)) {
        state.masks.emplace();
        for (unsigned i = 0; i < 8; ++i)
            (*state.masks)[i] =
                in_use(area, kMasks) ? word_at(area, offset_of(area, kMasks) + 8 * i) : 0;
    }
    return state;
}

std::optional<AreaPlace> place_of_vector_byte(ByteSpan area, unsigned number, unsigned byte) {
    auto bit = [](StatePart part) { return std::uint64_t{1} << part; };
    if (number >= 16 && number < 32 && byte < 64 && has(area, kHigh16, 1024))
        return AreaPlace{offset_of(area, kHigh16) + 64 * (number - 16) + byte, bit(kHigh16)};
    if (number >= 16) return std::nullopt;
    if (byte < 16 && area.size() >= kLegacySize)
        return AreaPlace{kVectorsAt + 16 * number + byte, bit(kVectors)};
    if (byte < 32 && has(area, kUpperHalves, 256))
        return AreaPlace{offset_of(area, kUpperHalves) + 16 * number + byte - 16,
                         bit(kUpperHalves)};
    if (byte >= 32 && byte < 64 && has(area, kUpper256, 512))
        return AreaPlace{offset_of(area, kUpper256) + 32 * number + byte - 32, bit(kUpper256)};
    return std::nullopt;
}

AreaPlace place_of_stack(unsigned number) {
    return {kStackAt + 16 * number, std::uint64_t{1} << kStack};
}

void mark_in_use(std::span<std::byte> area, const AreaPlace& place) {
    std::uint64_t word = word_at(area, kLegacySize) | place.in_use;
    if (kLegacySize + sizeof word <= area.size())
        std::memcpy(area.data() + kLegacySize, &word, sizeof word);
}

std::optional<AreaPlace> place_of_mask(ByteSpan area, unsigned number) {
    if (number >= 8 || !has(area, kMasks, 64)) return std::nullopt;
    return AreaPlace{offset_of(area, kMasks) + 8 * number, std::uint64_t{1} << kMasks};
}

}  // namespace lantern
