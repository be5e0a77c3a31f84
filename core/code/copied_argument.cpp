#include "core/code/copied_argument.h"

#include <algorithm>

#include "core/machine/effects.h"

namespace lantern {
namespace {

bool copies(ByteSpan instruction, unsigned from) {
    auto effects = effects_of(instruction);
    return effects && effects->is_copy &&
           std::ranges::any_of(effects->registers, [&](const RegisterUse& use) {
               return use.reads && use.dwarf_number == from;
           });
}

}  // namespace

bool is_copy_of_what_is_gone(KeptCode& code, std::uint32_t call, unsigned argument,
                             unsigned copied) {
    if (call == FlowGraph::kNone) return false;
    const auto& effects = code.effects();
    const Ways& before = code.ways_back();
    bool is_gone = false;
    // In a straight line, which ends before it could go round.
    for (std::uint32_t at = call; before[at].size() == 1 && before[at][0] < at;) {
        at = before[at][0];
        if (!effects[at]) return false;
        if (effects[at]->writes.has(argument)) return is_gone && copies(code.bytes_of(at), copied);
        is_gone |= effects[at]->writes.has(copied);
    }
    return false;
}

}  // namespace lantern
