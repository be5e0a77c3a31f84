// Reads what a function returned, right after it did (System V ABI x86-64 §3.2.3).
#include <algorithm>
#include <cstring>

#include "core/code/kept_code.h"
#include "core/code/node_effects.h"
#include "core/machine/calling_convention.h"
#include "core/session/line_step.h"
#include "core/session/returned_evidence.h"
#include "core/session/returned_value.h"
#include "core/session/rust_return.h"
#include "core/support/error.h"

namespace lantern {
namespace {

constexpr std::size_t kMostParts = 1024;

using PartKind = ScalarPart::Kind;

PartKind floating_kind(const Type& type, std::uint64_t size) {
    return size > 8 && !is_quadruple(type) ? PartKind::extended : PartKind::floating;
}

void flatten(const Type& type, std::uint64_t offset, std::vector<ScalarPart>& parts, int depth);

void flatten_member(const Member& member, std::uint64_t offset, std::vector<ScalarPart>& parts,
                    int depth) {
    if (!member.bit_size) return flatten(*member.type, offset + member.offset, parts, depth);
    std::uint64_t first = member.bit_offset / 8,
                  end = (member.bit_offset + member.bit_size + 7) / 8;
    parts.push_back({offset + first, end - first, PartKind::integer, true});
}

// The scalars a type is made of; more than a register return can hold is cut.
void flatten(const Type& type, std::uint64_t offset, std::vector<ScalarPart>& parts, int depth) {
    const Type& base = plain(type);
    if (parts.size() > kMostParts || depth > 20) return;
    switch (base.kind) {
        case TypeKind::structure:
        case TypeKind::union_:
            for (const Member& member : base.members())
                flatten_member(member, offset, parts, depth + 1);
            break;
        case TypeKind::array:
            if (base.is_vector) {
                parts.push_back({offset, base.size, PartKind::floating});
                break;
            }
            for (std::uint64_t i = 0; i < base.count.value_or(0) && parts.size() <= kMostParts; ++i)
                flatten(target_of(base), offset + i * plain(target_of(base)).size, parts,
                        depth + 1);
            break;
        case TypeKind::floating:
            parts.push_back({offset, base.size, floating_kind(base, base.size)});
            break;
        case TypeKind::complex:
            for (std::uint64_t at : {std::uint64_t{0}, base.size / 2})
                parts.push_back({offset + at, base.size / 2,
                                 base.size == 32 && base.name.find("128") != std::string::npos
                                     ? PartKind::floating
                                 : base.size > 16 ? PartKind::extended
                                                  : PartKind::floating});
            break;
        case TypeKind::member_pointer:
            for (std::uint64_t at = 0; at < base.size; at += 8)
                parts.push_back({offset + at, 8, PartKind::integer});
            break;
        case TypeKind::unknown: parts.push_back({offset, base.size, PartKind::other}); break;
        default: parts.push_back({offset, base.size, PartKind::integer});
    }
}

// Of the straight run of instructions before the return: whether a vector register was written
// last, and not the first of the integer ones. What a pop restores is the caller's. Nothing:
// neither.
std::optional<bool> writes_a_vector_last(const ModuleSymbols& symbols, const FlowGraph& flow,
                                         std::size_t at) {
    constexpr std::size_t kMostBefore = 16;
    const auto& nodes = flow.nodes();
    for (std::size_t i = at; i-- > 0 && at - i <= kMostBefore;) {
        bool leads_on = nodes[i].kind == Instruction::Kind::ordinary &&
                        nodes[i].behind() == nodes[i + 1].address;
        auto effects = leads_on ? effects_of(nodes[i], symbols) : std::nullopt;
        if (!effects) return std::nullopt;
        bool is_pop = std::any_of(
            effects->memory.begin(), effects->memory.end(),
            [](const MemoryAccess& access) { return access.is_implied && access.reads; });
        if (is_pop) continue;
        for (const RegisterUse& use : effects->registers) {
            bool vector = use.dwarf_number == kFirstVectorRegister,
                 integer = use.dwarf_number == 0 && use.size >= 4;
            if (use.writes && (vector || integer)) return vector;
        }
    }
    return std::nullopt;
}

// Nothing where that cannot be told, or where its returns differ.
std::optional<bool> returns_a_vector(const Module& module, const Function& function) {
    const FlowGraph& flow = kept_code(module.symbols(), function).flow();
    if (!flow.is_complete()) return std::nullopt;
    std::optional<bool> found;
    for (std::size_t i = 0; i < flow.nodes().size(); ++i) {
        if (flow.nodes()[i].kind != Instruction::Kind::returns) continue;
        auto vector = writes_a_vector_last(module.symbols(), flow, i);
        if (vector && found && *found != *vector) return std::nullopt;
        if (vector) found = vector;
    }
    return found;
}

// The array without a length at the end of a structure; what holds it clang returns in memory, gcc
// as if it were not there.
bool ends_in_open_array(const Type& type) {
    const Type& base = plain(type);
    if (base.kind == TypeKind::array) return !base.count;
    return base.kind == TypeKind::structure && !base.members().empty() &&
           ends_in_open_array(*base.members().back().type);
}

bool has_name_of_rust_s(const Function& function) {
    return function.linkage_name.starts_with("_ZN") || function.linkage_name.starts_with("_R");
}

}  // namespace

bool returns_value(const ModuleSymbols& symbols, const Function& function) {
    const FunctionBody& body = symbols.body_of(function);
    if (!body.returned) return false;
    const Type& type = plain(*body.returned);
    return type.size != 0 || type.is_incomplete;
}

ReturnLocation location_of_returned(const Type& type) {
    const Type& base = plain(type);
    // Of the library's own that clang only declares: strings and streams, none of which is copied
    // bit by bit.
    if (base.is_incomplete)
        return base.full_name().starts_with("std::__cxx11::basic_")
                   ? returned_in_memory()
                   : ReturnLocation{ReturnLocation::Kind::unknown, {}};
    if (base.kind == TypeKind::complex && base.size == 32 &&
        base.name.find("128") == std::string::npos)
        return returned_as_extended_pair();
    std::vector<ScalarPart> parts;
    flatten(type, 0, parts, 0);
    // A class that is copied by code of its own cannot be taken apart into registers (Itanium C++
    // ABI §3.1.3).
    if (plain(type).is_passed_by_reference()) return returned_in_memory();
    return return_location(parts, plain(type).size);
}

ReturnLocation location_of_returned(const Module& module, const Function& function,
                                    const Type& type) {
    if (!function.unit->is_rust()) {
        bool is_clang = function.unit->root().producer.find("clang") != std::string_view::npos;
        return is_clang && ends_in_open_array(type) ? returned_in_memory()
                                                    : location_of_returned(type);
    }
    ReturnLocation rust = rust_return_location(type, function.unit->root().producer);
    // extern "C" is told nowhere; with a name that is not made of Rust's path it may be either.
    if (!has_name_of_rust_s(function)) {
        ReturnLocation c = location_of_returned(type);
        return rust == c ? c : ReturnLocation{ReturnLocation::Kind::unknown, {}};
    }
    if (rust_shape(type).may_be_integer && returns_a_vector(module, function) == false)
        return {ReturnLocation::Kind::registers, {{0, 0, plain(type).size}}};
    return rust;
}

Value returned_in_registers(Target& target, ThreadId thread, const Type& type,
                            const ReturnLocation& location) {
    const Registers& registers = target.registers(thread);
    std::vector<std::byte> bytes(plain(type).size);
    for (const ReturnPiece& piece : location.pieces) {
        if (auto number = registers.get(piece.dwarf_register)) {
            std::memcpy(bytes.data() + piece.offset, &*number, piece.size);
        } else {
            auto vector = target.vector_registers(thread).bytes(piece.dwarf_register);
            std::memcpy(bytes.data() + piece.offset, vector.data(),
                        std::min<std::size_t>(piece.size, vector.size()));
        }
    }
    return value_of_bytes(type, bytes);
}

namespace {

// The code that the function has come back to.
struct Caller {
    const Module* module = nullptr;
    const Function* function = nullptr;
    FileAddress back;
};
Caller caller_at(Target& target, ThreadId thread) {
    RunAddress pc = target.registers(thread).program_counter();
    Caller caller{target.module_at(pc), nullptr, {}};
    if (!caller.module) return caller;
    caller.back = caller.module->to_file(pc);
    caller.function = caller.module->symbols().function_at(caller.back - 1);
    return caller;
}

Value returned_in_memory(Target& target, ThreadId thread, const Module& module,
                         const Function& function, const Type& type, unsigned dwarf_register) {
    const Registers& registers = target.registers(thread);
    auto in_register = value_in_memory(type, RunAddress(registers.get(dwarf_register).value_or(0)));
    if (!may_return_otherwise(module.symbols(), function)) return in_register;
    Caller caller = caller_at(target, thread);
    if (caller.function)
        if (auto address =
                address_given(kept_code(caller.module->symbols(), *caller.function).flow(),
                              caller.module->symbols(), caller.back, registers))
            return value_in_memory(type, *address);
    if (leaves_value_in(kept_code(module.symbols(), function).flow(), module.symbols(),
                        dwarf_register))
        return in_register;
    return unavailable_value(type, "not known: the compiler changed how it is returned");
}

bool is_surely_returned(Target& target, ThreadId thread, const Module& module,
                        const Function& function, const ReturnLocation& location) {
    if (location.pieces.empty() || !may_return_otherwise(module.symbols(), function)) return true;
    unsigned first = location.pieces[0].dwarf_register;
    if (first >= kFirstStackRegister)
        return true;  // the processor's stack of floating numbers would be out of step
    if (leaves_value_in(kept_code(module.symbols(), function).flow(), module.symbols(), first))
        return true;
    Caller caller = caller_at(target, thread);
    return caller.function &&
           reads_first(kept_code(caller.module->symbols(), *caller.function).flow(),
                       caller.module->symbols(), caller.back, first);
}

}  // namespace

ReturnedValue returned_value(Target& target, ThreadId thread, const Module& module,
                             const Function& function) {
    const FunctionBody& body = module.symbols().body_of(function);
    ReturnedValue result{
        module.is_system_library() ? name_as_called(module.symbols(), function) : function.name,
        {}};
    const Type& type = body.returned ? *body.returned : void_type();
    result.value.type = &type;
    if (plain(type).size == 0 && !plain(type).is_incomplete) {
        result.value = unavailable_value(type, "it returns nothing");
        return result;
    }
    ReturnLocation location = location_of_returned(module, function, type);
    switch (location.kind) {
        case ReturnLocation::Kind::memory:
            result.value = returned_in_memory(target, thread, module, function, type,
                                              location.pieces[0].dwarf_register);
            break;
        case ReturnLocation::Kind::registers:
            if (is_surely_returned(target, thread, module, function, location))
                result.value = returned_in_registers(target, thread, type, location);
            else
                result.value = unavailable_value(
                    type, "not known: nobody uses it, and the compiler may have dropped it");
            break;
        case ReturnLocation::Kind::nowhere: result.value = value_of_bytes(type, {}); break;
        default:
            result.value = unavailable_value(
                type, plain(type).is_incomplete
                          ? "not known: its type is declared but defined nowhere in the program"
                          : "how this type is returned is not known");
    }
    return result;
}

}  // namespace lantern
