#include "core/values/register_types.h"

#include "core/support/text.h"
#include "core/values/builtin_types.h"

namespace lantern {
namespace {

const Type& base_type(std::vector<std::string> words) {
    return *base_type_from_words(std::move(words));
}

struct Lane {
    std::string_view word;
    const Type& (*type)();
};
constexpr Lane kLanes[] = {
    {"f64", []() -> const Type& { return double_type(); }},
    {"f32", []() -> const Type& { return base_type({"float"}); }},
    {"i64", []() -> const Type& { return long_type(); }},
    {"i32", []() -> const Type& { return int_type(); }},
    {"i16", []() -> const Type& { return base_type({"short"}); }},
    {"i8",
     []() -> const Type& {
         return base_type({"signed", "char"});
     }},
    {"u64", []() -> const Type& { return unsigned_long_type(); }},
    {"u32", []() -> const Type& { return unsigned_type(); }},
    {"u16",
     []() -> const Type& {
         return base_type({"unsigned", "short"});
     }},
    {"u8",
     []() -> const Type& {
         return base_type({"unsigned", "char"});
     }},
};

}  // namespace

const Type& type_of_register(const RegisterName& name) {
    if (name.dwarf_number >= kFirstStackRegister && name.dwarf_number < kFirstStackRegister + 8)
        return base_type({"long", "double"});
    switch (name.size) {
        case 8: return unsigned_long_type();
        case 4: return unsigned_type();
        case 2: return base_type({"unsigned", "short"});
        case 1: return base_type({"unsigned", "char"});
        default: return array_of(double_type(), name.size / 8);
    }
}

const Type* lanes_of(std::string_view word, std::uint64_t size) {
    for (const Lane& lane : kLanes)
        if (lane.word == word) return &array_of(lane.type(), size / lane.type().size);
    return nullptr;
}

std::string lane_words() {
    std::vector<std::string> words;
    for (const Lane& lane : kLanes) words.emplace_back(lane.word);
    return join_with(words, "and");
}

}  // namespace lantern
