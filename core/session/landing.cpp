#include "core/session/landing.h"

#include <string_view>

#include "core/session/runtime_symbol.h"

namespace lantern {
namespace {

struct HookName {
    std::string_view symbol;
    LandingHook::Kind kind;
};
constexpr HookName kHooks[] = {
    {"__cxa_begin_catch",
     LandingHook::Kind::caught},  // Itanium C++ ABI §2.5.3: the first thing a handler does
    {"__rust_panic_cleanup", LandingHook::Kind::caught},
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

}  // namespace lantern
