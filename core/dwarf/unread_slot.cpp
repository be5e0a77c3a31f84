#include "core/dwarf/unread_slot.h"

#include "core/dwarf/operations.h"
#include "core/support/error.h"

namespace lantern::dwarf {
namespace {

constexpr std::uint8_t kStackPointer = 7;  // rsp (System V ABI x86-64, figure 3.36)

enum class Work { constant, sum, of_lower_bits, of_all_bits, conversion, end, other };

// What the operation does with a number; its operands are read.
Work take(ByteReader& reader) {
    std::uint8_t op = reader.u8();
    if (op >= DW_OP_lit0 && op < DW_OP_lit0 + 32) return Work::constant;
    switch (op) {
        case DW_OP_const1u:
        case DW_OP_const1s: reader.u8(); return Work::constant;
        case DW_OP_const2u:
        case DW_OP_const2s: reader.u16(); return Work::constant;
        case DW_OP_const4u:
        case DW_OP_const4s: reader.u32(); return Work::constant;
        case DW_OP_const8u:
        case DW_OP_const8s: reader.u64(); return Work::constant;
        case DW_OP_constu:
        case DW_OP_consts: reader.uleb(); return Work::constant;
        case DW_OP_plus_uconst: reader.uleb(); return Work::sum;
        case DW_OP_plus:
        case DW_OP_minus: return Work::sum;
        case DW_OP_and:
        case DW_OP_or:
        case DW_OP_xor:
        case DW_OP_not:
        case DW_OP_neg:
        case DW_OP_mul:
        case DW_OP_shl: return Work::of_lower_bits;
        case DW_OP_shr:
        case DW_OP_shra:
        case DW_OP_div:
        case DW_OP_mod:
        case DW_OP_eq:
        case DW_OP_ge:
        case DW_OP_gt:
        case DW_OP_le:
        case DW_OP_lt:
        case DW_OP_ne: return Work::of_all_bits;
        case DW_OP_convert: reader.uleb(); return Work::conversion;
        case DW_OP_stack_value: return Work::end;
        default: return Work::other;
    }
}

std::optional<UnreadSlot> read_through(ByteReader& reader) {
    UnreadSlot slot{{}, false, true};
    bool is_narrowed = false;  // all bits that are left are those of a conversion
    while (!reader.at_end()) {
        switch (take(reader)) {
            case Work::constant:
            case Work::sum: break;
            case Work::of_lower_bits: slot.may_be_address = false; break;
            case Work::of_all_bits:
                slot.may_be_address = false;
                slot.needs_upper_bits |= !is_narrowed;
                break;
            case Work::conversion:
                slot.may_be_address = false;
                is_narrowed = true;
                break;
            case Work::end: return reader.at_end() ? std::optional(slot) : std::nullopt;
            case Work::other: return std::nullopt;
        }
    }
    return std::nullopt;  // the place itself: what nearly every variable of unoptimised code has
}

}  // namespace

std::optional<UnreadSlot> unread_slot(ByteSpan expression) {
    try {
        ByteReader reader(expression, "location expression");
        std::uint8_t op = reader.u8();
        if (op != DW_OP_fbreg && op != DW_OP_breg0 + kStackPointer) return std::nullopt;
        reader.sleb();
        std::uint64_t place_size = reader.offset();
        auto slot = read_through(reader);
        if (!slot) return std::nullopt;
        slot->read.assign(expression.begin(), expression.end());
        slot->read.insert(slot->read.begin() + static_cast<std::ptrdiff_t>(place_size),
                          std::byte{DW_OP_deref});
        return slot;
    } catch (const FormatError&) {
        return std::nullopt;
    }
}

}  // namespace lantern::dwarf
