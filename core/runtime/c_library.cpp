#include "core/runtime/c_library.h"

#include <bit>

#include "core/machine/calling_convention.h"
#include "core/support/error.h"

namespace lantern::c_library {
namespace {

// The thread's vector of blocks (ELF Handling for Thread-Local Storage §3.2): its address is the
// second word at the thread's base; an entry is two words, the first of them the block's address,
// all ones until it is made.
constexpr std::uint64_t kVectorAt = 8, kVectorEntry = 16;

// sysdeps/x86_64: the jump buffer's words. Its addresses are rotated, and mixed with the guard that
// lies in the thread's control block.
constexpr std::uint64_t kStackPointerWord = 6 * 8, kProgramCounterWord = 7 * 8, kGuardAt = 0x30;
constexpr int kRotation = 0x11;

}  // namespace

std::optional<RunAddress> thread_local_block(const ReadWord& read, RunAddress thread_base,
                                             std::uint64_t module_number) {
    std::uint64_t vector = read(thread_base + kVectorAt),
                  block = read(RunAddress(vector + kVectorEntry * module_number));
    if (block == 0 || block == ~std::uint64_t{0}) return std::nullopt;
    return RunAddress(block);
}

std::optional<JumpTarget> jump_target(const ReadWord& read, const Registers& registers) {
    try {
        RunAddress buffer(registers.get(kIntegerParameters[0]).value_or(0));
        std::uint64_t guard = read(RunAddress(registers.thread_base + kGuardAt));
        auto undisguised = [&](std::uint64_t word) {
            return RunAddress(std::rotr(read(buffer + word), kRotation) ^ guard);
        };
        return JumpTarget{undisguised(kProgramCounterWord), undisguised(kStackPointerWord)};
    } catch (const MemoryError&) {
        return std::nullopt;
    }
}

}  // namespace lantern::c_library
