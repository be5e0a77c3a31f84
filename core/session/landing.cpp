#include "core/session/landing.h"

#include <string_view>

#include "core/runtime/c_library.h"
#include "core/session/runtime_symbol.h"
#include "core/support/error.h"

namespace lantern {
namespace {

struct HookName {
    std::string_view symbol;
    LandingHook::Kind kind;
};
constexpr HookName kHooks[] = {
    {"__cxa_begin_catch",
     LandingHook::Kind::caught},  // Itanium C++ ABI §2.5.3: the first thing a handler does
    {"__rust_panic_cleanup", LandingHook::Kind::recovered},
    {"longjmp", LandingHook::Kind::jumps},
    {"_longjmp", LandingHook::Kind::jumps},
    {"siglongjmp", LandingHook::Kind::jumps},
    {"__longjmp_chk", LandingHook::Kind::jumps},
};

}  // namespace

std::vector<LandingHook> find_landing_hooks(Target& target) {
    std::vector<LandingHook> hooks;
    for (const Module& module : target.modules())
        for (const HookName& hook : kHooks) {
            const ElfSymbol* symbol = runtime_symbol(module.symbols(), hook.symbol);
            bool is_new = symbol != nullptr;
            RunAddress address = is_new ? module.to_run(symbol->address) : RunAddress();
            for (const LandingHook& known : hooks)
                is_new &= known.address != address;  // several names of one function
            if (is_new) hooks.push_back({hook.kind, address});
        }
    return hooks;
}

std::optional<Landing> landing_of(Target& target, LandingHook::Kind kind,
                                  const Registers& registers) {
    constexpr std::uint64_t kReturnAddress = 8;  // bytes: what the handler's call has put there
    if (kind != LandingHook::Kind::jumps)
        return Landing{kind, registers.stack_pointer() + kReturnAddress, {}};
    try {
        auto jump = c_library::jump_target(
            [&](RunAddress word) { return target.read<std::uint64_t>(word); }, registers);
        if (jump) return Landing{kind, jump->stack_pointer, jump->program_counter};
    } catch (const MemoryError&) {  // its buffer is none: it will not come far
    }
    return std::nullopt;
}

std::optional<Landing> landing_at(Target& target, const std::vector<LandingHook>& hooks,
                                  ThreadId thread) {
    const Registers& registers = target.registers(thread);
    for (const LandingHook& hook : hooks)
        if (hook.address == registers.program_counter())
            return landing_of(target, hook.kind, registers);
    return std::nullopt;
}

}  // namespace lantern
