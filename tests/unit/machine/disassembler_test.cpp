// Instructions against the toolchain's own dumper: the same addresses, lengths, names and targets.
#include "core/machine/disassembler.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <regex>

#include "core/object/elf_file.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

struct Dumped {
    unsigned length = 0;
    std::string mnemonic;
    std::uint64_t target = 0;
};

// "  401136:\t55                   \tpush   rbp"
std::map<std::uint64_t, Dumped> dumped(const std::string& file) {
    std::map<std::uint64_t, Dumped> all;
    static const std::regex row(
        R"(^\s*([0-9a-f]+):\t((?:[0-9a-f]{2} )+) *(?:\t(\S+)\s*([0-9a-f]*))?)");
    std::uint64_t last = 0;
    for (const std::string& line :
         testing::lines_of(testing::run({"objdump", "-d", "-M", "intel", file}).output)) {
        std::smatch match;
        if (!std::regex_search(line, match, row)) continue;
        std::uint64_t address = std::stoull(match[1], nullptr, 16);
        auto length = static_cast<unsigned>(match[2].length() / 3);
        if (!match[3].matched) {  // the bytes of a long one go on
            all[last].length += length;
            continue;
        }
        Dumped& made = all[last = address];
        made.length = length;
        made.mnemonic = match[3];
        bool is_branch = made.mnemonic[0] == 'j' || made.mnemonic == "call";
        if (is_branch && match[4].length()) made.target = std::stoull(match[4], nullptr, 16);
    }
    return all;
}

// The same condition has several names, and the dumper writes some prefixes and sizes apart.
std::string canonical(std::string name) {
    static const std::map<std::string, std::string> conditions = {
        {"e", "z"},   {"ne", "nz"}, {"ae", "nb"}, {"a", "nbe"}, {"ge", "nl"}, {"g", "nle"},
        {"nae", "b"}, {"na", "be"}, {"c", "b"},   {"nc", "nb"}, {"pe", "p"},  {"po", "np"}};
    static const std::map<std::string, std::string> others = {
        {"movabs", "mov"}, {"retn", "ret"}, {"fwait", "wait"}};
    for (const char* stem : {"j", "set", "cmov"}) {
        if (!name.starts_with(stem)) continue;
        auto found = conditions.find(name.substr(std::string(stem).size()));
        if (found != conditions.end()) return stem + found->second;
    }
    auto found = others.find(name);
    return found == others.end() ? name : found->second;
}

void compare(const std::string& file, double least) {
    auto expected = dumped(file);
    ASSERT_GT(expected.size(), 100u);
    ElfFile elf(file);
    Disassembler disassembler(Syntax::intel);
    std::size_t same_names = 0, count = 0;
    std::map<std::string, unsigned> differences;
    for (const auto& [address, dump] : expected) {
        ByteSpan bytes = elf.loaded_bytes(FileAddress(address), kLongestInstruction);
        auto line = disassembler.at(bytes, RunAddress(address));
        if (dump.mnemonic == "(bad)" || dump.mnemonic == ".byte") continue;
        // The dumper shows some prefixes as instructions of their own.
        bool is_prefix_alone = dump.length < line.length && dump.length == 1;
        if (is_prefix_alone) continue;
        ++count;
        EXPECT_EQ(line.length, dump.length)
            << std::hex << address << " " << dump.mnemonic << " / " << line.text;
        static const std::set<std::string> prefixes = {
            "rep",     "repz",   "repe",  "repnz",    "repne",   "lock", "bnd",
            "notrack", "cs",     "ds",    "es",       "fs",      "gs",   "ss",
            "data16",  "addr32", "rex.W", "xacquire", "xrelease"};
        std::string ours(line.text.substr(0, line.text.find(' ')));
        bool has_prefix = prefixes.count(dump.mnemonic) || prefixes.count(ours);
        if (has_prefix || canonical(ours) == canonical(dump.mnemonic))
            ++same_names;
        else
            ++differences[dump.mnemonic + " / " + ours];
        if (dump.target) {
            auto instruction = decode_instruction(bytes, RunAddress(address));
            ASSERT_TRUE(instruction && instruction->target) << std::hex << address;
            EXPECT_EQ(instruction->target->value, dump.target);
        }
    }
    std::string most;
    for (const auto& [pair, times] : differences)
        if (times > 3) most += fmt::format("{} ({} times) ", pair, times);
    EXPECT_GT(static_cast<double>(same_names), least * static_cast<double>(count)) << most;
}

TEST(Disassembler, AgreesWithTheToolchainOnFixtures) {
    for (const char* name :
         {"machine-gcc-O0", "machine-gcc-O2", "control-gcc-O2", "locks-static"}) {
        SCOPED_TRACE(name);
        compare(testing::fixture(name), 0.99);
    }
}

TEST(Disassembler, AgreesOnAProgramOfTheSystem) {
    compare("/usr/bin/ls", 0.99);
}

std::string text_of(std::vector<unsigned> bytes, Syntax syntax = Syntax::intel,
                    NameAddress name = {}) {
    std::vector<std::byte> code;
    for (unsigned each : bytes) code.push_back(static_cast<std::byte>(each));
    Disassembler disassembler(syntax, std::move(name));
    return std::string(disassembler.at(code, RunAddress(0x401000)).text);
}

TEST(Disassembler, WritesBothSyntaxesAndNames) {
    EXPECT_EQ(text_of({0x48, 0x89, 0xe5}), "mov rbp, rsp");
    EXPECT_EQ(text_of({0x48, 0x89, 0xe5}, Syntax::att), "mov %rsp, %rbp");
    EXPECT_EQ(text_of({0xe8, 0xfb, 0x0f, 0, 0}), "call 0x402000");
    auto name = [](RunAddress address) {
        return address.value == 0x402000 ? std::string("fill_chamber") : std::string();
    };
    EXPECT_EQ(text_of({0xe8, 0xfb, 0x0f, 0, 0}, Syntax::intel, name), "call fill_chamber");
    EXPECT_EQ(text_of({0x8b, 0x05, 0xfa, 0x0f, 0, 0}, Syntax::intel, name),
              "mov eax, [fill_chamber]");
    EXPECT_EQ(text_of({0x06}), "(bad)");
    EXPECT_EQ(text_of({0x48}), "(bad)") << "cut off";
}

TEST(Operands, AmountToWhatTheRegistersSay) {
    // mov rax, [rbx+rcx*4+0x10]
    std::vector<std::byte> code;
    for (unsigned each : {0x48u, 0x8bu, 0x44u, 0x8bu, 0x10u})
        code.push_back(static_cast<std::byte>(each));
    auto value = [](std::string_view name) -> std::optional<std::uint64_t> {
        if (name == "rbx") return 0x1000;
        if (name == "rcx") return 3;
        return std::nullopt;
    };
    auto facts = operands_of(code, RunAddress(0x401000), Syntax::intel, value);
    ASSERT_EQ(facts.size(), 2u);
    EXPECT_EQ(facts[0].kind, OperandFact::Kind::in_register);
    EXPECT_EQ(facts[0].name, "rax");
    EXPECT_TRUE(facts[0].is_written);
    EXPECT_EQ(facts[1].address, RunAddress(0x101c));
    EXPECT_EQ(facts[1].size, 8u);
    auto unknown = operands_of(code, RunAddress(0x401000), Syntax::intel,
                               [](std::string_view) { return std::nullopt; });
    EXPECT_FALSE(unknown[1].address);
}

TEST(Jumps, AreTakenAsTheFlagsSay) {
    auto taken = [](unsigned opcode, std::uint64_t flags) {
        std::byte code[] = {static_cast<std::byte>(opcode), std::byte{0x10}};
        auto fact = jump_fact(code, RunAddress(0x401000), [&](std::string_view name) {
            return name == "rflags" ? std::optional(flags) : std::nullopt;
        });
        return fact && fact->is_taken;
    };
    constexpr std::uint64_t kCarry = 1, kZero = 1 << 6, kSign = 1 << 7, kOverflow = 1 << 11;
    EXPECT_TRUE(taken(0x74, kZero));   // je
    EXPECT_FALSE(taken(0x75, kZero));  // jne
    EXPECT_TRUE(taken(0x7c, kSign));   // jl
    EXPECT_FALSE(taken(0x7c, kSign | kOverflow));
    EXPECT_TRUE(taken(0x7f, kSign | kOverflow));  // jg
    EXPECT_FALSE(taken(0x7f, kZero));
    EXPECT_TRUE(taken(0x76, kCarry));  // jbe
    std::byte call[] = {std::byte{0xc3}};
    EXPECT_FALSE(jump_fact(call, RunAddress(0),
                           [](std::string_view) { return std::optional<std::uint64_t>(0); }));
}

}  // namespace
}  // namespace lantern
