#include "core/machine/registers.h"

#include <fmt/format.h>
#include <sys/user.h>

#include <algorithm>
#include <cstring>

namespace lantern {
namespace {

// DWARF number → field of the system's structure.
using SystemField = unsigned long long user_regs_struct::*;
constexpr std::array<SystemField, kGeneralRegisters> kSystemFields = {
    &user_regs_struct::rax, &user_regs_struct::rdx, &user_regs_struct::rcx, &user_regs_struct::rbx,
    &user_regs_struct::rsi, &user_regs_struct::rdi, &user_regs_struct::rbp, &user_regs_struct::rsp,
    &user_regs_struct::r8,  &user_regs_struct::r9,  &user_regs_struct::r10, &user_regs_struct::r11,
    &user_regs_struct::r12, &user_regs_struct::r13, &user_regs_struct::r14, &user_regs_struct::r15,
    &user_regs_struct::rip};

constexpr std::array<std::string_view, kGeneralRegisters> kFullNames = {
    "rax", "rdx", "rcx", "rbx", "rsi", "rdi", "rbp", "rsp", "r8",
    "r9",  "r10", "r11", "r12", "r13", "r14", "r15", "rip"};

struct PartName {
    std::string_view name;
    RegisterName part;
};
constexpr PartName kParts[] = {
    {"eax", {0, 4, 0}},
    {"ax", {0, 2, 0}},
    {"al", {0, 1, 0}},
    {"ah", {0, 1, 1}},
    {"edx", {1, 4, 0}},
    {"dx", {1, 2, 0}},
    {"dl", {1, 1, 0}},
    {"dh", {1, 1, 1}},
    {"ecx", {2, 4, 0}},
    {"cx", {2, 2, 0}},
    {"cl", {2, 1, 0}},
    {"ch", {2, 1, 1}},
    {"ebx", {3, 4, 0}},
    {"bx", {3, 2, 0}},
    {"bl", {3, 1, 0}},
    {"bh", {3, 1, 1}},
    {"esi", {4, 4, 0}},
    {"si", {4, 2, 0}},
    {"sil", {4, 1, 0}},
    {"edi", {5, 4, 0}},
    {"di", {5, 2, 0}},
    {"dil", {5, 1, 0}},
    {"ebp", {6, 4, 0}},
    {"bp", {6, 2, 0}},
    {"esp", {7, 4, 0}},
    {"sp", {7, 2, 0}},
    {"rflags", {kFlagsRegister, 8, 0}},
    {"eflags", {kFlagsRegister, 4, 0}},
    {"es", {kFirstSegment, 2, 0}},
    {"cs", {kFirstSegment + 1, 2, 0}},
    {"ss", {kFirstSegment + 2, 2, 0}},
    {"ds", {kFirstSegment + 3, 2, 0}},
    {"fs", {kFirstSegment + 4, 2, 0}},
    {"gs", {kFirstSegment + 5, 2, 0}},
    {"fs_base", {kFsBase, 8, 0}},
    {"gs_base", {kGsBase, 8, 0}},
    {"mxcsr", {kVectorControl, 4, 0}},
};

// "r8d", "r12w", "r9b"
std::optional<RegisterName> find_numbered_part(std::string_view name) {
    if (name.size() < 3) return std::nullopt;
    unsigned size = name.back() == 'd' ? 4 : name.back() == 'w' ? 2 : name.back() == 'b' ? 1 : 0;
    if (!size) return std::nullopt;
    for (unsigned number = 8; number < 16; ++number)
        if (name.substr(0, name.size() - 1) == kFullNames[number])
            return RegisterName{number, size, 0};
    return std::nullopt;
}

}  // namespace

Registers Registers::from_system(const user_regs_struct& system) {
    Registers registers;
    for (unsigned i = 0; i < kGeneralRegisters; ++i) registers.set(i, system.*kSystemFields[i]);
    registers.set(kFlagsRegister, system.eflags);
    registers.thread_base = system.fs_base;
    registers.system_call = system.orig_rax;
    return registers;
}

SystemRegisters SystemRegisters::from_system(const user_regs_struct& system) {
    SystemRegisters registers;
    registers.cs = static_cast<std::uint16_t>(system.cs);
    registers.ss = static_cast<std::uint16_t>(system.ss);
    registers.ds = static_cast<std::uint16_t>(system.ds);
    registers.es = static_cast<std::uint16_t>(system.es);
    registers.fs = static_cast<std::uint16_t>(system.fs);
    registers.gs = static_cast<std::uint16_t>(system.gs);
    registers.fs_base = system.fs_base;
    registers.gs_base = system.gs_base;
    return registers;
}

void Registers::to_system(user_regs_struct& system) const {
    for (unsigned i = 0; i < kGeneralRegisters; ++i)
        if (known_[i]) system.*kSystemFields[i] = values_[i];
    if (known_[kFlagsRegister]) system.eflags = values_[kFlagsRegister];
    system.orig_rax = system_call;
}

std::optional<std::uint64_t> Registers::get(unsigned number) const {
    if (number >= values_.size() || !known_[number]) return std::nullopt;
    return values_[number];
}

void Registers::set(unsigned number, std::uint64_t value) {
    if (number >= values_.size()) return;
    values_[number] = value;
    known_.set(number);
}

void Registers::forget(unsigned number) {
    if (number < values_.size()) known_.reset(number);
}

RunAddress Registers::program_counter() const {
    return RunAddress(values_[kProgramCounterNumber]);
}
RunAddress Registers::stack_pointer() const {
    return RunAddress(values_[kStackPointerNumber]);
}
std::optional<std::uint64_t> Registers::frame_pointer() const {
    return get(kFramePointerNumber);
}
void Registers::set_program_counter(RunAddress address) {
    set(kProgramCounterNumber, address.value);
}
void Registers::set_stack_pointer(RunAddress address) {
    set(kStackPointerNumber, address.value);
}

VectorRegisters VectorRegisters::from_system(const user_fpregs_struct& system) {
    VectorRegisters registers;
    std::memcpy(registers.vectors.data(), system.xmm_space, sizeof registers.vectors);
    std::memcpy(registers.stack.data(), system.st_space, sizeof registers.stack);
    return registers;
}

std::span<const std::byte> VectorRegisters::bytes(unsigned number) const {
    if (number >= kFirstVectorRegister && number < kFirstVectorRegister + kVectorRegisters)
        return vectors[number - kFirstVectorRegister];
    if (number >= kFirstStackRegister && number < kFirstStackRegister + 8)
        return stack[number - kFirstStackRegister];
    return {};
}

std::optional<unsigned> vector_index(unsigned number) {
    if (number >= kFirstVectorRegister && number < kFirstVectorRegister + kVectorRegisters)
        return number - kFirstVectorRegister;
    if (number >= kFirstHighVector && number < kFirstHighVector + kVectorRegisters)
        return number - kFirstHighVector + kVectorRegisters;
    return std::nullopt;
}

std::optional<unsigned> mask_index(unsigned number) {
    if (number >= kFirstMask && number < kFirstMask + 8) return number - kFirstMask;
    return std::nullopt;
}

namespace {

struct NumberedName {
    std::string_view prefix;
    unsigned count, first, size;
};
constexpr NumberedName kNumbered[] = {{"xmm", 32, kFirstVectorRegister, 16},
                                      {"ymm", 32, kFirstVectorRegister, 32},
                                      {"zmm", 32, kFirstVectorRegister, 64},
                                      {"st", 8, kFirstStackRegister, 10},
                                      {"k", 8, kFirstMask, 8}};

std::optional<RegisterName> find_numbered(std::string_view name) {
    for (const NumberedName& each : kNumbered) {
        std::string_view digits = name.substr(std::min(name.size(), each.prefix.size()));
        bool is_number = name.starts_with(each.prefix) && !digits.empty() && digits.size() < 3 &&
                         digits.find_first_not_of("0123456789") == std::string_view::npos;
        if (!is_number) continue;
        auto number = static_cast<unsigned>(std::stoul(std::string(digits)));
        if (number >= each.count) return std::nullopt;
        bool is_high = each.count > kVectorRegisters && number >= kVectorRegisters;
        return RegisterName{
            is_high ? kFirstHighVector + number - kVectorRegisters : each.first + number, each.size,
            0};
    }
    return std::nullopt;
}

}  // namespace

std::optional<RegisterName> find_register(std::string_view name) {
    for (unsigned i = 0; i < kGeneralRegisters; ++i)
        if (name == kFullNames[i]) return RegisterName{i, 8, 0};
    for (const PartName& part : kParts)
        if (name == part.name) return part.part;
    if (auto found = find_numbered(name)) return found;
    return find_numbered_part(name);
}

std::string register_name(unsigned number) {
    if (number < kGeneralRegisters) return std::string(kFullNames[number]);
    if (number == kFlagsRegister) return "rflags";
    if (auto index = vector_index(number)) return fmt::format("xmm{}", *index);
    if (auto index = mask_index(number)) return fmt::format("k{}", *index);
    for (const PartName& part : kParts)
        if (part.part.dwarf_number == number && number >= kFirstSegment)
            return std::string(part.name);
    if (number >= kFirstStackRegister && number < kFirstStackRegister + 8)
        return fmt::format("st{}", number - kFirstStackRegister);
    return fmt::format("register {}", number);
}

const std::vector<std::string>& register_names() {
    static const std::vector<std::string> names = [] {
        std::vector<std::string> all(kFullNames.begin(), kFullNames.end());
        for (const PartName& part : kParts) all.emplace_back(part.name);
        for (const NumberedName& each : kNumbered)
            for (unsigned i = 0; i < each.count; ++i)
                all.push_back(fmt::format("{}{}", each.prefix, i));
        return all;
    }();
    return names;
}

}  // namespace lantern
