#include "core/target/target.h"

namespace lantern {

const Module* Target::module_at(RunAddress address) {
    for (const Module& module : modules())
        if (module.holds(address)) return &module;
    return nullptr;
}

}  // namespace lantern
