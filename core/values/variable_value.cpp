#include "core/values/variable_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "core/dwarf/unread_slot.h"
#include "core/machine/extended_state.h"
#include "core/support/error.h"
#include "core/unwind/frame_context.h"
#include "core/values/assignment.h"
#include "core/values/builtin_types.h"
#include "core/values/no_place.h"
#include "core/values/place_text.h"

namespace lantern {
namespace {

constexpr int kDeepestPointer = 4;  // pointers that were removed, behind one another

Value value_of(Target& target, ThreadId thread, const Frame& frame, const Variable& variable,
               int depth);

std::vector<std::byte> bytes_of_number(std::uint64_t number, std::uint64_t size) {
    std::vector<std::byte> bytes(size);
    std::memcpy(bytes.data(), &number, std::min<std::size_t>(size, sizeof number));
    return bytes;
}

// The upper parts of the vectors, the masks and what else the processor has; nothing where that is
// not known.
std::optional<std::vector<std::byte>> extended_bytes(Target& target, ThreadId thread,
                                                     unsigned number) {
    auto state = read_extended_state(target.extended_state(thread));
    if (!state) return std::nullopt;
    if (auto index = vector_index(number); index && *index < state->vectors.size())
        return std::vector<std::byte>(state->vectors[*index].begin(),
                                      state->vectors[*index].begin() + state->vector_size);
    if (auto index = mask_index(number); index && state->masks)
        return bytes_of_number((*state->masks)[*index], 8);
    if (number == kVectorControl) return bytes_of_number(state->vector_control, 4);
    return std::nullopt;
}

// The bytes of a register in a frame; nothing if the frame does not know it. Vector registers are
// known only where no function has been called since; the segments are the same everywhere.
std::optional<std::vector<std::byte>> register_bytes(Target& target, ThreadId thread,
                                                     const Frame& frame, unsigned number,
                                                     std::size_t size) {
    if (auto value = frame.registers.get(number)) return bytes_of_number(*value, 8);
    if (number >= kFirstSegment && number <= kGsBase) {
        SystemRegisters system = target.system_registers(thread);
        const std::uint16_t segments[] = {system.es, system.cs, system.ss,
                                          system.ds, system.fs, system.gs};
        if (number < kFirstSegment + std::size(segments))
            return bytes_of_number(segments[number - kFirstSegment], 8);
        return bytes_of_number(number == kFsBase ? system.fs_base : system.gs_base, 8);
    }
    bool innermost = frame.registers.stack_pointer() == target.registers(thread).stack_pointer();
    if (!innermost) return std::nullopt;
    if (size > 16 || number >= kFirstSegment) return extended_bytes(target, thread, number);
    auto bytes = target.vector_registers(thread).bytes(number);
    if (bytes.empty()) return std::nullopt;
    return std::vector<std::byte>(bytes.begin(), bytes.end());
}

Value removed_pointer(Target& target, ThreadId thread, const Frame& frame, const Type& type,
                      const dwarf::LocationPiece& piece, int depth) {
    auto variable = frame.module && depth < kDeepestPointer
                        ? frame.module->symbols().variable_at(piece.number)
                        : std::nullopt;
    if (!variable)
        return unavailable_value(type,
                                 "it points at something the compiler keeps nowhere in memory");
    Value value;
    value.type = &type;
    value.removed_target =
        std::make_shared<Value>(value_of(target, thread, frame, *variable, depth + 1));
    value.removed_offset = piece.offset;
    return value;
}

Value simple(Target& target, ThreadId thread, const Frame& frame, const Type& type,
             const dwarf::LocationPiece& piece, int depth) {
    using Kind = dwarf::LocationPiece::Kind;
    switch (piece.kind) {
        case Kind::memory: return value_in_memory(type, RunAddress(piece.number));
        case Kind::value:
            return value_of_bytes(type, bytes_of_number(piece.number, plain(type).size));
        case Kind::bytes: return value_of_bytes(type, piece.bytes);
        case Kind::in_register: {
            auto bytes = register_bytes(target, thread, frame, static_cast<unsigned>(piece.number),
                                        plain(type).size);
            if (!bytes) {
                auto passed =
                    FrameContext(target, frame).register_value(static_cast<unsigned>(piece.number));
                if (passed && plain(type).size <= sizeof *passed)
                    return value_of_bytes(type, bytes_of_number(*passed, plain(type).size));
                return unavailable_value(
                    type, fmt::format("it was in {}, which the functions called since did not keep",
                                      register_name(static_cast<unsigned>(piece.number))));
            }
            if (bytes->size() < plain(type).size)
                return unavailable_value(type, "it does not fit the register it is said to be in");
            bytes->resize(std::max<std::uint64_t>(plain(type).size, 1));
            Value value = value_of_bytes(type, *bytes);
            value.in_register = RegisterPlace{static_cast<unsigned>(piece.number), 0, frame.level};
            return value;
        }
        case Kind::implicit_pointer:
            return removed_pointer(target, thread, frame, type, piece, depth);
        case Kind::missing: break;
    }
    return unavailable_value(type, "the compiler keeps it nowhere at this point");
}

// Copies bits: `count` of them from `from`, starting at its bit `first`, to the bits of `to` from
// `at` on.
void copy_bits(ByteSpan from, std::uint64_t first, std::vector<std::byte>& to, std::uint64_t at,
               std::uint64_t count) {
    for (std::uint64_t i = 0; i < count; ++i) {
        std::uint64_t source = first + i, goal = at + i;
        if (source / 8 >= from.size() || goal / 8 >= to.size()) return;
        if ((from[source / 8] >> (source % 8) & std::byte{1}) != std::byte{})
            to[goal / 8] |= std::byte{1} << (goal % 8);
    }
}

// Pieces one after another make up the value (DWARF 5 §2.6.1.2).
Value assembled(Target& target, ThreadId thread, const Frame& frame, const Type& type,
                const std::vector<dwarf::LocationPiece>& pieces, int depth) {
    std::vector<std::byte> bytes(plain(type).size);
    Value result = value_of_bytes(type, ByteSpan());
    std::uint64_t bit = 0, wanted = bytes.size() * 8;
    for (const dwarf::LocationPiece& piece : pieces) {
        if (bit >= wanted) break;
        std::uint64_t bits = std::min(piece.bit_size, wanted - bit);
        Type part;
        part.kind = TypeKind::unknown;
        part.size = (piece.bit_offset + bits + 7) / 8;
        Value value = simple(target, thread, frame, part, piece, depth);
        bool known = value.is_available() && !value.removed_target;
        if (known) {
            try {
                copy_bits(ValueReader(target).content(value), piece.bit_offset, bytes, bit, bits);
            } catch (const MemoryError&) {
                known = false;
            }
        }
        if (!known) result.gaps.push_back({bit / 8, (bit + bits + 7) / 8 - bit / 8});
        bit += bits;
    }
    if (bit < wanted) result.gaps.push_back({bit / 8, bytes.size() - bit / 8});
    std::uint64_t missing = 0;
    for (const Value::Gap& gap : result.gaps) missing += gap.size;
    if (missing >= bytes.size() && missing)
        return unavailable_value(type, "the compiler keeps it nowhere at this point");
    result.bytes = SmallBytes(bytes);
    if (!result.gaps.empty() && is_scalar(type))
        return unavailable_value(type, "the compiler keeps only a part of it at this point");
    return result;
}

Value constant_value(const Type& type, const dwarf::FormValue& constant) {
    if (constant.form_class == dwarf::FormClass::block) return value_of_bytes(type, constant.block);
    if (constant.form_class == dwarf::FormClass::string) {
        return value_of_bytes(type,
                              std::as_bytes(std::span(constant.text.data(), constant.text.size())));
    }
    return value_of_bytes(type, bytes_of_number(constant.number, plain(type).size));
}

// The elements of an array whose length the program computed (DWARF 5 §5.13); nothing where that is
// not known here.
std::optional<std::uint64_t> computed_length(Target& target, ThreadId thread, const Frame& frame,
                                             const DynamicLength& length, int depth) {
    std::optional<std::uint64_t> number;
    if (length.value.form_class == dwarf::FormClass::reference) {
        auto variable =
            frame.module ? frame.module->symbols().variable_at(length.value.number) : std::nullopt;
        if (!variable) return std::nullopt;
        Value value = value_of(target, thread, frame, *variable, depth + 1);
        if (value.is_available() && is_scalar(*value.type))
            number = ValueReader(target).integer(value);
    } else {
        FrameContext context(target, frame);
        dwarf::Location location =
            dwarf::evaluate_location(length.value.block, length.unit, context);
        if (location.pieces.size() == 1) {
            const dwarf::LocationPiece& piece = location.pieces[0];
            if (piece.kind == dwarf::LocationPiece::Kind::in_register)
                number = frame.registers.get(static_cast<unsigned>(piece.number));
            else
                number = piece.number;  // a bound's expression gives the bound itself
        }
    }
    if (!number) return std::nullopt;
    // A bound of -1 is that of an array without elements.
    return length.is_upper_bound ? *number + 1 : *number;
}

// The same type with the lengths this frame gives it.
const Type& with_lengths(Target& target, ThreadId thread, const Frame& frame, const Type& type,
                         int depth) {
    const Type& base = plain(type);
    if (base.kind != TypeKind::array || depth > kDeepestPointer) return type;
    const Type& element = with_lengths(target, thread, frame, target_of(base), depth + 1);
    std::optional<std::uint64_t> count = base.count;
    if (!count && base.dynamic_length)
        count = computed_length(target, thread, frame, *base.dynamic_length, depth);
    bool nonsense =
        count && plain(element).size && *count > (std::uint64_t{1} << 40) / plain(element).size;
    if (!count || nonsense || (base.count && &element == &target_of(base))) return type;
    return array_of(element, *count);
}

Value value_by(ByteSpan expression, Target& target, ThreadId thread, const Frame& frame,
               const Variable& variable, const Type& type, int depth) {
    FrameContext context(target, frame);
    if (auto address = dwarf::address_in_frame(expression, context))
        return value_in_memory(type, RunAddress(*address));
    dwarf::Location location = dwarf::evaluate_location(expression, variable.unit, context);
    if (location.pieces.empty())
        return unavailable_value(type, location.reason.empty()
                                           ? "the compiler keeps it nowhere at this point"
                                           : location.reason);
    if (location.pieces.size() == 1 && location.pieces[0].bit_size == 0)
        return simple(target, thread, frame, type, location.pieces[0], depth);
    return assembled(target, thread, frame, type, location.pieces, depth);
}

// A value that was only fetched for the call under way is still where it was before, and where it
// is again behind the call:
//
//     on the stack | mov rax, [rsp+8]   in rax … call | on the stack
std::optional<ByteSpan> place_around_call(const Variable& variable, const Frame& frame,
                                          ByteSpan now) {
    if (frame.level == 0 || frame.has_left || !frame.module) return std::nullopt;
    FileAddress call = frame.file_address();
    auto behind =
        dwarf::expression_at(variable.locations, frame.module->to_file(frame.program_counter), 0);
    if (!behind || behind->empty() || std::ranges::equal(*behind, now)) return std::nullopt;
    for (const dwarf::LocationRange& each : variable.locations) {
        if (!each.range || !each.range->contains(call)) continue;
        auto before = dwarf::expression_at(variable.locations, each.range->low - 1);
        return before && std::ranges::equal(*before, *behind) ? behind : std::nullopt;
    }
    return std::nullopt;
}

// The frame is told as its function was called: what that has set since is not known.
bool is_of_another_time(const Frame& frame, const Variable& variable, ByteSpan expression) {
    return frame.origin == FrameOrigin::one_of_tail_calls && !variable.is_parameter &&
           !variable.constant && place_kind(expression, variable.unit) != PlaceKind::in_memory;
}

bool is_number(const Type& type) {
    switch (plain(type).kind) {
        case TypeKind::boolean:
        case TypeKind::integer:
        case TypeKind::character:
        case TypeKind::enumeration: return true;
        default: return false;
    }
}

// Of a number that the account says is an address of the stack, or a part of one.
std::optional<dwarf::UnreadSlot> unread_slot_of(const Type& type, ByteSpan expression) {
    if (!is_number(type)) return std::nullopt;
    auto slot = dwarf::unread_slot(expression);
    bool may_be_address = slot && slot->may_be_address && plain(type).size >= 8;
    return may_be_address ? std::nullopt : slot;
}

Value value_of(Target& target, ThreadId thread, const Frame& frame, const Variable& variable,
               int depth) {
    const Type& type = with_lengths(target, thread, frame, *variable.type, depth);
    try {
        auto expression =
            dwarf::expression_at(variable.locations, frame.file_address(), frame.row());
        if (is_of_another_time(frame, variable, expression.value_or(ByteSpan())))
            return unavailable_value(type,
                                     "by which of several jumps the function left is not known");
        if (!expression || expression->empty()) {
            if (variable.constant) return constant_value(type, *variable.constant);
            return unavailable_value(type, why_no_location(variable, frame));
        }
        auto unread = unread_slot_of(type, *expression);
        if (unread && unread->needs_upper_bits)
            return unavailable_value(type,
                                     "the compiler's account takes its place on the stack for it");
        if (unread) expression = unread->read;
        Value value = value_by(*expression, target, thread, frame, variable, type, depth);
        if (value.is_available()) return value;
        auto around = place_around_call(variable, frame, *expression);
        if (!around) return value;
        Value kept = value_by(*around, target, thread, frame, variable, type, depth);
        return kept.is_available() ? kept : value;
    } catch (const Error& error) {
        return unavailable_value(type, error.what());
    }
}

bool is_of_async_body(const Frame& frame, const Variable& variable) {
    return frame.function && frame.function->unit->is_rust() && frame.body &&
           frame.body->coroutine && !frame.inlined && !variable.is_parameter;
}

// What an async function needs behind a wait is in its task. The rest is on the stack, and was, in
// another call of the body, when it waited: the compiler says that it lies there all the same.
std::optional<std::uint32_t> lost_at_wait(Target& target, const Frame& frame,
                                          const Variable& variable) {
    AssignmentAnalysis assignment(target, frame);
    if (!assignment.has_waited() || !is_unset(assignment.of(variable, frame.body->outermost)))
        return std::nullopt;
    return assignment.went_on_from()->line;
}

}  // namespace

Value value_of_variable(Target& target, ThreadId thread, const Frame& frame,
                        const Variable& variable) {
    if (is_of_async_body(frame, variable))
        if (auto line = lost_at_wait(target, frame, variable))
            return unavailable_value(
                *variable.type,
                fmt::format("it was not kept while the function waited at line {}: nothing "
                            "uses it after that",
                            *line));
    return value_of(target, thread, frame, variable, 0);
}

bool is_read_where_account_points(const Frame& frame, const Variable& variable) {
    auto expression = dwarf::expression_at(variable.locations, frame.file_address(), frame.row());
    return expression && unread_slot_of(*variable.type, *expression);
}

std::optional<Value> narrower_value_of_variable(Target& target, const Frame& frame,
                                                const Variable& variable) {
    const Type& type = plain(*variable.type);
    auto expression = dwarf::expression_at(variable.locations, frame.file_address(), frame.row());
    bool is_short = type.kind == TypeKind::integer && type.size < 8;
    if (!is_short || !expression || expression->empty()) return std::nullopt;
    FrameContext context(target, frame);
    auto narrow = dwarf::evaluate_narrow(*expression, variable.unit, context,
                                         static_cast<unsigned>(type.size));
    if (!narrow) return std::nullopt;
    dwarf::Location whole = dwarf::evaluate_location(*expression, variable.unit, context);
    Value first = value_of_bytes(type, bytes_of_number(whole.pieces.at(0).number, type.size)),
          second = value_of_bytes(type, bytes_of_number(*narrow, type.size));
    ValueReader reader(target);
    return reader.integer(first) == reader.integer(second) ? std::nullopt : std::optional(second);
}

Value value_of_global(Target& target, ThreadId thread, const Frame* frame, const Module& module,
                      const Variable& variable) {
    Frame outside;
    outside.module = &module;
    if (frame) outside.registers = frame->registers;
    return value_of_variable(target, thread, outside, variable);
}

Value value_of_register(Target& target, ThreadId thread, const Frame& frame,
                        const RegisterName& name, const Type& type) {
    auto bytes = register_bytes(target, thread, frame, name.dwarf_number, name.size);
    if (!bytes)
        return unavailable_value(
            type,
            fmt::format("{} is not known in frame {}: the functions called since did not keep it",
                        register_name(name.dwarf_number), frame.level));
    ByteSpan all(*bytes);
    Value value = value_of_bytes(
        type, all.subspan(name.offset, std::min<std::size_t>(name.size, all.size() - name.offset)));
    value.in_register = RegisterPlace{name.dwarf_number, name.offset, frame.level};
    return value;
}

void write_value(Target& target, ThreadId thread, const Value& place, ByteSpan bytes) {
    if (!place.in_register) {
        ValueReader(target).write(place, bytes);
        return;
    }
    const RegisterPlace& where = *place.in_register;
    std::string name = register_name(where.number);
    if (where.frame_level != 0)
        throw RequestError(
            fmt::format("{} belongs to frame {}, where it is only what unwinding recovered", name,
                        where.frame_level),
            Next::select_innermost_frame_or_memory);
    Registers registers = target.registers(thread);
    auto old = registers.get(where.number);
    if (!old && !place.is_bit_field()) {
        std::vector<std::byte> whole;
        if (auto wide = extended_bytes(target, thread, where.number))
            whole = *wide;
        else if (ByteSpan now = target.vector_registers(thread).bytes(where.number); !now.empty())
            whole.assign(now.begin(), now.begin() + 10);
        if (whole.empty())
            throw RequestError(
                fmt::format("{} cannot be written", name),
                "the general registers, the flags, vectors, masks and the x87 stack can be");
        if (where.offset + bytes.size() > whole.size())
            throw RequestError(fmt::format("the value does not fit {}", name));
        std::copy(bytes.begin(), bytes.end(),
                  whole.begin() + static_cast<std::ptrdiff_t>(where.offset));
        target.set_vector_register(thread, where.number, whole);
        return;
    }
    if (!old || place.is_bit_field())
        throw RequestError(fmt::format("{} cannot be written yet", name));
    std::uint64_t content = *old;
    if (where.offset + bytes.size() > sizeof content)
        throw RequestError(fmt::format("the value does not fit {}", name));
    // Writing 32 bits of a register clears the upper half, as the processor does (Intel SDM 1,
    // §3.4.1.1).
    if (bytes.size() == 4 && where.offset == 0) content = 0;
    std::memcpy(reinterpret_cast<std::byte*>(&content) + where.offset, bytes.data(), bytes.size());
    registers.set(where.number, content);
    target.set_registers(thread, registers);
}

}  // namespace lantern
