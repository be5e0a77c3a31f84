// Types as the program declared them. A Type is owned by its TypeTable and stays where it is;
// members are read when first asked for, so that one pointer does not pull in a whole program's
// types.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/dwarf/unit.h"

namespace lantern {

struct Type;

struct Member {
    std::string name;  // empty for an anonymous struct or union
    const Type* type = nullptr;
    std::uint64_t offset = 0;      // bytes from the start of the structure
    std::uint64_t bit_size = 0;    // 0: not a bit-field
    std::uint64_t bit_offset = 0;  // of a bit-field: bits from the start of the structure
    bool is_base_class = false;
    bool is_virtual_base = false;  // its offset is found through the vtable, not here
    bool is_artificial =
        false;  // the compiler's own: the pointer to the table of virtual functions
    ByteSpan offset_expression;  // computes the address from the object's (DWARF 5 §5.7.6); empty:
                                 // `offset` holds
    std::optional<std::int64_t> constant;  // of a static member that is one
};

// One alternative of a Rust enum: which fields it has, and the discriminant that tells it (DWARF 5
// §5.7.10).
struct Variant {
    std::string name;
    std::optional<std::int64_t> discriminant;
    bool is_default = false;  // the one where no other's discriminant holds
    std::uint32_t line = 0;   // of the source, where it says one: where an async function waits
    std::vector<Member> members;
};

// What a template or generic type was made for (DWARF 5 §2.23).
struct TemplateArgument {
    std::string name;
    const Type* type = nullptr;         // the argument, or the type of the value
    std::optional<std::int64_t> value;  // of an argument that is a value
};

// The length of an array that is known at run time only (DWARF 5 §5.5, §5.13).
struct DynamicLength {
    dwarf::FormValue value;       // an expression, or the variable that holds it
    bool is_upper_bound = false;  // else a count
    const dwarf::Unit* unit = nullptr;
};

struct Enumerator {
    std::string name;
    std::int64_t value = 0;
};

enum class TypeKind {
    nothing,
    boolean,
    integer,
    character,
    floating,
    complex,
    pointer,
    reference,
    member_pointer,
    array,
    structure,
    union_,
    enumeration,
    function,
    alias,
    qualified,
    unknown,
};

// The types that are made from one by expressions: pointers to it, arrays of it. They end with it,
// and a copy begins without any.
class DerivedTypes {
  public:
    // How the type is made, in words that tell it from all others made from the same one.
    using Recipe = std::string;

    DerivedTypes();
    ~DerivedTypes();
    DerivedTypes(const DerivedTypes&);
    DerivedTypes& operator=(const DerivedTypes&) { return *this; }
    // Made by `make` when it is asked for first.
    template <class Make>
    const Type& get(const Recipe& recipe, Make make) {
        if (const Type* known = find(recipe)) return *known;
        return keep(recipe, make());
    }

  private:
    const Type* find(const Recipe& recipe) const;
    const Type& keep(const Recipe& recipe, Type type);
    struct Kept;
    std::unique_ptr<Kept> kept_;
};

struct Type {
    TypeKind kind = TypeKind::unknown;
    std::string name;        // with its keyword in C: "struct barge"; empty for an anonymous type
    std::uint64_t size = 0;  // bytes; 0 for void, functions and incomplete types
    bool is_signed = false;
    bool is_vector = false;      // an array the processor computes on at once
    bool is_incomplete = false;  // declared, not defined
    bool is_variadic = false;
    bool is_rvalue = false;  // a reference with two marks
    bool is_rust = false;
    bool is_text = false;          // a character of more than a byte: char16_t, char32_t, wchar_t
    std::string qualifier;         // of `qualified`: "const", "volatile" …
    const Type* target = nullptr;  // pointee, element, alias of, qualified, returned; null is void
    const Type* holder =
        nullptr;  // of a pointer to member: the class; of a trait's table: the type it is for
    std::optional<std::uint64_t> count;  // elements of an array; nothing: not known
    std::optional<DynamicLength> dynamic_length;
    std::vector<const Type*> parameters;  // of a function
    std::vector<Enumerator> enumerators;
    std::string declared_in;  // source file, as the compiler recorded it
    std::uint32_t declared_at = 0;

    // All read when first asked for, and kept.
    const std::vector<Member>& members() const;
    const std::vector<TemplateArgument>& arguments() const;
    const std::vector<Variant>& variants() const;
    const std::optional<Member>& discriminant() const;
    // As a parameter and returned: a class that is copied or ended by code of its own (Itanium C++
    // ABI §3.1.1).
    bool is_passed_by_reference() const;
    const std::string& full_name() const;  // with the namespaces and classes it stands in

    // Filled by TypeTable.
    const class TypeTable* table = nullptr;
    std::uint64_t entry_offset = 0;
    mutable std::optional<std::vector<Member>> read_members;
    mutable std::optional<std::vector<TemplateArgument>> read_arguments;
    mutable std::optional<std::vector<Variant>> read_variants;
    mutable std::optional<std::optional<Member>> read_discriminant;
    mutable std::optional<bool> read_by_reference;
    mutable std::optional<std::string> read_full_name;
    mutable std::optional<const class LibraryView*> known_view;  // see library_view
    mutable DerivedTypes derived;
};

const Type& behind_names(const Type& type);
// The type behind aliases and qualifiers. Asked for at every step of an expression, hence here.
inline const Type& plain(const Type& type) {
    return type.kind == TypeKind::alias || type.kind == TypeKind::qualified ? behind_names(type)
                                                                            : type;
}
// What a pointer, reference, array, alias or function leads to; void for null.
const Type& target_of(const Type& type);
const Type& void_type();

// As a C declaration without a name: "struct barge *", "int [4]", "int (*)(const char *)"; names
// are those of readable_type_name.
std::string type_text(const Type& type);

// "std::__cxx11::basic_string<char, …>" → "std::string", "std::vector<int, std::allocator<int> >" →
// "std::vector<int>", "alloc::vec::Vec<i32, alloc::alloc::Global>" → "Vec<i32>": without what the
// library adds by itself.
std::string readable_type_name(std::string_view full_name, bool is_rust);
// The same for two spellings of one type: without spaces, with one word for what has no name, and
// without the suffixes of numbers.
std::string comparable_type_name(std::string_view full_name, bool is_rust);
// "char const*, long unsigned int" → "const char*,unsignedlong": the same for whatever people,
// compilers and demanglers write of the parameters between a function's brackets.
std::string comparable_parameters(std::string_view between_brackets);
// "std::map" of "std::__debug::map<…>", "alloc::vec::Vec": without arguments and the library's
// inner namespaces.
std::string family_name(std::string_view full_name);

inline bool is_rust_reference(const Type& type) {
    return type.is_rust && type.kind == TypeKind::pointer && type.name.starts_with("&");
}
bool is_scalar(const Type& type);     // numbers, booleans, characters, enumerations, pointers
bool is_character(const Type& type);  // one byte of text
bool is_character_array(const Type& type);
bool is_wide_letter(const Type& type);  // of more bytes than one: char16_t, char32_t, wchar_t; in C
                                        // by the names of its aliases
bool is_aggregate(const Type& type);    // structure, union, array

}  // namespace lantern
