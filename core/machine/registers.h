// The processor's registers by their DWARF numbers (System V ABI x86-64, figure 3.36). Code above
// this folder asks for the program counter or for "the register called …", and names none itself.
#pragma once

#include <array>
#include <bitset>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/support/address.h"

struct user_regs_struct;
struct user_fpregs_struct;

namespace lantern {

constexpr unsigned kGeneralRegisters = 17;  // the sixteen and the program counter
constexpr unsigned kFlagsRegister = 49;
constexpr unsigned kFirstVectorRegister = 17, kVectorRegisters = 16;
constexpr unsigned kFirstStackRegister = 33;  // x87
constexpr unsigned kFirstSegment = 50, kFsBase = 58, kGsBase = 59, kVectorControl = 64;
constexpr unsigned kFirstHighVector = 67, kFirstMask = 118;

// The general registers of one frame. In an outer frame only those are known that unwinding
// recovers.
class Registers {
  public:
    static Registers from_system(const user_regs_struct& system);
    void to_system(user_regs_struct& system) const;  // overwrites the known registers only

    std::optional<std::uint64_t> get(unsigned dwarf_number) const;
    void set(unsigned dwarf_number, std::uint64_t value);
    void forget(unsigned dwarf_number);

    RunAddress program_counter() const;
    RunAddress stack_pointer() const;
    std::optional<std::uint64_t> frame_pointer() const;
    void set_program_counter(RunAddress address);
    void set_stack_pointer(RunAddress address);

    std::uint64_t thread_base = 0;  // where thread-local storage is reached from
    std::uint64_t system_call = 0;  // all ones when the thread did not stop in one

  private:
    std::array<std::uint64_t, kFlagsRegister + 1> values_{};
    std::bitset<kFlagsRegister + 1> known_;
};

// What a thread has besides: the segments, and the debug registers where somebody can ask for them.
struct SystemRegisters {
    std::uint16_t cs = 0, ss = 0, ds = 0, es = 0, fs = 0, gs = 0;
    std::uint64_t fs_base = 0, gs_base = 0;
    std::optional<std::array<std::uint64_t, 8>> debug;  // 4 and 5 are not registers of their own

    static SystemRegisters from_system(const user_regs_struct& system);
};

// Vector and x87 registers, read only when a value needs them.
struct VectorRegisters {
    std::array<std::array<std::byte, 16>, kVectorRegisters> vectors{};
    std::array<std::array<std::byte, 16>, 8> stack{};  // ten bytes count of each

    static VectorRegisters from_system(const user_fpregs_struct& system);
    // The bytes of a register by DWARF number; empty if it is none of these.
    std::span<const std::byte> bytes(unsigned dwarf_number) const;
};

// Which vector register (0 to 31) or mask (0 to 7) a DWARF number means; nothing for another.
std::optional<unsigned> vector_index(unsigned dwarf_number);
std::optional<unsigned> mask_index(unsigned dwarf_number);

struct RegisterName {
    unsigned dwarf_number = 0;
    unsigned size = 8;    // bytes of it that the name means: more than 16 of a vector register with
                          // its upper parts
    unsigned offset = 0;  // where they start in the full register
};

// "rax", "eax", "al", "rip", "rflags", "xmm3" …; nothing for an unknown name.
std::optional<RegisterName> find_register(std::string_view name);
std::string register_name(unsigned dwarf_number);  // "register 77" for one without a name
const std::vector<std::string>& register_names();  // for completion

constexpr unsigned kStackPointerNumber = 7, kFramePointerNumber = 6, kProgramCounterNumber = 16;

}  // namespace lantern
