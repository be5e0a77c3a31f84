#include <gtest/gtest.h>

#include "core/machine/calling_convention.h"
#include "core/machine/instruction.h"
#include "core/machine/registers.h"
#include "tests/testing/bytes.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

using testing::bytes;

Instruction decoded(std::initializer_list<int> values) {
    auto data = bytes(values);
    return decode_instruction(data, RunAddress(0x1000)).value();
}

TEST(Instruction, KnowsWhereControlGoes) {
    using Kind = Instruction::Kind;
    Instruction call = decoded({0xe8, 0x10, 0, 0, 0});
    EXPECT_EQ(call.kind, Kind::call);
    EXPECT_EQ(call.target, RunAddress(0x1015));
    EXPECT_TRUE(call.falls_through());
    Instruction back = decoded({0xeb, 0xfe});
    EXPECT_EQ(back.kind, Kind::jump);
    EXPECT_EQ(back.target, RunAddress(0x1000));
    EXPECT_FALSE(back.falls_through());
    EXPECT_EQ(decoded({0x74, 0x05}).kind, Kind::conditional_jump);
    EXPECT_EQ(decoded({0xc3}).kind, Kind::returns);
    EXPECT_EQ(decoded({0x0f, 0x05}).kind, Kind::system_call);
    EXPECT_EQ(decoded({0x0f, 0x0b}).kind, Kind::stops);
    Instruction indirect = decoded({0xff, 0xe0});  // jmp rax
    EXPECT_EQ(indirect.kind, Kind::jump);
    EXPECT_FALSE(indirect.target);
}

TEST(Instruction, KnowsWhatItWrites) {
    Instruction store = decoded({0x89, 0x7d, 0xec});  // mov [rbp-20], edi
    ASSERT_EQ(store.memory.size(), 1u);
    EXPECT_TRUE(store.memory[0].writes);
    EXPECT_EQ(store.memory[0].base, kFramePointerNumber);
    EXPECT_EQ(store.memory[0].displacement, -20);
    EXPECT_EQ(store.memory[0].size, 4u);
    Instruction load = decoded({0x8b, 0x45, 0xec});
    EXPECT_FALSE(load.memory.at(0).writes);
    Instruction address = decoded({0x48, 0x8d, 0x45, 0xe0});  // lea rax, [rbp-32]
    EXPECT_TRUE(address.memory.at(0).address_only);
    Instruction compare = decoded({0x83, 0x7d, 0xfc, 0x05});
    EXPECT_FALSE(compare.memory.at(0).writes);
}

TEST(Instruction, RefusesBytesThatAreNone) {
    auto cut = bytes({0xe8, 0x10});
    EXPECT_FALSE(decode_instruction(cut, RunAddress(0)));
    EXPECT_FALSE(decode_instruction({}, RunAddress(0)));
    EXPECT_EQ(instruction_text({}, RunAddress(0)), "(bad)");
}

// objdump as the witness: every instruction of a fixture has the length that it says.
TEST(Instruction, LengthsAreThoseOfObjdump) {
    auto listing = testing::run({"objdump", "-d", "-M", "intel", "--section=.text",
                                 testing::fixture("locks-gcc-O2-dwarf5-nopie")});
    std::size_t compared = 0;
    std::vector<std::byte> pending;
    for (const std::string& line : testing::lines_of(listing.output)) {
        std::size_t colon = line.find(":\t");
        if (colon == std::string::npos) continue;
        std::size_t end = line.find('\t', colon + 2);
        if (end == std::string::npos) continue;  // bytes of a long instruction go on here
        std::vector<std::byte> data;
        std::string hex = line.substr(colon + 2, end - colon - 2);
        for (std::size_t i = 0; i + 1 < hex.size() && hex[i] != ' '; i += 3)
            data.push_back(static_cast<std::byte>(std::stoi(hex.substr(i, 2), nullptr, 16)));
        if (data.size() == 7) continue;  // may be continued on the next line
        auto instruction = decode_instruction(data, RunAddress(0x1000));
        ASSERT_TRUE(instruction) << line;
        EXPECT_EQ(instruction->length, data.size()) << line;
        ++compared;
    }
    EXPECT_GT(compared, 100u);
}

TEST(Registers, NamesAndPartsMeanTheSameRegister) {
    EXPECT_EQ(find_register("rax")->dwarf_number, 0u);
    EXPECT_EQ(find_register("eax")->size, 4u);
    EXPECT_EQ(find_register("ah")->offset, 1u);
    EXPECT_EQ(find_register("r10w")->size, 2u);
    EXPECT_EQ(find_register("r10w")->dwarf_number, 10u);
    EXPECT_EQ(find_register("rip")->dwarf_number, kProgramCounterNumber);
    EXPECT_EQ(find_register("xmm15")->dwarf_number, 32u);
    EXPECT_FALSE(find_register("xmm32"));
    EXPECT_FALSE(find_register("rzx"));
    for (const std::string& name : register_names()) EXPECT_TRUE(find_register(name)) << name;
    EXPECT_EQ(register_name(6), "rbp");
}

TEST(Registers, KnowOnlyWhatWasSet) {
    Registers registers;
    EXPECT_FALSE(registers.get(3));
    registers.set(3, 42);
    EXPECT_EQ(registers.get(3), 42u);
    registers.forget(3);
    EXPECT_FALSE(registers.get(3));
    registers.set(5000, 1);
    EXPECT_FALSE(registers.get(5000));
}

using PartKind = ScalarPart::Kind;
using Where = ReturnLocation::Kind;

// The examples follow System V ABI x86-64 §3.2.3.
TEST(CallingConvention, PlacesReturnedValues) {
    EXPECT_EQ(return_location({}, 0).kind, Where::nowhere);
    std::vector<ScalarPart> integer{{0, 4, PartKind::integer}}, real{{0, 8, PartKind::floating}},
        extended{{0, 16, PartKind::extended}};
    EXPECT_EQ(return_location(integer, 4).pieces.at(0).dwarf_register, 0u);
    EXPECT_EQ(return_location(real, 8).pieces.at(0).dwarf_register, 17u);
    EXPECT_EQ(return_location(extended, 16).pieces.at(0).dwarf_register, 33u);

    std::vector<ScalarPart> mixed{{0, 8, PartKind::floating}, {8, 4, PartKind::integer}};
    auto location = return_location(mixed, 16);
    ASSERT_EQ(location.pieces.size(), 2u);
    EXPECT_EQ(location.pieces[0].dwarf_register, 17u);
    EXPECT_EQ(location.pieces[1].dwarf_register, 0u)
        << "the first integer register, though the second eightbyte";

    std::vector<ScalarPart> shared{{0, 4, PartKind::floating}, {4, 4, PartKind::integer}};
    EXPECT_EQ(return_location(shared, 8).pieces.at(0).dwarf_register, 0u)
        << "an eightbyte with an integer in it is integer";
    std::vector<ScalarPart> large{
        {0, 8, PartKind::integer}, {8, 8, PartKind::integer}, {16, 8, PartKind::integer}};
    EXPECT_EQ(return_location(large, 24).kind, Where::memory);
    std::vector<ScalarPart> unaligned{{1, 4, PartKind::integer}};
    EXPECT_EQ(return_location(unaligned, 8).kind, Where::memory);
}

}  // namespace
}  // namespace lantern
