#include "core/session/landing.h"

#include <bit>
#include <string_view>

#include "core/machine/calling_convention.h"
#include "core/session/runtime_symbol.h"
#include "core/support/error.h"

namespace lantern {
namespace {

struct HookName {
    std::string_view symbol;
    LandingHook::Kind kind;
};
constexpr HookName kHooks[] = {
    {"__cxa_begin_catch", LandingHook::Kind::caught},  // Itanium C++ ABI §2.5.3: the first thing a handler does
    {"__rust_panic_cleanup", LandingHook::Kind::caught},
    {"longjmp", LandingHook::Kind::jumps},
    {"_longjmp", LandingHook::Kind::jumps},
    {"siglongjmp", LandingHook::Kind::jumps},
    {"__longjmp_chk", LandingHook::Kind::jumps},
};

// glibc, sysdeps/x86_64: the jump buffer's words, and how its addresses are disguised.
constexpr std::uint64_t kStackPointerWord = 6 * 8, kProgramCounterWord = 7 * 8, kGuard = 0x30;
constexpr int kRotation = 0x11;

}  // namespace

std::vector<LandingHook> find_landing_hooks(Target& target) {
    std::vector<LandingHook> hooks;
    for (const Module& module : target.modules())
        for (const HookName& hook : kHooks) {
            const ElfSymbol* symbol = runtime_symbol(module.symbols(), hook.symbol);
            bool is_new = symbol != nullptr;
            RunAddress address = is_new ? module.to_run(symbol->address) : RunAddress();
            for (const LandingHook& known : hooks) is_new &= known.address != address;  // several names of one function
            if (is_new) hooks.push_back({hook.kind, address});
        }
    return hooks;
}

std::optional<JumpTarget> jump_target(Target& target, ThreadId thread) {
    try {
        const Registers& registers = target.registers(thread);
        RunAddress buffer(registers.get(kIntegerParameters[0]).value_or(0));
        auto guard = target.read<std::uint64_t>(RunAddress(registers.thread_base + kGuard));
        auto undisguised = [&](std::uint64_t word) { return RunAddress(std::rotr(target.read<std::uint64_t>(buffer + word), kRotation) ^ guard); };
        return JumpTarget{undisguised(kProgramCounterWord), undisguised(kStackPointerWord)};
    } catch (const MemoryError&) {
        return std::nullopt;
    }
}

}  // namespace lantern
