// Types as the program declared them. A Type is owned by its TypeTable and stays where it is; members are read when
// first asked for, so that one pointer does not pull in a whole program's types.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace lantern {

struct Type;

struct Member {
    std::string name;  // empty for an anonymous struct or union
    const Type* type = nullptr;
    std::uint64_t offset = 0;      // bytes from the start of the structure
    std::uint64_t bit_size = 0;    // 0: not a bit-field
    std::uint64_t bit_offset = 0;  // of a bit-field: bits from the start of the structure
    bool is_base_class = false;
    bool is_virtual_base = false;          // its offset is found through the vtable, not here
    std::optional<std::int64_t> constant;  // of a static member that is one
};

// One alternative of a Rust enum: which fields it has, and the discriminant that tells it (DWARF 5 §5.7.10).
struct Variant {
    std::string name;
    std::optional<std::int64_t> discriminant;
    bool is_default = false;  // the one where no other's discriminant holds
    std::vector<Member> members;
};

struct Enumerator {
    std::string name;
    std::int64_t value = 0;
};

enum class TypeKind {
    nothing, boolean, integer, character, floating, complex, pointer, reference, array, structure, union_, enumeration,
    function, alias, qualified, unknown,
};

struct Type {
    TypeKind kind = TypeKind::unknown;
    std::string name;        // with its keyword in C: "struct barge"; empty for an anonymous type
    std::uint64_t size = 0;  // bytes; 0 for void, functions and incomplete types
    bool is_signed = false;
    bool is_vector = false;      // an array the processor computes on at once
    bool is_incomplete = false;  // declared, not defined
    bool is_variadic = false;
    std::string qualifier;                // of `qualified`: "const", "volatile" …
    const Type* target = nullptr;         // pointee, element, alias of, qualified, returned; null is void
    std::optional<std::uint64_t> count;   // elements of an array; nothing: not known
    std::vector<const Type*> parameters;  // of a function
    std::vector<Enumerator> enumerators;
    std::string declared_in;  // source file, as the compiler recorded it
    std::uint32_t declared_at = 0;

    const std::vector<Member>& members() const;

    // Filled by TypeTable.
    const class TypeTable* table = nullptr;
    std::uint64_t entry_offset = 0;
    mutable std::optional<std::vector<Member>> read_members;
};

// The type behind aliases and qualifiers; never null.
const Type& plain(const Type& type);
// What a pointer, reference, array, alias or function leads to; void for null.
const Type& target_of(const Type& type);
const Type& void_type();

// As a C declaration without a name: "struct barge *", "int [4]", "int (*)(const char *)".
std::string type_text(const Type& type);

bool is_scalar(const Type& type);     // numbers, booleans, characters, enumerations, pointers
bool is_character(const Type& type);  // one byte of text
bool is_character_array(const Type& type);
bool is_aggregate(const Type& type);  // structure, union, array

}  // namespace lantern
