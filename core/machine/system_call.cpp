#include "core/machine/system_call.h"

namespace lantern {
namespace {

constexpr unsigned kArguments[] = {5, 4, 1, 10, 8, 9};  // rdi, rsi, rdx, r10, r8, r9
constexpr unsigned kNumber = 0;                         // rax

}  // namespace

void set_system_call(Registers& registers, long number, std::initializer_list<std::uint64_t> arguments) {
    registers.set(kNumber, static_cast<std::uint64_t>(number));
    unsigned index = 0;
    for (std::uint64_t argument : arguments) registers.set(kArguments[index++], argument);
    registers.system_call = ~std::uint64_t{0};
}

std::int64_t system_call_result(const Registers& registers) {
    return static_cast<std::int64_t>(registers.get(kNumber).value_or(0));
}

std::uint64_t system_call_argument(const Registers& registers, unsigned index) {
    return registers.get(kArguments[index]).value_or(0);
}

void take_system_call_back(Registers& registers, long number) {
    registers.set(kNumber, static_cast<std::uint64_t>(number));
    registers.set_program_counter(registers.program_counter() - kSystemCallLength);
    registers.system_call = ~std::uint64_t{0};
}

}  // namespace lantern
