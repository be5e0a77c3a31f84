// Reads what a function returned, right after it did (System V ABI x86-64 §3.2.3).
#include <cstring>

#include "core/machine/calling_convention.h"
#include "core/session/line_step.h"
#include "core/session/returned_value.h"
#include "core/support/error.h"

namespace lantern {
namespace {

constexpr std::size_t kMostParts = 64;

// The scalars a type is made of; more than a register return can hold is cut.
void flatten(const Type& type, std::uint64_t offset, std::vector<ScalarPart>& parts, int depth) {
    const Type& base = plain(type);
    if (parts.size() > kMostParts || depth > 20) return;
    switch (base.kind) {
        case TypeKind::structure: case TypeKind::union_:
            for (const Member& member : base.members()) flatten(*member.type, offset + member.offset, parts, depth + 1);
            break;
        case TypeKind::array:
            for (std::uint64_t i = 0; i < base.count.value_or(0) && parts.size() <= kMostParts; ++i)
                flatten(target_of(base), offset + i * plain(target_of(base)).size, parts, depth + 1);
            break;
        case TypeKind::floating:
            parts.push_back({offset, base.size, base.size > 8 ? ScalarPart::Kind::extended : ScalarPart::Kind::floating});
            break;
        case TypeKind::complex:
            parts.push_back({offset, base.size / 2, base.size > 16 ? ScalarPart::Kind::other : ScalarPart::Kind::floating});
            parts.push_back({offset + base.size / 2, base.size / 2, base.size > 16 ? ScalarPart::Kind::other : ScalarPart::Kind::floating});
            break;
        case TypeKind::member_pointer:
            for (std::uint64_t at = 0; at < base.size; at += 8) parts.push_back({offset + at, 8, ScalarPart::Kind::integer});
            break;
        case TypeKind::unknown: parts.push_back({offset, base.size, ScalarPart::Kind::other}); break;
        default: parts.push_back({offset, base.size, ScalarPart::Kind::integer});
    }
}

}  // namespace

bool returns_value(const ModuleSymbols& symbols, const Function& function) {
    const FunctionBody& body = symbols.body_of(function);
    return body.returned && plain(*body.returned).size != 0;
}

ReturnLocation location_of_returned(const Type& type) {
    std::vector<ScalarPart> parts;
    flatten(type, 0, parts, 0);
    // A class that is copied by code of its own cannot be taken apart into registers (Itanium C++ ABI §3.1.3).
    if (plain(type).is_passed_by_reference()) return returned_in_memory();
    return return_location(parts, plain(type).size);
}

Value returned_in_registers(Target& target, ThreadId thread, const Type& type, const ReturnLocation& location) {
    const Registers& registers = target.registers(thread);
    std::vector<std::byte> bytes(plain(type).size);
    for (const ReturnPiece& piece : location.pieces) {
        if (auto number = registers.get(piece.dwarf_register)) {
            std::memcpy(bytes.data() + piece.offset, &*number, piece.size);
        } else {
            auto vector = target.vector_registers(thread).bytes(piece.dwarf_register);
            std::memcpy(bytes.data() + piece.offset, vector.data(), std::min<std::size_t>(piece.size, vector.size()));
        }
    }
    return value_of_bytes(type, bytes);
}

ReturnedValue returned_value(Target& target, ThreadId thread, const Module& module, const Function& function) {
    const FunctionBody& body = module.symbols().body_of(function);
    ReturnedValue result{function.name, {}};
    const Type& type = body.returned ? *body.returned : void_type();
    result.value.type = &type;
    if (plain(type).size == 0) {
        result.value = unavailable_value(type, "it returns nothing");
        return result;
    }
    ReturnLocation location = location_of_returned(type);
    switch (location.kind) {
        case ReturnLocation::Kind::memory:
            result.value = value_in_memory(type, RunAddress(target.registers(thread).get(location.pieces[0].dwarf_register).value_or(0)));
            break;
        case ReturnLocation::Kind::registers: result.value = returned_in_registers(target, thread, type, location); break;
        default: result.value = unavailable_value(type, "how this type is returned is not known");
    }
    return result;
}

}  // namespace lantern
