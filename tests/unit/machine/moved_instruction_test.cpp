// Instructions that run elsewhere: where they lead to, and, on the processor itself, what they do.
#include "core/machine/moved_instruction.h"

#include <gtest/gtest.h>
#include <sys/mman.h>

#include <cstring>

#include "core/object/elf_file.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

std::vector<std::byte> code_of(std::initializer_list<unsigned> list) {
    std::vector<std::byte> out;
    for (unsigned byte : list) out.push_back(static_cast<std::byte>(byte));
    return out;
}

// Where the moved code goes on, by reading it: the targets of its jumps.
std::vector<RunAddress> targets_of(const std::vector<std::byte>& code, RunAddress at) {
    std::vector<RunAddress> targets;
    ByteSpan rest(code);
    while (!rest.empty()) {
        auto instruction = decode_instruction(rest, at);
        if (!instruction) {
            ADD_FAILURE() << "the copy is no code at " << at.value;
            return targets;
        }
        if (instruction->target) targets.push_back(*instruction->target);
        at = instruction->next();
        rest = rest.subspan(instruction->length);
    }
    return targets;
}

constexpr RunAddress kFrom(0x401000), kTo(0x405010);

TEST(MovedInstruction, APlainOneGoesOnBehindItself) {
    auto push = code_of({0x55});
    auto code = move_instruction(push, kFrom, kTo);
    ASSERT_TRUE(code);
    EXPECT_EQ((*code)[0], std::byte{0x55});
    EXPECT_EQ(targets_of(*code, kTo), std::vector<RunAddress>{kFrom + 1});
}

TEST(MovedInstruction, JumpsKeepTheirTargetsAndConditions) {
    auto jump = code_of({0xeb, 0x10});  // jmp +0x10
    EXPECT_EQ(targets_of(*move_instruction(jump, kFrom, kTo), kTo),
              std::vector<RunAddress>{kFrom + 0x12});
    auto backwards = code_of({0xe9, 0xfb, 0xff, 0xff, 0xff});  // jmp to itself
    EXPECT_EQ(targets_of(*move_instruction(backwards, kFrom, kTo), kTo),
              std::vector<RunAddress>{kFrom});
    auto less = code_of({0x7c, 0xf0});  // jl -0x10
    auto code = *move_instruction(less, kFrom, kTo);
    EXPECT_EQ(targets_of(code, kTo), (std::vector<RunAddress>{kFrom - 0x0e, kFrom + 2}));
    EXPECT_EQ(code[1], std::byte{0x8c}) << "0f 8c is the long jl";
}

TEST(MovedInstruction, OperandsByTheProgramCounterKeepTheirAddress) {
    auto load = code_of({0x48, 0x8b, 0x05, 0x34, 0x12, 0x00, 0x00});  // mov rax, [rip+0x1234]
    auto code = *move_instruction(load, kFrom, kTo);
    auto before = decode_instruction(load, kFrom), after = decode_instruction(code, kTo);
    ASSERT_TRUE(before && after);
    auto address = [](const Instruction& i) {
        return i.next().value + static_cast<std::uint64_t>(i.memory[0].displacement);
    };
    EXPECT_EQ(address(*after), address(*before));
    EXPECT_FALSE(move_instruction(load, kFrom, RunAddress(0x7f0000000000))) << "out of reach";
}

TEST(MovedInstruction, WhatCannotBePromisedIsRefused) {
    EXPECT_FALSE(move_instruction(code_of({0x0f, 0x05}), kFrom, kTo)) << "a system call";
    EXPECT_FALSE(move_instruction(code_of({0xe2, 0x10}), kFrom, kTo)) << "loop";
    EXPECT_FALSE(move_instruction(code_of({0xff, 0x54, 0x24, 0x08}), kFrom, kTo))
        << "call [rsp+8]: the push would move it";
    EXPECT_FALSE(move_instruction(code_of({0x06}), kFrom, kTo)) << "no instruction";
    EXPECT_FALSE(move_instruction(code_of({0x48, 0x8b}), kFrom, kTo)) << "cut short";
}

// The copies of a real program's code lead where the code does.
TEST(MovedInstruction, EveryInstructionOfAProgramLeadsWhereItDid) {
    ElfFile elf(testing::fixture("locks-gcc-O2-dwarf5-pie"));
    ByteSpan text = elf.bytes(".text");
    FileAddress start = elf.section(".text")->address;
    unsigned moved = 0, refused = 0;
    for (std::size_t at = 0; at < text.size();) {
        RunAddress from(start.value + at), to(start.value + 0x20000);
        auto instruction = decode_instruction(text.subspan(at), from);
        if (!instruction) break;
        if (auto code = move_instruction(text.subspan(at), from, to)) {
            ++moved;
            auto targets = targets_of(*code, to);
            if (instruction->kind == Instruction::Kind::ordinary) {
                EXPECT_EQ(targets, std::vector<RunAddress>{instruction->next()});
            } else if (instruction->target) {
                EXPECT_NE(std::find(targets.begin(), targets.end(), *instruction->target),
                          targets.end());
            }
        } else {
            ++refused;
        }
        at += instruction->length;
    }
    EXPECT_GT(moved, 100u);
    EXPECT_LT(refused, moved / 20);
}

// On the processor: a function whose body is one call, run in place and moved, does the same to its
// caller's stack.
TEST(MovedInstruction, ACallComesBackBehindTheOriginal) {
    constexpr std::size_t kSize = 8192;
    auto* room = static_cast<std::byte*>(mmap(nullptr, kSize, PROT_READ | PROT_WRITE | PROT_EXEC,
                                              MAP_PRIVATE | MAP_ANONYMOUS, -1, 0));
    ASSERT_NE(room, MAP_FAILED);
    RunAddress base(reinterpret_cast<std::uint64_t>(room));
    // at 0: call 0x40; add eax, 1; ret      at 0x40: mov eax, 41; ret
    auto caller = code_of({0xe8, 0x3b, 0x00, 0x00, 0x00, 0x83, 0xc0, 0x01, 0xc3});
    auto callee = code_of({0xb8, 0x29, 0x00, 0x00, 0x00, 0xc3});
    std::memcpy(room, caller.data(), caller.size());
    std::memcpy(room + 0x40, callee.data(), callee.size());
    auto moved = move_instruction(caller, base, base + 0x1000);
    ASSERT_TRUE(moved);
    std::memcpy(room + 0x1000, moved->data(), moved->size());
    auto in_place = reinterpret_cast<int (*)()>(room),
         elsewhere = reinterpret_cast<int (*)()>(room + 0x1000);
    EXPECT_EQ(in_place(), 42);
    EXPECT_EQ(elsewhere(), 42) << "the copy pushes the address behind the original call";
    munmap(room, kSize);
}

}  // namespace
}  // namespace lantern
