#include "core/machine/store.h"

#include <bit>
#include <cstring>
#include <functional>

#include "core/machine/decoder.h"
#include "core/machine/status_flags.h"

namespace lantern {
namespace {

std::optional<std::uint64_t> value_of(ZydisRegister reg, const Registers& registers) {
    auto named = find_register(ZydisRegisterGetString(reg));
    if (!named) return std::nullopt;
    auto whole = registers.get(named->dwarf_number);
    if (!whole) return std::nullopt;
    return *whole >> (8 * named->offset);
}

std::optional<RunAddress> address_of(const ZydisDecodedOperand& operand, const Registers& registers,
                                     RunAddress next) {
    std::uint64_t address =
        operand.mem.disp.has_displacement ? static_cast<std::uint64_t>(operand.mem.disp.value) : 0;
    if (operand.mem.base == ZYDIS_REGISTER_RIP) {
        address += next.value;
    } else if (operand.mem.base != ZYDIS_REGISTER_NONE) {
        auto base = value_of(operand.mem.base, registers);
        if (!base) return std::nullopt;
        address += *base;
    }
    if (operand.mem.index != ZYDIS_REGISTER_NONE) {
        auto index = value_of(operand.mem.index, registers);
        if (!index) return std::nullopt;
        address += *index * operand.mem.scale;
    }
    if (operand.mem.segment == ZYDIS_REGISTER_FS)
        address += registers.thread_base;
    else if (operand.mem.segment == ZYDIS_REGISTER_GS)
        return std::nullopt;
    return RunAddress(address);
}

// The flags after an operation (Intel SDM 2, each instruction's "Flags Affected").
std::uint64_t flags_after(std::uint64_t flags, ZydisMnemonic operation, std::uint64_t left,
                          std::uint64_t right, std::uint64_t result, unsigned bits) {
    std::uint64_t mask = bits == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << bits) - 1,
                  top = std::uint64_t{1} << (bits - 1);
    left &= mask, right &= mask, result &= mask;
    bool adds = operation == ZYDIS_MNEMONIC_ADD || operation == ZYDIS_MNEMONIC_INC;
    bool subtracts = operation == ZYDIS_MNEMONIC_SUB || operation == ZYDIS_MNEMONIC_DEC;
    bool keeps_carry = operation == ZYDIS_MNEMONIC_INC || operation == ZYDIS_MNEMONIC_DEC;
    bool carry = adds ? result < left : subtracts && left < right;
    bool overflow = adds ? (~(left ^ right) & (left ^ result) & top) != 0
                         : subtracts && ((left ^ right) & (left ^ result) & top) != 0;
    std::uint64_t touched =
        kParity | kAdjust | kZero | kSign | kOverflow | (keeps_carry ? 0 : kCarry);
    std::uint64_t made = 0;
    if (carry) made |= kCarry;
    if (std::popcount(result & 0xff) % 2 == 0) made |= kParity;
    if ((adds || subtracts) && ((left ^ right ^ result) & 0x10)) made |= kAdjust;
    if (result == 0) made |= kZero;
    if (result & top) made |= kSign;
    if (overflow) made |= kOverflow;
    return (flags & ~touched) | (made & touched);
}

std::optional<std::uint64_t> result_of(ZydisMnemonic operation, std::uint64_t left,
                                       std::uint64_t right) {
    switch (operation) {
        case ZYDIS_MNEMONIC_MOV: return right;
        case ZYDIS_MNEMONIC_ADD:
        case ZYDIS_MNEMONIC_INC: return left + right;
        case ZYDIS_MNEMONIC_SUB:
        case ZYDIS_MNEMONIC_DEC: return left - right;
        case ZYDIS_MNEMONIC_AND: return left & right;
        case ZYDIS_MNEMONIC_OR: return left | right;
        case ZYDIS_MNEMONIC_XOR: return left ^ right;
        default: return std::nullopt;
    }
}

}  // namespace

std::optional<Store> work_out_store(ByteSpan bytes, const Registers& registers,
                                    const ReadBytes& read) {
    Decoded whole_of_it;
    if (!decode(bytes, whole_of_it)) return std::nullopt;
    const auto& [decoded, operands] = whole_of_it;
    const ZydisDecodedOperand& place = operands[0];
    bool plain = place.type == ZYDIS_OPERAND_TYPE_MEMORY &&
                 !(decoded.attributes & (ZYDIS_ATTRIB_HAS_LOCK | ZYDIS_ATTRIB_HAS_REP));
    if (!plain || decoded.operand_count_visible > 2 || place.size > 64) return std::nullopt;
    if (!result_of(decoded.mnemonic, 0, 0)) return std::nullopt;
    std::uint64_t right = 1;  // of inc and dec
    if (decoded.operand_count_visible == 2) {
        const ZydisDecodedOperand& source = operands[1];
        if (source.type == ZYDIS_OPERAND_TYPE_IMMEDIATE) {
            right = source.imm.is_signed ? static_cast<std::uint64_t>(source.imm.value.s)
                                         : source.imm.value.u;
        } else if (source.type == ZYDIS_OPERAND_TYPE_REGISTER) {
            auto value = value_of(source.reg.value, registers);
            if (!value) return std::nullopt;
            right = *value;
        } else {
            return std::nullopt;
        }
    }
    RunAddress next = registers.program_counter() + decoded.length;
    auto address = address_of(place, registers, next);
    if (!address) return std::nullopt;
    unsigned size = place.size / 8;
    std::uint64_t left = 0;
    bool is_move = decoded.mnemonic == ZYDIS_MNEMONIC_MOV;
    if (!is_move && !read(*address, std::as_writable_bytes(std::span(&left, 1)).first(size)))
        return std::nullopt;
    std::uint64_t result = *result_of(decoded.mnemonic, left, right);
    Store store{*address, std::vector<std::byte>(size), registers};
    std::memcpy(store.bytes.data(), &result, size);
    store.after.set_program_counter(next);
    auto flags = registers.get(kFlagsRegister);
    if (!is_move && flags)
        store.after.set(kFlagsRegister,
                        flags_after(*flags, decoded.mnemonic, left, right, result, place.size));
    return store;
}

}  // namespace lantern
