#include "core/values/variable_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "core/support/error.h"
#include "core/unwind/frame_context.h"

namespace lantern {
namespace {

std::vector<std::byte> bytes_of_number(std::uint64_t number, std::uint64_t size) {
    std::vector<std::byte> bytes(size);
    std::memcpy(bytes.data(), &number, std::min<std::size_t>(size, sizeof number));
    return bytes;
}

// The bytes of a register in a frame; nothing if the frame does not know it. Vector registers are known only where
// no function has been called since.
std::optional<std::vector<std::byte>> register_bytes(Target& target, ThreadId thread, const Frame& frame, unsigned number) {
    if (auto value = frame.registers.get(number)) return bytes_of_number(*value, 8);
    bool innermost = frame.registers.stack_pointer() == target.registers(thread).stack_pointer();
    if (!innermost) return std::nullopt;
    auto bytes = target.vector_registers(thread).bytes(number);
    if (bytes.empty()) return std::nullopt;
    return std::vector<std::byte>(bytes.begin(), bytes.end());
}

Value simple(Target& target, ThreadId thread, const Frame& frame, const Type& type, const dwarf::LocationPiece& piece) {
    using Kind = dwarf::LocationPiece::Kind;
    switch (piece.kind) {
        case Kind::memory: return value_in_memory(type, RunAddress(piece.number));
        case Kind::value: return value_of_bytes(type, bytes_of_number(piece.number, plain(type).size));
        case Kind::bytes: return value_of_bytes(type, {piece.bytes.begin(), piece.bytes.end()});
        case Kind::in_register: {
            auto bytes = register_bytes(target, thread, frame, static_cast<unsigned>(piece.number));
            if (!bytes) {
                return unavailable_value(type, fmt::format("it was in {}, which the functions called since did not keep",
                                                           register_name(static_cast<unsigned>(piece.number))));
            }
            if (bytes->size() < plain(type).size) return unavailable_value(type, "it does not fit the register it is said to be in");
            bytes->resize(std::max<std::uint64_t>(plain(type).size, 1));
            Value value = value_of_bytes(type, std::move(*bytes));
            value.in_register = RegisterPlace{static_cast<unsigned>(piece.number), 0, frame.level};
            return value;
        }
        case Kind::missing: break;
    }
    return unavailable_value(type, "the compiler keeps it nowhere at this point");
}

Value assembled(Target& target, ThreadId thread, const Frame& frame, const Type& type,
                const std::vector<dwarf::LocationPiece>& pieces) {
    std::vector<std::byte> bytes(plain(type).size);
    Value result = value_of_bytes(type, {});
    std::uint64_t at = 0;
    for (const dwarf::LocationPiece& piece : pieces) {
        std::uint64_t size = (piece.bit_size + 7) / 8;
        if (at >= bytes.size()) break;
        size = std::min<std::uint64_t>(size, bytes.size() - at);
        Type part;
        part.kind = TypeKind::integer;
        part.size = size;
        Value value = simple(target, thread, frame, part, piece);
        bool known = value.is_available();
        if (known) {
            try {
                auto content = ValueReader(target).content(value);
                std::memcpy(bytes.data() + at, content.data(), std::min<std::size_t>(size, content.size()));
            } catch (const MemoryError&) {
                known = false;
            }
        }
        if (!known) result.gaps.push_back({at, size});
        at += size;
    }
    if (at < bytes.size()) result.gaps.push_back({at, bytes.size() - at});
    bool nothing = !result.gaps.empty() && result.gaps.front().offset == 0 && result.gaps.front().size == bytes.size();
    if (nothing) return unavailable_value(type, "the compiler keeps it nowhere at this point");
    result.bytes = std::move(bytes);
    if (!result.gaps.empty() && is_scalar(type)) return unavailable_value(type, "the compiler keeps only a part of it at this point");
    return result;
}

std::string why_no_location(const Variable& variable, const Frame& frame) {
    if (variable.locations.empty()) return "the compiler removed it: it has no place anywhere";
    const dwarf::LocationRange* next = nullptr;
    FileAddress pc = frame.file_address();
    for (const dwarf::LocationRange& location : variable.locations) {
        if (!location.range || location.expression.empty()) continue;
        if (location.range->low > pc && (!next || location.range->low < next->range->low)) next = &location;
    }
    if (next && frame.module) {
        if (auto line = frame.module->symbols().line_at(next->range->low))
            return fmt::format("the compiler keeps it nowhere at this point; it has a place again from line {}", line->line);
    }
    for (const dwarf::LocationRange& location : variable.locations) {
        if (!location.range || location.expression.empty() || !frame.module) continue;
        if (auto line = frame.module->symbols().line_at(location.range->low))
            return fmt::format("the compiler keeps it nowhere at this point; it had a place from line {}", line->line);
    }
    return "the compiler keeps it nowhere at this point";
}

}  // namespace

Value value_of_variable(Target& target, ThreadId thread, const Frame& frame, const Variable& variable) {
    const Type& type = *variable.type;
    try {
        auto expression = dwarf::expression_at(variable.locations, frame.file_address());
        if (!expression || expression->empty()) {
            if (variable.constant) {
                const dwarf::FormValue& constant = *variable.constant;
                if (constant.form_class == dwarf::FormClass::block) return value_of_bytes(type, {constant.block.begin(), constant.block.end()});
                if (constant.form_class == dwarf::FormClass::string) {
                    auto text = std::as_bytes(std::span(constant.text.data(), constant.text.size()));
                    return value_of_bytes(type, {text.begin(), text.end()});
                }
                return value_of_bytes(type, bytes_of_number(constant.number, plain(type).size));
            }
            return unavailable_value(type, why_no_location(variable, frame));
        }
        FrameContext context(target, frame);
        dwarf::Location location = dwarf::evaluate_location(*expression, variable.unit, context);
        if (location.pieces.empty())
            return unavailable_value(type, location.reason.empty() ? "the compiler keeps it nowhere at this point" : location.reason);
        if (location.pieces.size() == 1 && location.pieces[0].bit_size == 0) return simple(target, thread, frame, type, location.pieces[0]);
        return assembled(target, thread, frame, type, location.pieces);
    } catch (const Error& error) {
        return unavailable_value(type, error.what());
    }
}

Value value_of_register(Target& target, ThreadId thread, const Frame& frame, const RegisterName& name, const Type& type) {
    auto bytes = register_bytes(target, thread, frame, name.dwarf_number);
    if (!bytes)
        return unavailable_value(type, fmt::format("{} is not known in frame {}: the functions called since did not keep it",
                                                   register_name(name.dwarf_number), frame.level));
    auto first = bytes->begin() + name.offset;
    Value value = value_of_bytes(type, {first, first + std::min<std::ptrdiff_t>(name.size, bytes->end() - first)});
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
        throw RequestError(fmt::format("{} belongs to frame {}, where it is only what unwinding recovered", name, where.frame_level),
                           "go to frame 0, or change a value that lives in memory");
    Registers registers = target.registers(thread);
    auto old = registers.get(where.number);
    if (!old || place.is_bit_field()) throw RequestError(fmt::format("{} cannot be written yet", name));
    std::uint64_t content = *old;
    if (where.offset + bytes.size() > sizeof content) throw RequestError(fmt::format("the value does not fit {}", name));
    // Writing 32 bits of a register clears the upper half, as the processor does (Intel SDM 1, §3.4.1.1).
    if (bytes.size() == 4 && where.offset == 0) content = 0;
    std::memcpy(reinterpret_cast<std::byte*>(&content) + where.offset, bytes.data(), bytes.size());
    registers.set(where.number, content);
    target.set_registers(thread, registers);
}

}  // namespace lantern
