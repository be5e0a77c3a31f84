// Which registers an instruction reads and writes, implicit ones and the flags too, as sets: what
// the analysis of code asks of each of many instructions. (See effects.h for its operands one by
// one.)
#pragma once

#include <bit>
#include <cstdint>
#include <optional>

#include "core/support/byte_reader.h"

namespace lantern {

// Registers by their DWARF numbers: the general ones, the flags, vectors 0 to 15, the x87 stack and
// the masks. A vector's number stands for all of it.
class RegisterSet {
  public:
    constexpr RegisterSet() = default;
    static constexpr bool can_hold(unsigned dwarf_number) {
        return place_of(dwarf_number) != kNowhere;
    }
    static constexpr RegisterSet of(unsigned dwarf_number) {
        return can_hold(dwarf_number) ? RegisterSet(std::uint64_t{1} << place_of(dwarf_number))
                                      : RegisterSet();
    }

    constexpr bool has(unsigned dwarf_number) const {
        return (*this & of(dwarf_number)) != RegisterSet();
    }
    constexpr bool is_empty() const { return bits_ == 0; }
    constexpr unsigned size() const { return static_cast<unsigned>(std::popcount(bits_)); }
    constexpr RegisterSet operator|(RegisterSet other) const {
        return RegisterSet(bits_ | other.bits_);
    }
    constexpr RegisterSet operator&(RegisterSet other) const {
        return RegisterSet(bits_ & other.bits_);
    }
    constexpr RegisterSet without(RegisterSet other) const {
        return RegisterSet(bits_ & ~other.bits_);
    }
    constexpr RegisterSet& operator|=(RegisterSet other) { return *this = *this | other; }
    constexpr bool operator==(const RegisterSet&) const = default;

  private:
    static constexpr unsigned kNowhere = 64;
    // 0–49 as they are, 118–125 (the masks) behind them.
    static constexpr unsigned place_of(unsigned number) {
        return number < 50 ? number : number >= 118 && number < 126 ? number - 118 + 50 : kNowhere;
    }
    explicit constexpr RegisterSet(std::uint64_t bits) : bits_(bits) {}

    std::uint64_t bits_ = 0;
};

struct RegisterEffects {
    RegisterSet reads;
    RegisterSet writes;      // in whole or in part, always or sometimes
    RegisterSet overwrites;  // nothing of what they held is left: among `writes`
    bool reads_memory = false, writes_memory = false;
};

// Of the instruction alone: what a call does inside is not known to it. Nothing if the bytes are no
// instruction or are cut off. (Intel SDM 2. A write of four bytes of a general register clears the
// upper four: SDM 1, §3.4.1.1; one of a vector with VEX or EVEX clears what lies above: SDM 1,
// §14.1.1. A register combined with itself to zero is not read.)
std::optional<RegisterEffects> register_effects_of(ByteSpan bytes);

// By the calling convention (System V ABI x86-64 §3.2.1, §3.2.3): what a call of any function may
// read, and does not keep; what a function that returns hands over or has kept.
RegisterSet read_by_a_call();
RegisterSet lost_by_a_call();
RegisterSet handed_back();

}  // namespace lantern
