#include "core/analysis/passed_argument.h"

namespace lantern {
namespace {

// In which whole numbers and pointers are passed (psABI §3.2.3), by DWARF number.
constexpr unsigned kRegisters[] = {5, 4, 1, 2, 8, 9};

// The parameter of the function that comes in by the n-th of the registers; null where that is not
// known for certain.
const Variable* parameter(const Frame& called, std::size_t which) {
    if (!called.body || called.is_inlined()) return nullptr;
    std::size_t number = 0;
    for (const Variable& variable : called.body->outermost.variables) {
        if (!variable.is_parameter) continue;
        if (!variable.type || !is_scalar(*variable.type)) return nullptr;
        if (plain(*variable.type).kind == TypeKind::floating || plain(*variable.type).size > 8)
            return nullptr;
        if (number++ == which) return &variable;
    }
    return nullptr;
}

bool is_pointer(const Type& type) {
    return plain(type).kind == TypeKind::pointer;
}

}  // namespace

std::optional<PassedArgument> argument_that_is(SourceNames& names, PlaceInCode call,
                                               const Frame& called, std::uint64_t value) {
    std::optional<PassedArgument> found;
    for (std::size_t i = 0; i < std::size(kRegisters); ++i) {
        PassedArgument each{kRegisters[i], names.in_register(call, kRegisters[i]), {}};
        const Variable* known = parameter(called, i);
        if (known) each.parameter = known->name;
        bool leads = each.name ? is_pointer(*each.name->type) : known && is_pointer(*known->type);
        if (!leads) continue;
        auto now = each.name ? names.value_of(*call.frame, each.name->text)
                             : names.computed(call, kRegisters[i]);
        if (now != value) continue;
        if (found) return std::nullopt;
        found = each;
    }
    return found;
}

}  // namespace lantern
