// A typed value: where it lives, or the bytes it has. Memory is read when the content is asked for,
// not before.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/support/wide.h"
#include "core/symbols/type.h"
#include "core/target/target.h"
#include "core/values/small_bytes.h"

namespace lantern {

struct RegisterPlace {
    unsigned number = 0;  // DWARF number
    unsigned offset = 0;  // bytes into the register
    unsigned frame_level = 0;
};

struct Value {
    const Type* type = &void_type();
    std::optional<RunAddress> address;  // it lives in memory
    std::optional<RegisterPlace> in_register;
    SmallBytes bytes;  // its content when it does not live in memory
    std::uint64_t bit_offset = 0,
                  bit_size = 0;  // a bit-field: bits from its first byte; size 0: none
    std::int64_t first_index =
        0;  // of an array that is a part of another: what its first element is called
    std::string unavailable;  // not empty: there is no value, and this says why
    // Bytes that the compiler keeps nowhere, of a value that lives in several places.
    struct Gap {
        std::uint64_t offset, size;
    };
    std::vector<Gap> gaps;
    // Of a pointer that the compiler removed: what it would point at (DWARF 5 §2.6.1.1.4), and how
    // far into it.
    std::shared_ptr<const Value> removed_target;
    std::int64_t removed_offset = 0;

    bool is_available() const { return unavailable.empty(); }
    bool is_bit_field() const { return bit_size != 0; }
};

Value value_in_memory(const Type& type, RunAddress address);
Value value_of_bytes(const Type& type, ByteSpan bytes);
Value value_of_integer(const Type& type, Wide number);  // its low bytes
Wide number_as(const Type& type,
               Wide number);  // cut to the type's size, and extended again by its sign
Value value_of_floating(const Type& type, long double number);
Value unavailable_value(const Type& type, std::string reason);
// Of the two floating types of 16 bytes: the one of IEEE 754, not the processor's 80 bits. gcc and
// clang describe both alike but for the name.
bool is_quadruple(const Type& floating);

// Reads values out of a target. Throws MemoryError for addresses that cannot be read, RequestError
// for a value that is not available.
class ValueReader {
  public:
    explicit ValueReader(Target& target) : target_(target) {}
    Target& target() const { return target_; }

    // The value's bytes, `most` of them at most.
    std::vector<std::byte> content(const Value& value, std::uint64_t most = 1 << 20) const;
    Value member(const Value& structure, const Member& member) const;
    // By name; those of anonymous structures and of base classes count as the outer one's own.
    // Nothing if there is none.
    std::optional<Value> member_named(const Value& structure, std::string_view name) const;
    Value element(const Value& array_or_pointer, std::int64_t index) const;
    Value dereference(const Value& pointer) const;
    // Of a pointer to letters that is kept nowhere, to a constant text that is known: that, quoted.
    std::optional<std::string> text_of_removed(const Value& pointer) const;

    // Scalars as numbers. Integers are extended by their sign; a pointer is its address.
    std::uint64_t integer(const Value& value) const;
    Wide wide(const Value& value) const;  // the same for up to 16 bytes
    long double floating(const Value& value) const;
    bool truth(const Value& value) const;
    RunAddress pointed_at(const Value& pointer) const;  // for an array: its own address

    // Text from memory up to a terminator; `ended` says whether one was found within `most` bytes.
    struct Text {
        std::string bytes;
        bool ended = false, readable = false;
        bool cut_by_memory = false;  // no terminator, and what follows cannot be read
    };
    Text text_at(RunAddress address, std::size_t most) const;

    void write(const Value& place,
               ByteSpan bytes) const;  // of the place's size; bit-fields keep their neighbours

  private:
    Value virtual_base(const Value& structure, const Member& member) const;

    Target& target_;
};

// What a floating type of this size and name holds; 2 bytes: half precision or, by name, its
// 8-bit-exponent sister.
long double floating_of_bytes(ByteSpan bytes, const Type& type);
// Bytes a value of this type is aligned to when the debug information does not say.
std::uint64_t alignment_of(const Type& type);

}  // namespace lantern
