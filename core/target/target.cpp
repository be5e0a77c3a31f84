#include "core/target/target.h"

#include "core/support/error.h"

namespace lantern {

void Target::set_vector_register(ThreadId, unsigned number, ByteSpan) {
    throw RequestError(register_name(number) + " cannot be written here");
}

const std::vector<MemoryRegion>& Target::regions() {
    static const std::vector<MemoryRegion> none;
    return none;
}

const Module* Target::module_at(RunAddress address) {
    for (const Module& module : modules())
        if (module.holds(address)) return &module;
    return nullptr;
}

}  // namespace lantern
