// Numbers, characters, enumerations and pointers as text, in each form that can be asked for.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/values/meaning.h"

namespace lantern {

enum class Form {
    natural,
    hex,
    decimal,
    unsigned_decimal,
    octal,
    binary,
    character,
    string,
    floating,
    bytes,
    pointer,
    instructions
};

// Nothing for an unknown word. The words are those of the interface: "hex", "decimal", "char" …
std::optional<Form> form_named(std::string_view word);
const std::vector<std::string>& form_names();
std::string_view name_of(Form form);

// What lies around a value and is not known down here: who owns an address, and what the user wants
// a type shown as.
class ValueContext {
  public:
    virtual ~ValueContext() = default;
    // "stack of frame 2", "heap"; empty if nothing is known.
    virtual std::string describe(RunAddress address) const = 0;
    // The variable that lies there, and the part of it that a pointer to `pointee` means:
    // "flight[2].level_cm", "one past the end of flows"; empty if none is known.
    virtual std::string object_at(RunAddress address, const Type& pointee) const = 0;
    // Nothing if the user has no view for it. Throws ExpressionError.
    virtual std::optional<Meaning> own_meaning(const ValueReader& reader,
                                               const Value& value) const = 0;
};

// Shortest text that gives the same number again; what is no ordinary number is told: NaN with its
// payload, denormals.
std::string float_text(ByteSpan bytes, const Type& type);
// "1.5 - 2i": the bytes of a complex number, whose type has that name.
std::string complex_text(ByteSpan bytes, std::string_view type_name);
std::string whole_text(Wide number, const Type& type,
                       Form form);  // not for Form::string, bytes, instructions
std::string enumeration_text(const Type& type, std::int64_t number);
// "looks like fill bytes 0xcd"; empty for anything else.
std::string fill_pattern(std::uint64_t number, std::uint64_t size);
std::string hex_bytes(ByteSpan bytes);
// "0x5555… (flight[2])": the address and what is there; `around` may be null.
std::string address_text(const ValueReader& reader, std::uint64_t number, const Type& pointee,
                         const ValueContext* around);
// That, and what it leads to: the text behind a char*, the class an object really is.
std::string pointer_text(const ValueReader& reader, std::uint64_t number, const Type& pointee,
                         unsigned longest_text, const ValueContext* around);
std::string member_pointer_text(const ValueReader& reader, const Value& value);

// Bytes are numbers more often than letters: an array of unsigned char is a text only where it
// holds one, up to its end.
bool is_byte(const Type& type);
bool holds_text(ByteSpan bytes);
// Every byte that matters: escapes, what lies behind the terminator up to the last byte that is not
// zero, and one terminator; "(no terminator)" where there is none. Beyond `longest` it is cut, and
// says of how many bytes: `whole`, of which `bytes` are the first.
std::string character_array_text(ByteSpan bytes, std::size_t longest, std::size_t whole);
inline std::string character_array_text(ByteSpan bytes) {
    return character_array_text(bytes, bytes.size(), bytes.size());
}

}  // namespace lantern
