#include "core/target/watch_registers.h"

#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

#include "core/support/error.h"

namespace lantern {

void WatchRegisters::free_all() {
    for (Watch& watch : watches_) watch.length = 0;
}

void WatchRegisters::write(Kernel& kernel, ThreadId thread) {
    std::uint64_t control = 0;
    for (unsigned number = 0; number < kDebugAddresses; ++number)
        if (is_used(number))
            control |= debug_control(number, watches_[number].length, watches_[number].on_reads);
    if (!control && !are_written_) return;
    kernel.set_debug_register(thread, kDebugControl,
                              0);  // the kernel checks the address against the control that holds
    for (unsigned number = 0; number < kDebugAddresses; ++number)
        if (is_used(number))
            kernel.set_debug_register(thread, number, watches_[number].address.value);
    if (!kernel.set_debug_register(thread, kDebugControl, control))
        throw TargetError(
            fmt::format("the debug registers cannot be set: {}", std::strerror(errno)));
    are_written_ = true;
}

unsigned WatchRegisters::take_hits(Kernel& kernel, ThreadId thread) const {
    if (!are_written_) return 0;
    auto hits = static_cast<unsigned>(kernel.debug_register(thread, kDebugStatus) & 0xf);
    if (hits) kernel.set_debug_register(thread, kDebugStatus, 0);
    for (unsigned number = 0; number < kDebugAddresses; ++number)
        if (!is_used(number)) hits &= ~(1u << number);
    return hits;
}

std::vector<std::byte> WatchRegisters::bytes(KernelMemory& memory) const {
    std::vector<std::byte> all;
    for (const Watch& watch : watches_) {
        std::vector<std::byte> bytes(watch.length);
        if (watch.length) memory.read(watch.address, bytes);
        all.insert(all.end(), bytes.begin(), bytes.end());
    }
    return all;
}

unsigned WatchRegisters::changed(const std::vector<std::byte>& before,
                                 const std::vector<std::byte>& now, unsigned among) const {
    if (before.size() != now.size()) return 0;
    unsigned found = 0;
    auto at = before.begin(), at_now = now.begin();
    for (unsigned number = 0; number < kDebugAddresses; ++number) {
        unsigned length = watches_[number].length;
        if (among >> number & 1 && !std::equal(at, at + length, at_now)) found |= 1u << number;
        at += length;
        at_now += length;
    }
    return found;
}

}  // namespace lantern
