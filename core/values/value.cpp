#include "core/values/value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "core/support/error.h"
#include "core/support/wide.h"

namespace lantern {

Value value_in_memory(const Type& type, RunAddress address) {
    Value value;
    value.type = &type;
    value.address = address;
    return value;
}

Value value_of_bytes(const Type& type, std::vector<std::byte> bytes) {
    Value value;
    value.type = &type;
    value.bytes = std::move(bytes);
    return value;
}

Value value_of_integer(const Type& type, std::uint64_t number) {
    std::vector<std::byte> bytes(plain(type).size);
    std::memcpy(bytes.data(), &number, std::min<std::size_t>(bytes.size(), sizeof number));
    return value_of_bytes(type, std::move(bytes));
}

Value value_of_floating(const Type& type, long double number) {
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
    return value_of_bytes(type, std::move(bytes));
}

Value unavailable_value(const Type& type, std::string reason) {
    Value value;
    value.type = &type;
    value.unavailable = std::move(reason);
    return value;
}

namespace {

void require_available(const Value& value) {
    if (!value.is_available()) throw RequestError(fmt::format("there is no value: {}", value.unavailable));
}

// The bits of a bit-field as a number, not yet extended.
std::uint64_t bits_of(const std::vector<std::byte>& bytes, std::uint64_t bit_offset, std::uint64_t bit_size) {
    Wide raw = 0;
    std::memcpy(&raw, bytes.data(), std::min<std::size_t>(bytes.size(), 16));
    std::uint64_t shifted = static_cast<std::uint64_t>(raw >> bit_offset);
    return bit_size >= 64 ? shifted : shifted & ((std::uint64_t{1} << bit_size) - 1);
}

std::uint64_t extend(std::uint64_t number, std::uint64_t bits, bool is_signed) {
    if (bits >= 64) return number;
    std::uint64_t mask = (std::uint64_t{1} << bits) - 1;
    number &= mask;
    if (is_signed && (number >> (bits - 1) & 1)) number |= ~mask;
    return number;
}

}  // namespace

std::vector<std::byte> ValueReader::content(const Value& value, std::uint64_t most) const {
    require_available(value);
    std::uint64_t size = value.is_bit_field() ? (value.bit_offset + value.bit_size + 7) / 8 : plain(*value.type).size;
    size = std::min(size, most);
    if (!value.address) {
        std::vector<std::byte> bytes = value.bytes;
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
    if (offset + size > whole.bytes.size()) return unavailable_value(type, "it lies outside of what is kept");
    for (const Value::Gap& gap : whole.gaps) {
        std::uint64_t low = std::max(gap.offset, offset), high = std::min(gap.offset + gap.size, offset + size);
        if (low >= high) continue;
        if (!is_aggregate(type) || high - low == size) return unavailable_value(type, "the compiler keeps this part nowhere at this point");
        part.gaps.push_back({low - offset, high - low});
    }
    auto first = whole.bytes.begin() + static_cast<std::ptrdiff_t>(offset);
    part.bytes.assign(first, first + static_cast<std::ptrdiff_t>(size));
    if (whole.in_register) {
        part.in_register = whole.in_register;
        part.in_register->offset += static_cast<unsigned>(offset);
    }
    return part;
}

}  // namespace

Value ValueReader::member(const Value& structure, const Member& member) const {
    if (!structure.is_available()) return unavailable_value(*member.type, structure.unavailable);
    std::uint64_t size = member.bit_size ? (member.bit_offset % 8 + member.bit_size + 7) / 8 : plain(*member.type).size;
    Value result = part_of(structure, *member.type, member.offset, size);
    result.bit_size = member.bit_size;
    result.bit_offset = member.bit_size ? member.bit_offset - member.offset * 8 : 0;
    return result;
}

Value ValueReader::element(const Value& base, std::int64_t index) const {
    const Type& type = plain(*base.type);
    const Type& element = target_of(type);
    std::uint64_t size = plain(element).size;
    if (type.kind == TypeKind::pointer || base.address) {
        RunAddress start = pointed_at(base);
        return value_in_memory(element, RunAddress(start.value + static_cast<std::uint64_t>(index) * size));
    }
    std::uint64_t offset = static_cast<std::uint64_t>(index) * size;
    if (index < 0 || offset + size > base.bytes.size())
        return unavailable_value(element, fmt::format("index {} lies outside of the array", index));
    return part_of(base, element, offset, size);
}

Value ValueReader::dereference(const Value& pointer) const {
    return value_in_memory(target_of(plain(*pointer.type)), pointed_at(pointer));
}

RunAddress ValueReader::pointed_at(const Value& value) const {
    const Type& type = plain(*value.type);
    if (type.kind == TypeKind::array || type.kind == TypeKind::function) {
        require_available(value);
        if (!value.address) throw RequestError("this value does not live in memory and has no address");
        return *value.address;
    }
    return RunAddress(integer(value));
}

std::uint64_t ValueReader::integer(const Value& value) const {
    const Type& type = plain(*value.type);
    if (type.kind == TypeKind::floating) return static_cast<std::uint64_t>(static_cast<std::int64_t>(floating(value)));
    if (type.kind == TypeKind::array || type.kind == TypeKind::function) return pointed_at(value).value;
    std::vector<std::byte> bytes = content(value);
    if (value.is_bit_field()) return extend(bits_of(bytes, value.bit_offset, value.bit_size), value.bit_size, type.is_signed);
    std::uint64_t number = 0;
    std::memcpy(&number, bytes.data(), std::min<std::size_t>(bytes.size(), 8));
    return extend(number, type.size * 8, type.is_signed);
}

long double ValueReader::floating(const Value& value) const {
    const Type& type = plain(*value.type);
    if (type.kind != TypeKind::floating) {
        std::uint64_t number = integer(value);
        return type.is_signed ? static_cast<long double>(static_cast<std::int64_t>(number)) : static_cast<long double>(number);
    }
    std::vector<std::byte> bytes = content(value);
    if (bytes.size() == 4) {
        float f;
        std::memcpy(&f, bytes.data(), 4);
        return f;
    }
    if (bytes.size() == 8) {
        double d;
        std::memcpy(&d, bytes.data(), 8);
        return d;
    }
    long double extended = 0;
    std::memcpy(&extended, bytes.data(), std::min<std::size_t>(bytes.size(), 10));
    return extended;
}

bool ValueReader::truth(const Value& value) const {
    if (plain(*value.type).kind == TypeKind::floating) return floating(value) != 0;
    return integer(value) != 0;
}

ValueReader::Text ValueReader::text_at(RunAddress address, std::size_t most) const {
    Text text;
    std::vector<std::byte> bytes(most);
    bytes.resize(target_.read_available(address, bytes));
    text.readable = !bytes.empty();
    const char* start = reinterpret_cast<const char*>(bytes.data());
    std::size_t length = strnlen(start, bytes.size());
    text.ended = length < bytes.size();
    text.bytes.assign(start, length);
    return text;
}

void ValueReader::write(const Value& place, ByteSpan bytes) const {
    require_available(place);
    std::vector<std::byte> final(bytes.begin(), bytes.end());
    if (place.is_bit_field()) {
        // Read, change the field's bits, write back: the neighbours in the same bytes stay.
        std::vector<std::byte> around = content(place);
        std::uint64_t number = 0;
        std::memcpy(&number, bytes.data(), std::min<std::size_t>(bytes.size(), 8));
        Wide raw = 0;
        std::memcpy(&raw, around.data(), std::min<std::size_t>(around.size(), 16));
        Wide mask = ((static_cast<Wide>(1) << place.bit_size) - 1) << place.bit_offset;
        raw = (raw & ~mask) | ((static_cast<Wide>(number) << place.bit_offset) & mask);
        final.resize(around.size());
        std::memcpy(final.data(), &raw, final.size());
    }
    if (place.address) {
        target_.write_memory(*place.address, final);
        return;
    }
    throw RequestError("this value lives neither in memory nor in a register that can be written");
}

}  // namespace lantern
