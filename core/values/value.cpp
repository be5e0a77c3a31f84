#include "core/values/value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/support/error.h"
#include "core/support/text.h"
#include "core/unwind/frame_context.h"

namespace lantern {

Value value_in_memory(const Type& type, RunAddress address) {
    Value value;
    value.type = &type;
    value.address = address;
    return value;
}

Value value_of_bytes(const Type& type, ByteSpan bytes) {
    Value value;
    value.type = &type;
    value.bytes = SmallBytes(bytes);
    return value;
}

Value value_of_integer(const Type& type, Wide number) {
    ByteSpan all = std::as_bytes(std::span(&number, 1));
    std::size_t size = plain(type).size;
    if (size <= all.size()) return value_of_bytes(type, all.first(size));
    std::vector<std::byte> bytes(size);
    std::memcpy(bytes.data(), all.data(), all.size());
    return value_of_bytes(type, bytes);
}

bool is_quadruple(const Type& floating) {
    return floating.size == 16 &&
           (floating.name.find("128") != std::string::npos || floating.is_rust);
}

namespace {

// A small format by its widths (IEEE 754-2019 §3.4), the sign on top.
long double from_format(Wide bits, int exponent_bits, int fraction_bits) {
    Wide fraction_mask = (static_cast<Wide>(1) << fraction_bits) - 1;
    int largest = (1 << exponent_bits) - 1, bias = largest / 2;
    Wide fraction = bits & fraction_mask;
    int exponent = static_cast<int>((bits >> fraction_bits) & static_cast<Wide>(largest));
    bool negative = (bits >> (fraction_bits + exponent_bits)) & 1;
    long double number;
    if (exponent == largest)
        number = fraction ? std::nanl("") : HUGE_VALL;
    else if (exponent == 0)
        number = std::ldexp(static_cast<long double>(fraction), 1 - bias - fraction_bits);
    else
        number =
            std::ldexp(static_cast<long double>(fraction | (static_cast<Wide>(1) << fraction_bits)),
                       exponent - bias - fraction_bits);
    return negative ? -number : number;
}

Wide to_format(long double number, int exponent_bits, int fraction_bits) {
    int largest = (1 << exponent_bits) - 1, bias = largest / 2;
    Wide sign = static_cast<Wide>(std::signbit(number)) << (exponent_bits + fraction_bits);
    Wide infinity = static_cast<Wide>(largest) << fraction_bits;
    if (std::isnan(number)) return sign | infinity | (static_cast<Wide>(1) << (fraction_bits - 1));
    number = std::fabs(number);
    if (number == 0) return sign;
    if (std::isinf(number)) return sign | infinity;
    int exponent;
    std::frexp(number, &exponent);  // number = [0.5, 1) · 2^exponent
    int stored = std::max(exponent - 1 + bias, 0);
    int scale = fraction_bits - (std::max(stored, 1) - bias);
    Wide digits = static_cast<Wide>(std::nearbyint(std::ldexp(number, scale)));
    // A rounding that carries over raises the exponent by itself.
    Wide bits = stored == 0 ? digits : (static_cast<Wide>(stored - 1) << fraction_bits) + digits;
    return sign | std::min(bits, infinity);
}

struct Format {
    int exponent_bits, fraction_bits;
};
std::optional<Format> small_format(const Type& type) {
    if (type.size == 2) return type.name == "__bf16" ? Format{8, 7} : Format{5, 10};
    if (is_quadruple(type)) return Format{15, 112};
    return std::nullopt;
}

}  // namespace

long double floating_of_bytes(ByteSpan bytes, const Type& type) {
    Wide bits = 0;
    std::memcpy(&bits, bytes.data(), std::min<std::size_t>(bytes.size(), sizeof bits));
    if (auto format = small_format(type))
        return from_format(bits, format->exponent_bits, format->fraction_bits);
    float f;
    double d;
    switch (bytes.size()) {
        case 4: std::memcpy(&f, bytes.data(), 4); return f;
        case 8: std::memcpy(&d, bytes.data(), 8); return d;
        default: break;
    }
    long double extended = 0;
    std::memcpy(&extended, bytes.data(), std::min<std::size_t>(bytes.size(), 10));
    return extended;
}

Value value_of_floating(const Type& type, long double number) {
    if (auto format = small_format(plain(type)))
        return value_of_integer(type,
                                to_format(number, format->exponent_bits, format->fraction_bits));
    std::vector<std::byte> bytes(plain(type).size);
    if (bytes.size() == 4) {
        float f = static_cast<float>(number);
        std::memcpy(bytes.data(), &f, 4);
    } else if (bytes.size() == 8) {
        double d = static_cast<double>(number);
        std::memcpy(bytes.data(), &d, 8);
    } else if (bytes.size() == 16) {
        std::memcpy(bytes.data(), &number, 10);
    }
    return value_of_bytes(type, bytes);
}

Value unavailable_value(const Type& type, std::string reason) {
    Value value;
    value.type = &type;
    value.unavailable = std::move(reason);
    return value;
}

namespace {

void require_available(const Value& value) {
    if (!value.is_available()) throw NoValueError(value.unavailable);
}

// The bits of a bit-field as a number, not yet extended.
Wide extend(Wide number, std::uint64_t bits, bool is_signed) {
    if (bits >= 128 || bits == 0) return number;
    Wide mask = (static_cast<Wide>(1) << bits) - 1;
    number &= mask;
    if (is_signed && (number >> (bits - 1) & 1)) number |= ~mask;
    return number;
}

}  // namespace

std::vector<std::byte> ValueReader::content(const Value& value, std::uint64_t most) const {
    require_available(value);
    std::uint64_t size = value.is_bit_field() ? (value.bit_offset + value.bit_size + 7) / 8
                                              : plain(*value.type).size;
    size = std::min(size, most);
    if (!value.address) {
        ByteSpan held = value.bytes.span();
        std::vector<std::byte> bytes(held.begin(), held.end());
        bytes.resize(size);
        return bytes;
    }
    std::vector<std::byte> bytes(size);
    target_.read_memory(*value.address, bytes);
    return bytes;
}

namespace {

// A part of a larger value, with what the compiler does not keep of it.
Value part_of(const Value& whole, const Type& type, std::uint64_t offset, std::uint64_t size) {
    Value part;
    part.type = &type;
    if (whole.address) {
        part.address = *whole.address + offset;
        return part;
    }
    if (offset + size > whole.bytes.size())
        return unavailable_value(type, "it lies outside of what is kept");
    for (const Value::Gap& gap : whole.gaps) {
        std::uint64_t low = std::max(gap.offset, offset),
                      high = std::min(gap.offset + gap.size, offset + size);
        if (low >= high) continue;
        if (!is_aggregate(type) || high - low == size)
            return unavailable_value(type, "the compiler keeps this part nowhere at this point");
        part.gaps.push_back({low - offset, high - low});
    }
    part.bytes = SmallBytes(whole.bytes.span().subspan(offset, size));
    if (whole.in_register) {
        part.in_register = whole.in_register;
        part.in_register->offset += static_cast<unsigned>(offset);
    }
    return part;
}

}  // namespace

Value ValueReader::member(const Value& structure, const Member& member) const {
    if (!structure.is_available()) return unavailable_value(*member.type, structure.unavailable);
    if (!member.offset_expression.empty()) return virtual_base(structure, member);
    std::uint64_t size = member.bit_size ? (member.bit_offset % 8 + member.bit_size + 7) / 8
                                         : plain(*member.type).size;
    Value result = part_of(structure, *member.type, member.offset, size);
    result.bit_size = member.bit_size;
    result.bit_offset = member.bit_size ? member.bit_offset - member.offset * 8 : 0;
    return result;
}

Value ValueReader::virtual_base(const Value& structure, const Member& member) const {
    if (!structure.address)
        return unavailable_value(*member.type,
                                 "a virtual base is found only in an object that lives in memory");
    Frame nowhere;  // the expression asks for the object and for memory only
    FrameContext context(target_, nowhere);
    context.set_object_address(*structure.address);
    try {
        auto address = dwarf::evaluate_number(member.offset_expression, nullptr, context,
                                              structure.address->value);
        if (address) return value_in_memory(*member.type, RunAddress(*address));
    } catch (const Error& error) {
        return unavailable_value(
            *member.type,
            fmt::format("its object's table of virtual bases is damaged: {}", error.what()));
    }
    return unavailable_value(*member.type, "where this virtual base stands is not known");
}

namespace {

std::optional<Value> find_member(const ValueReader& reader, const Value& structure,
                                 std::string_view name, int depth) {
    const auto& members = plain(*structure.type).members();
    for (const Member& member : members)
        if (member.name == name && !member.is_base_class) return reader.member(structure, member);
    if (depth > 20) return std::nullopt;
    for (const Member& member : members) {
        if (!member.name.empty() && !member.is_base_class) continue;
        TypeKind kind = plain(*member.type).kind;
        if (kind != TypeKind::structure && kind != TypeKind::union_) continue;
        if (auto found = find_member(reader, reader.member(structure, member), name, depth + 1))
            return found;
    }
    return std::nullopt;
}

// Of what a pointer leads to that is kept nowhere, so many bytes behind it.
Value removed_part(const Value& pointer, const Type& wanted, std::int64_t behind) {
    const Value& whole = *pointer.removed_target;
    std::int64_t offset = pointer.removed_offset + behind;
    std::uint64_t size = plain(wanted).size;
    if (offset == 0 && plain(*whole.type).size == size) return whole;
    std::uint64_t end = whole.bytes.empty() ? plain(*whole.type).size : whole.bytes.size();
    bool is_inside = whole.is_available() && offset >= 0 &&
                     (behind == 0 || static_cast<std::uint64_t>(offset) + size <= end);
    if (!is_inside) return unavailable_value(wanted, "what it points at is kept nowhere");
    return part_of(whole, wanted, static_cast<std::uint64_t>(offset), size);
}

}  // namespace

std::optional<Value> ValueReader::member_named(const Value& structure,
                                               std::string_view name) const {
    return find_member(*this, structure, name, 0);
}

Value ValueReader::element(const Value& base, std::int64_t index) const {
    const Type& type = plain(*base.type);
    const Type& element = target_of(type);
    std::uint64_t size = plain(element).size;
    if (base.removed_target)
        return removed_part(base, element, index * static_cast<std::int64_t>(size));
    if (type.kind == TypeKind::pointer || base.address) {
        RunAddress start = pointed_at(base);
        return value_in_memory(element,
                               RunAddress(start.value + static_cast<std::uint64_t>(index) * size));
    }
    std::uint64_t offset = static_cast<std::uint64_t>(index) * size;
    if (index < 0 || offset + size > base.bytes.size())
        return unavailable_value(element, fmt::format("index {} lies outside of the array", index));
    return part_of(base, element, offset, size);
}

Value ValueReader::dereference(const Value& pointer) const {
    const Type& wanted = target_of(plain(*pointer.type));
    return pointer.removed_target ? removed_part(pointer, wanted, 0)
                                  : value_in_memory(wanted, pointed_at(pointer));
}

std::optional<std::string> ValueReader::text_of_removed(const Value& pointer) const {
    const Type& type = plain(*pointer.type);
    bool is_text = type.kind == TypeKind::pointer && type.target && is_character(*type.target) &&
                   pointer.removed_target->is_available() && pointer.removed_offset >= 0 &&
                   pointer.removed_target->bytes.size() > 1;
    if (!is_text) return std::nullopt;
    const auto& bytes = pointer.removed_target->bytes;
    std::string_view all(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    std::size_t begin = static_cast<std::size_t>(pointer.removed_offset);
    std::size_t end = all.find('\0', std::min(begin, all.size()));
    if (end == std::string_view::npos) return std::nullopt;
    return quote(all.substr(begin, end - begin));
}

RunAddress ValueReader::pointed_at(const Value& value) const {
    const Type& type = plain(*value.type);
    if (type.kind == TypeKind::array || type.kind == TypeKind::function) {
        require_available(value);
        if (!value.address)
            throw RequestError("this value does not live in memory and has no address");
        return *value.address;
    }
    return RunAddress(integer(value));
}

std::uint64_t ValueReader::integer(const Value& value) const {
    return static_cast<std::uint64_t>(wide(value));
}

Wide ValueReader::wide(const Value& value) const {
    const Type& type = plain(*value.type);
    if (value.removed_target)
        throw RequestError("this pointer is kept nowhere: only what it points at is known",
                           "look at that with *");
    if (type.kind == TypeKind::floating)
        return static_cast<Wide>(static_cast<SignedWide>(floating(value)));
    if (type.kind == TypeKind::array || type.kind == TypeKind::function)
        return pointed_at(value).value;
    require_available(value);
    std::uint64_t size =
        value.is_bit_field() ? (value.bit_offset + value.bit_size + 7) / 8 : type.size;
    // Conditions are computed very often: the bytes go straight into the number.
    Wide raw = 0;
    std::span<std::byte> bytes =
        std::as_writable_bytes(std::span(&raw, 1)).first(std::min<std::uint64_t>(size, sizeof raw));
    if (value.address)
        target_.read_memory(*value.address, bytes);
    else
        std::memcpy(&raw, value.bytes.data(), std::min(bytes.size(), value.bytes.size()));
    if (value.is_bit_field())
        return extend(value.bit_offset < 128 ? raw >> value.bit_offset : 0, value.bit_size,
                      type.is_signed);
    return extend(raw, type.size * 8, type.is_signed);
}

Wide number_as(const Type& type, Wide number) {
    return extend(number, plain(type).size * 8, plain(type).is_signed);
}

long double ValueReader::floating(const Value& value) const {
    const Type& type = plain(*value.type);
    if (type.kind == TypeKind::floating) return floating_of_bytes(content(value), type);
    Wide number = wide(value);
    return type.is_signed ? static_cast<long double>(static_cast<SignedWide>(number))
                          : static_cast<long double>(number);
}

bool ValueReader::truth(const Value& value) const {
    if (plain(*value.type).kind == TypeKind::floating) return floating(value) != 0;
    return wide(value) != 0;
}

ValueReader::Text ValueReader::text_at(RunAddress address, std::size_t most) const {
    Text text;
    std::vector<std::byte> bytes(most);
    bytes.resize(target_.read_available(address, bytes));
    text.readable = !bytes.empty();
    const char* start = reinterpret_cast<const char*>(bytes.data());
    std::size_t length = strnlen(start, bytes.size());
    text.ended = length < bytes.size();
    text.cut_by_memory = !text.ended && bytes.size() < most;
    text.bytes.assign(start, length);
    return text;
}

void ValueReader::write(const Value& place, ByteSpan bytes) const {
    require_available(place);
    std::vector<std::byte> final(bytes.begin(), bytes.end());
    if (place.is_bit_field()) {
        // Read, change the field's bits, write back: the neighbours in the same bytes stay.
        std::vector<std::byte> around = content(place);
        Wide number = 0;
        std::memcpy(&number, bytes.data(), std::min<std::size_t>(bytes.size(), 16));
        Wide raw = 0;
        std::memcpy(&raw, around.data(), std::min<std::size_t>(around.size(), 16));
        Wide mask = ((static_cast<Wide>(1) << place.bit_size) - 1) << place.bit_offset;
        raw = (raw & ~mask) | ((number << place.bit_offset) & mask);
        final.resize(around.size());
        std::memcpy(final.data(), &raw, final.size());
    }
    if (place.address) {
        target_.write_memory(*place.address, final);
        return;
    }
    throw RequestError("this value lives neither in memory nor in a register that can be written");
}

std::uint64_t alignment_of(const Type& type) {
    const Type& base = plain(type);
    std::uint64_t most = 1;
    switch (base.kind) {
        case TypeKind::array:
            return base.is_vector ? std::max<std::uint64_t>(1, base.size)
                                  : alignment_of(target_of(base));
        case TypeKind::structure:
        case TypeKind::union_:
            for (const Member& member : base.members())
                if (!member.is_virtual_base) most = std::max(most, alignment_of(*member.type));
            for (const Variant& variant : base.variants())
                for (const Member& member : variant.members)
                    most = std::max(most, alignment_of(*member.type));
            return most;
        case TypeKind::complex: return std::max<std::uint64_t>(1, base.size / 2);
        case TypeKind::member_pointer: return 8;
        default: return std::clamp<std::uint64_t>(base.size, 1, 16);
    }
}

}  // namespace lantern
