#include "core/machine/moved_instruction.h"

#include <cstring>
#include <limits>

#include "core/machine/decoder.h"

namespace lantern {
namespace {

// Machine code in the making, and the address it will stand at.
class Code {
  public:
    explicit Code(RunAddress at) : at_(at) {}

    void put(std::initializer_list<unsigned> bytes) {
        for (unsigned byte : bytes) bytes_.push_back(static_cast<std::byte>(byte));
    }
    void put(ByteSpan bytes) { bytes_.insert(bytes_.end(), bytes.begin(), bytes.end()); }
    void put_word(std::uint32_t word) {
        for (int shift = 0; shift < 32; shift += 8) put({word >> shift & 0xff});
    }
    // Four bytes that lead from behind them to `target`.
    void put_distance(RunAddress target) {
        auto distance = static_cast<std::int64_t>(target.value - (at_.value + bytes_.size() + 4));
        reaches_ &= fits(distance);
        put_word(static_cast<std::uint32_t>(distance));
    }
    void jump(RunAddress target) {
        put({0xe9});
        put_distance(target);
    }
    // push the eight bytes of an address, flags and registers left alone
    void push(RunAddress address) {
        put({0x68});
        put_word(static_cast<std::uint32_t>(address.value));
        put({0xc7, 0x44, 0x24, 0x04});  // mov dword [rsp+4], …
        put_word(static_cast<std::uint32_t>(address.value >> 32));
    }
    // The same instruction with its operand's distance from the program counter corrected for the
    // new place.
    bool put_with_distance(ByteSpan instruction, std::size_t offset, RunAddress from) {
        std::int32_t distance;
        std::memcpy(&distance, instruction.data() + offset, 4);
        std::int64_t moved =
            distance + static_cast<std::int64_t>(from.value - (at_.value + bytes_.size()));
        if (!fits(moved)) return false;
        auto narrow = static_cast<std::int32_t>(moved);
        std::size_t start = bytes_.size();
        put(instruction);
        std::memcpy(bytes_.data() + start + offset, &narrow, 4);
        return true;
    }
    std::byte& operator[](std::size_t index) { return bytes_[index]; }
    std::size_t size() const { return bytes_.size(); }
    std::optional<std::vector<std::byte>> done() {
        if (!reaches_ || bytes_.size() > kLongestMovedCode) return std::nullopt;
        return std::move(bytes_);
    }

  private:
    static bool fits(std::int64_t distance) {
        return distance >= std::numeric_limits<std::int32_t>::min() &&
               distance <= std::numeric_limits<std::int32_t>::max();
    }
    RunAddress at_;
    std::vector<std::byte> bytes_;
    bool reaches_ = true;
};

bool uses_stack_pointer(const ZydisDecodedOperand& operand) {
    return operand.type == ZYDIS_OPERAND_TYPE_MEMORY &&
           (operand.mem.base == ZYDIS_REGISTER_RSP || operand.mem.index == ZYDIS_REGISTER_RSP);
}

bool is_short_form_only(ZydisMnemonic mnemonic) {
    switch (mnemonic) {
        case ZYDIS_MNEMONIC_LOOP:
        case ZYDIS_MNEMONIC_LOOPE:
        case ZYDIS_MNEMONIC_LOOPNE:
        case ZYDIS_MNEMONIC_JRCXZ:
        case ZYDIS_MNEMONIC_JECXZ:
        case ZYDIS_MNEMONIC_XBEGIN: return true;
        default: return false;
    }
}

}  // namespace

std::optional<std::vector<std::byte>> move_instruction(ByteSpan bytes, RunAddress from,
                                                       RunAddress to) {
    Decoded whole_of_it;
    if (!decode(bytes, whole_of_it)) return std::nullopt;
    const auto& [decoded, operands] = whole_of_it;
    ByteSpan whole = bytes.first(decoded.length);
    RunAddress next = from + decoded.length;
    std::optional<RunAddress> target;
    for (unsigned i = 0; i < decoded.operand_count_visible; ++i) {
        ZyanU64 absolute = 0;
        bool is_relative =
            operands[i].type == ZYDIS_OPERAND_TYPE_IMMEDIATE && operands[i].imm.is_relative;
        if (is_relative &&
            ZYAN_SUCCESS(ZydisCalcAbsoluteAddress(&decoded, &operands[i], from.value, &absolute)))
            target = RunAddress(absolute);
    }
    // A far transfer, and what the kernel or the processor counts by address.
    bool is_far = decoded.meta.branch_type == ZYDIS_BRANCH_TYPE_FAR;
    if (is_far || decoded.meta.category == ZYDIS_CATEGORY_SYSCALL ||
        decoded.meta.category == ZYDIS_CATEGORY_INTERRUPT ||
        decoded.meta.category == ZYDIS_CATEGORY_SYSRET || is_short_form_only(decoded.mnemonic))
        return std::nullopt;

    Code code(to);
    bool is_indirect_call = decoded.meta.category == ZYDIS_CATEGORY_CALL && !target;
    if (decoded.meta.category == ZYDIS_CATEGORY_CALL) {
        code.push(next);
        if (target) {
            code.jump(*target);
            return code.done();
        }
        if (uses_stack_pointer(operands[0])) return std::nullopt;
    }
    if (target) {
        if (decoded.meta.category == ZYDIS_CATEGORY_UNCOND_BR) {
            code.jump(*target);
            return code.done();
        }
        if (decoded.meta.category != ZYDIS_CATEGORY_COND_BR) return std::nullopt;
        // The long form of a conditional jump has the short form's condition in the same four bits.
        unsigned condition = static_cast<unsigned>(decoded.opcode) & 0x0f;
        code.put({0x0f, 0x80 | condition});
        code.put_distance(*target);
        code.jump(next);
        return code.done();
    }
    std::size_t start = code.size();  // behind the push of a call
    bool relative =
        (decoded.attributes & ZYDIS_ATTRIB_IS_RELATIVE) != 0 && decoded.raw.disp.size == 32;
    if (relative) {
        if (!code.put_with_distance(whole, decoded.raw.disp.offset, from)) return std::nullopt;
    } else {
        code.put(whole);
    }
    if (is_indirect_call) {
        // call r/m is FF /2, jmp r/m is FF /4.
        std::byte& modrm = code[start + decoded.raw.modrm.offset];
        modrm = (modrm & std::byte{0xc7}) | std::byte{0x20};
    } else {
        code.jump(next);
    }
    return code.done();
}

}  // namespace lantern
