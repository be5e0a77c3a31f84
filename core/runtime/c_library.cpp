#include "core/runtime/c_library.h"

#include <bit>

#include "core/machine/calling_convention.h"
#include "core/support/error.h"

namespace lantern::c_library {
namespace {

// The thread's vector of blocks (ELF Handling for Thread-Local Storage §3.2): its address is the second word at the thread's base; an
// entry is two words, the first of them the block's address, all ones until it is made.
constexpr std::uint64_t kVectorAt = 8, kVectorEntry = 16;

// sysdeps/x86_64: the jump buffer's words. Its addresses are rotated, and mixed with the guard that lies in the thread's control block.
constexpr std::uint64_t kStackPointerWord = 6 * 8, kProgramCounterWord = 7 * 8, kGuardAt = 0x30;
constexpr int kRotation = 0x11;

// struct __pthread_mutex_s: lock, count, owner.
constexpr std::uint64_t kOwnerInMutex = 8;

}  // namespace

std::optional<RunAddress> thread_local_block(Target& target, RunAddress thread_base, std::uint64_t module_number) {
    auto vector = target.read<std::uint64_t>(thread_base + kVectorAt);
    auto block = target.read<std::uint64_t>(RunAddress(vector + kVectorEntry * module_number));
    if (block == 0 || block == ~std::uint64_t{0}) return std::nullopt;
    return RunAddress(block);
}

std::optional<JumpTarget> jump_target(Target& target, ThreadId thread) {
    try {
        const Registers& registers = target.registers(thread);
        RunAddress buffer(registers.get(kIntegerParameters[0]).value_or(0));
        auto guard = target.read<std::uint64_t>(RunAddress(registers.thread_base + kGuardAt));
        auto undisguised = [&](std::uint64_t word) { return RunAddress(std::rotr(target.read<std::uint64_t>(buffer + word), kRotation) ^ guard); };
        return JumpTarget{undisguised(kProgramCounterWord), undisguised(kStackPointerWord)};
    } catch (const MemoryError&) {
        return std::nullopt;
    }
}

ThreadId mutex_owner(Target& target, RunAddress mutex) { return target.read<std::int32_t>(mutex + kOwnerInMutex); }

}  // namespace lantern::c_library
