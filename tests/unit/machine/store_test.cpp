// Stores that are worked out, against what the processor does with the same instruction, registers
// and memory.
#include "core/machine/store.h"

#include <gtest/gtest.h>
#include <sys/mman.h>

#include <cstring>
#include <random>

#include "core/machine/debug_registers.h"
#include "core/machine/system_call.h"

namespace lantern {
namespace {

constexpr std::uint64_t kArithmeticFlags = 0x8d5;  // carry, parity, adjust, zero, sign, overflow

struct Machine {
    Machine()
        : room(static_cast<unsigned char*>(mmap(nullptr, 4096, PROT_READ | PROT_WRITE | PROT_EXEC,
                                                MAP_PRIVATE | MAP_ANONYMOUS, -1, 0))) {}
    ~Machine() { munmap(room, 4096); }
    // Runs the instruction with rdi = memory and rsi = number; gives the flags after it.
    std::uint64_t run(const std::vector<unsigned char>& instruction, std::uint64_t* memory,
                      std::uint64_t number) {
        unsigned char* at = room;
        for (unsigned char byte : {0x31, 0xc0}) *at++ = byte;  // xor eax, eax: flags known
        at = std::copy(instruction.begin(), instruction.end(), at);
        for (unsigned char byte : {0x9c, 0x58, 0xc3}) *at++ = byte;  // pushfq; pop rax; ret
        return reinterpret_cast<std::uint64_t (*)(std::uint64_t*, std::uint64_t)>(room)(memory,
                                                                                        number);
    }
    unsigned char* room;
};

struct Case {
    const char* name;
    std::vector<unsigned char> code;
};

const Case kCases[] = {
    {"mov [rdi], rsi", {0x48, 0x89, 0x37}},
    {"mov dword [rdi], esi", {0x89, 0x37}},
    {"mov word [rdi], si", {0x66, 0x89, 0x37}},
    {"mov byte [rdi], sil", {0x40, 0x88, 0x37}},
    {"mov qword [rdi], -5", {0x48, 0xc7, 0x07, 0xfb, 0xff, 0xff, 0xff}},
    {"add [rdi], rsi", {0x48, 0x01, 0x37}},
    {"add dword [rdi], esi", {0x01, 0x37}},
    {"add word [rdi], si", {0x66, 0x01, 0x37}},
    {"add byte [rdi], sil", {0x40, 0x00, 0x37}},
    {"add qword [rdi], 1", {0x48, 0x83, 0x07, 0x01}},
    {"sub [rdi], rsi", {0x48, 0x29, 0x37}},
    {"sub dword [rdi], 7", {0x83, 0x2f, 0x07}},
    {"inc dword [rdi]", {0xff, 0x07}},
    {"inc qword [rdi]", {0x48, 0xff, 0x07}},
    {"dec byte [rdi]", {0xfe, 0x0f}},
    {"and [rdi], rsi", {0x48, 0x21, 0x37}},
    {"or dword [rdi], esi", {0x09, 0x37}},
    {"xor [rdi], rsi", {0x48, 0x31, 0x37}},
    {"mov [rdi+8], rsi", {0x48, 0x89, 0x77, 0x08}},
};

TEST(Store, AgreesWithTheProcessor) {
    Machine machine;
    std::mt19937_64 numbers(7);
    std::vector<std::uint64_t> interesting{0,
                                           1,
                                           0x7f,
                                           0x80,
                                           0xff,
                                           0x7fff,
                                           0x8000,
                                           0x7fffffff,
                                           0x80000000,
                                           ~0ull,
                                           0x7fffffffffffffff,
                                           0x8000000000000000};
    for (int i = 0; i < 40; ++i) interesting.push_back(numbers());
    for (const Case& each : kCases) {
        for (std::uint64_t before : interesting) {
            for (std::uint64_t number : {interesting[1], interesting[9], before, numbers()}) {
                std::uint64_t memory[2] = {before, before};
                Registers registers;
                RunAddress code(0x400000);
                registers.set_program_counter(code);
                registers.set(5, reinterpret_cast<std::uint64_t>(memory));  // rdi
                registers.set(4, number);                                   // rsi
                registers.set(kFlagsRegister, 0x44 | 0x202);  // as xor eax, eax leaves them
                auto bytes = std::as_bytes(std::span(each.code));
                auto store = work_out_store(
                    bytes, registers, [&](RunAddress address, std::span<std::byte> out) {
                        std::memcpy(out.data(), reinterpret_cast<const void*>(address.value),
                                    out.size());
                        return true;
                    });
                ASSERT_TRUE(store) << each.name;
                std::uint64_t ours[2] = {before, before};
                std::memcpy(reinterpret_cast<char*>(ours) +
                                (store->address.value - reinterpret_cast<std::uint64_t>(memory)),
                            store->bytes.data(), store->bytes.size());
                std::uint64_t flags = machine.run(each.code, memory, number);
                EXPECT_EQ(ours[0], memory[0]) << each.name << " " << before << " " << number;
                EXPECT_EQ(ours[1], memory[1]) << each.name;
                // The adjust flag is undefined after and, or, xor.
                std::uint64_t compared =
                    kArithmeticFlags & ~(std::string_view(each.name).starts_with("add") ||
                                                 std::string_view(each.name).starts_with("sub") ||
                                                 std::string_view(each.name).starts_with("inc") ||
                                                 std::string_view(each.name).starts_with("dec")
                                             ? 0
                                             : 0x10);
                EXPECT_EQ(*store->after.get(kFlagsRegister) & compared, flags & compared)
                    << each.name << " " << before << " " << number;
                EXPECT_EQ(store->after.program_counter(), code + each.code.size());
            }
        }
    }
}

TEST(Store, LeavesTheRestToTheProcessor) {
    Registers registers;
    for (unsigned i = 0; i < kGeneralRegisters; ++i) registers.set(i, 0x1000);
    auto nothing = [](RunAddress, std::span<std::byte>) { return true; };
    for (std::vector<unsigned char> code :
         {std::vector<unsigned char>{0xf0, 0x48, 0x01, 0x37},  // lock add
          std::vector<unsigned char>{0xf3, 0xa4},              // rep movsb
          std::vector<unsigned char>{0x0f, 0x11, 0x07},        // movups [rdi], xmm0
          std::vector<unsigned char>{0x48, 0x8b, 0x37},        // a load
          std::vector<unsigned char>{0x48, 0x11, 0x37},        // adc
          std::vector<unsigned char>{0xff, 0xff}})
        EXPECT_FALSE(work_out_store(std::as_bytes(std::span(code)), registers, nothing))
            << int(code[0]);
}

TEST(SystemCall, RegistersAreSetAndTakenBack) {
    Registers registers;
    registers.set_program_counter(RunAddress(0x1002));
    registers.system_call = 1;
    set_system_call(registers, 10, {0x1000, 4096, 3});
    EXPECT_EQ(registers.get(0), 10u);
    EXPECT_EQ(system_call_argument(registers, 0), 0x1000u);
    EXPECT_EQ(system_call_argument(registers, 2), 3u);
    EXPECT_EQ(registers.system_call, ~std::uint64_t{0}) << "no system call is taken up again";
    take_system_call_back(registers, 39);
    EXPECT_EQ(registers.get(0), 39u);
    EXPECT_EQ(registers.program_counter(), RunAddress(0x1000));
    registers.set(0, static_cast<std::uint64_t>(-14));
    EXPECT_EQ(system_call_result(registers), -14);
}

TEST(DebugRegisters, ControlBitsAreThoseOfTheManual) {
    EXPECT_EQ(debug_control(0, 1, false), 0x10001u);     // L0, write, one byte
    EXPECT_EQ(debug_control(1, 4, true), 0xf00004u);     // L1, access, four bytes
    EXPECT_EQ(debug_control(3, 8, false), 0x90000040u);  // L3, write, eight bytes
    EXPECT_EQ(debug_control(2, 2, true), 0x7000010u);    // L2, access, two bytes
}

}  // namespace
}  // namespace lantern
