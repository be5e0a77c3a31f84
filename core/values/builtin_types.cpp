#include "core/values/builtin_types.h"

#include <fmt/format.h>

#include <algorithm>

namespace lantern {
namespace {

Type made(TypeKind kind, const char* name, std::uint64_t size, bool is_signed) {
    Type type;
    type.kind = kind;
    type.name = name;
    type.size = size;
    type.is_signed = is_signed;
    return type;
}

Type text_type(const char* name, std::uint64_t size, bool is_signed) {
    Type type = made(TypeKind::character, name, size, is_signed);
    type.is_text = true;
    return type;
}

struct Spelling {
    const char* words;  // sorted
    Type type;
};

const std::vector<Spelling>& spellings() {
    using K = TypeKind;
    static const std::vector<Spelling> all = {
        {"char", made(K::character, "char", 1, true)},
        {"char signed", made(K::character, "signed char", 1, true)},
        {"char unsigned", made(K::character, "unsigned char", 1, false)},
        {"short", made(K::integer, "short", 2, true)},
        {"short unsigned", made(K::integer, "unsigned short", 2, false)},
        {"int", made(K::integer, "int", 4, true)},
        {"unsigned", made(K::integer, "unsigned int", 4, false)},
        {"long", made(K::integer, "long", 8, true)},
        {"long unsigned", made(K::integer, "unsigned long", 8, false)},
        {"long long", made(K::integer, "long long", 8, true)},
        {"long long unsigned", made(K::integer, "unsigned long long", 8, false)},
        {"__int128", made(K::integer, "__int128", 16, true)},
        {"__int128 unsigned", made(K::integer, "unsigned __int128", 16, false)},
        {"_Float16", made(K::floating, "_Float16", 2, true)},
        {"wchar_t", text_type("wchar_t", 4, true)},
        {"char8_t", text_type("char8_t", 1, false)},
        {"char16_t", text_type("char16_t", 2, false)},
        {"char32_t", text_type("char32_t", 4, false)},
        {"float", made(K::floating, "float", 4, true)},
        {"double", made(K::floating, "double", 8, true)},
        {"double long", made(K::floating, "long double", 16, true)},
        {"_Bool", made(K::boolean, "_Bool", 1, false)},
        {"bool", made(K::boolean, "bool", 1, false)},
        {"void", made(K::nothing, "void", 0, false)},
    };
    return all;
}

const Type& spelled(const char* words) {
    for (const Spelling& spelling : spellings())
        if (std::string_view(spelling.words) == words) return spelling.type;
    return void_type();
}

}  // namespace

const Type& int_type() {
    static const Type& type = spelled("int");
    return type;
}
const Type& unsigned_type() {
    static const Type& type = spelled("unsigned");
    return type;
}
const Type& long_type() {
    static const Type& type = spelled("long");
    return type;
}
const Type& unsigned_long_type() {
    static const Type& type = spelled("long unsigned");
    return type;
}
const Type& char_type() {
    static const Type& type = spelled("char");
    return type;
}
const Type& double_type() {
    static const Type& type = spelled("double");
    return type;
}
const Type& bool_type() {
    static const Type& type = spelled("bool");
    return type;
}

const Type* base_type_from_words(std::vector<std::string> words) {
    auto drop = [&](const char* word) { return std::erase(words, word) != 0; };
    drop("const");
    drop("volatile");
    bool was_signed = false;
    if (std::find(words.begin(), words.end(), "char") == words.end()) was_signed = drop("signed");
    if (words.size() > 1 || was_signed) {
        bool sized = std::any_of(words.begin(), words.end(), [](const std::string& w) {
            return w == "short" || w == "long" || w == "unsigned";
        });
        if (sized) drop("int");
    }
    if (words.empty() && was_signed) words.push_back("int");
    std::sort(words.begin(), words.end());
    std::string joined;
    for (const std::string& word : words) joined += (joined.empty() ? "" : " ") + word;
    for (const Spelling& spelling : spellings())
        if (joined == spelling.words) return &spelling.type;
    return nullptr;
}

const Type* rust_base_type(std::string_view word) {
    using K = TypeKind;
    static const std::vector<Type> all = [] {
        std::vector<Type> types = {
            made(K::integer, "i8", 1, true),     made(K::integer, "i16", 2, true),
            made(K::integer, "i32", 4, true),    made(K::integer, "i64", 8, true),
            made(K::integer, "i128", 16, true),  made(K::integer, "isize", 8, true),
            made(K::integer, "u8", 1, false),    made(K::integer, "u16", 2, false),
            made(K::integer, "u32", 4, false),   made(K::integer, "u64", 8, false),
            made(K::integer, "u128", 16, false), made(K::integer, "usize", 8, false),
            made(K::floating, "f32", 4, true),   made(K::floating, "f64", 8, true),
            text_type("char", 4, false),         made(K::boolean, "bool", 1, false)};
        for (Type& type : types) type.is_rust = true;
        return types;
    }();
    for (const Type& type : all)
        if (type.name == word) return &type;
    return nullptr;
}

namespace {

const Type& leading_to(const Type& target, TypeKind kind, const char* recipe) {
    return target.derived.get(recipe, [&] {
        Type type = made(kind, "", 8, false);
        type.target = &target;
        return type;
    });
}

}  // namespace

const Type& pointer_to(const Type& target) {
    return leading_to(target, TypeKind::pointer, "pointer");
}
const Type& reference_to(const Type& target) {
    return leading_to(target, TypeKind::reference, "reference");
}

const Type& array_of(const Type& element, std::uint64_t count) {
    return element.derived.get(fmt::format("array {}", count), [&] {
        Type type = made(TypeKind::array, "", element.size * count, false);
        type.target = &element;
        type.count = count;
        return type;
    });
}

const Type& function_of(const Type& returned, const std::vector<const Type*>& parameters) {
    std::string recipe = "function";
    for (const Type* parameter : parameters) recipe += fmt::format(" {}", fmt::ptr(parameter));
    return returned.derived.get(recipe, [&] {
        Type type = made(TypeKind::function, "", 0, false);
        type.target = &returned;
        type.parameters = parameters;
        return type;
    });
}

const Type& rust_structure_of(const std::string& name,
                              const std::vector<std::pair<std::string, const Type*>>& members) {
    std::string recipe = "structure " + name;
    for (const auto& [field, type] : members)
        recipe += fmt::format(" {} {}", field, fmt::ptr(type));
    const Type& owner = members.empty() ? void_type() : *members.front().second;
    return owner.derived.get(recipe, [&] {
        Type made_of = made(TypeKind::structure, name.c_str(), 0, false);
        made_of.is_rust = true;
        made_of.read_full_name = name;
        made_of.read_variants.emplace();
        made_of.read_members.emplace();
        for (const auto& [field, type] : members) {
            Member member;
            member.name = field;
            member.type = type;
            member.offset = made_of.size;
            made_of.read_members->push_back(member);
            made_of.size += plain(*type).size;
        }
        return made_of;
    });
}

const Type& rust_enum_of(const std::string& name, const std::string& its_case,
                         const Type& content) {
    return content.derived.get("enum " + name + " " + its_case, [&] {
        Type holder = made(TypeKind::structure, name.c_str(), content.size, false);
        holder.is_rust = true;
        holder.read_full_name = name;
        holder.read_members.emplace();
        holder.read_discriminant.emplace();  // it has none
        Member holding;
        holding.name = its_case;
        holding.type = &content;
        holder.read_variants = std::vector<Variant>{{its_case, std::nullopt, true, 0, {holding}}};
        return holder;
    });
}

}  // namespace lantern
