#include "core/target/target.h"

#include <algorithm>

#include "core/support/error.h"

namespace lantern {

void Target::set_vector_register(ThreadId, unsigned number, ByteSpan) {
    throw RequestError(register_name(number) + " cannot be written here");
}

unsigned Target::thread_number(ThreadId thread) const {
    auto all = threads();
    auto found = std::find(all.begin(), all.end(), thread);
    return found == all.end() ? 0 : static_cast<unsigned>(found - all.begin()) + 1;
}

std::optional<ThreadId> Target::thread_numbered(unsigned number) const {
    auto all = threads();
    return number && number <= all.size() ? std::optional(all[number - 1]) : std::nullopt;
}

std::string Target::thread_name(ThreadId) const {
    return {};
}

std::vector<std::byte> Target::extended_state(ThreadId) const {
    return {};
}

const std::vector<MemoryRegion>& Target::regions() {
    static const std::vector<MemoryRegion> none;
    return none;
}

const MemoryRegion* Target::region_at(RunAddress address) {
    const auto& all = regions();
    auto after =
        std::upper_bound(all.begin(), all.end(), address,
                         [](RunAddress at, const MemoryRegion& region) { return at < region.end; });
    return after != all.end() && after->contains(address) ? &*after : nullptr;
}

const Module* Target::module_at(RunAddress address) {
    for (const Module& module : modules())
        if (module.holds(address)) return &module;
    return nullptr;
}

}  // namespace lantern
