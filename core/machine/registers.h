// The processor's registers by their DWARF numbers (System V ABI x86-64, figure 3.36). Code above this folder asks for
// the program counter or for "the register called …", and names none itself.
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

// The general registers of one frame. In an outer frame only those are known that unwinding recovers.
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

    std::uint64_t thread_base = 0;     // where thread-local storage is reached from
    std::uint64_t system_call = 0;     // all ones when the thread did not stop in one

  private:
    std::array<std::uint64_t, kFlagsRegister + 1> values_{};
    std::bitset<kFlagsRegister + 1> known_;
};

// Vector and x87 registers, read only when a value needs them.
struct VectorRegisters {
    std::array<std::array<std::byte, 16>, kVectorRegisters> vectors{};
    std::array<std::array<std::byte, 16>, 8> stack{};  // ten bytes count of each

    static VectorRegisters from_system(const user_fpregs_struct& system);
    // The bytes of a register by DWARF number; empty if it is none of these.
    std::span<const std::byte> bytes(unsigned dwarf_number) const;
};

// Where a vector or x87 register lies in the extended state as XSAVE lays it out, and the bit in the header's first word that
// says that part is in use (Intel SDM 1, §10.5.1.1, §13.4.2). Nothing for another register.
struct ExtendedPlace {
    std::size_t offset = 0;
    std::byte in_use{};
};
std::optional<ExtendedPlace> place_in_extended_state(unsigned dwarf_number);
constexpr std::size_t kExtendedStateHeader = 512;

struct RegisterName {
    unsigned dwarf_number = 0;
    unsigned size = 8;    // bytes of it that the name means
    unsigned offset = 0;  // where they start in the full register
};

// "rax", "eax", "al", "rip", "rflags", "xmm3" …; nothing for an unknown name.
std::optional<RegisterName> find_register(std::string_view name);
std::string register_name(unsigned dwarf_number);  // "register 77" for one without a name
const std::vector<std::string>& register_names();  // for completion

constexpr unsigned kStackPointerNumber = 7, kFramePointerNumber = 6, kProgramCounterNumber = 16;

}  // namespace lantern
