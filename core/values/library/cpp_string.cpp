// std::string and its kin of wider characters, std::string_view, std::filesystem::path.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/builtin_types.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

struct Held {
    RunAddress start;
    std::uint64_t length = 0;
    std::optional<std::uint64_t> capacity;
};

// clang's library: the lowest bit of the first byte tells a long text from one that is held in
// place.
Held held_in_place_or_long(const ValueReader& reader, const Value& value, unsigned unit) {
    Value held = part_at(reader, value, "__r_");
    auto bytes = reader.content(held);
    if (bytes.size() != 24 || !held.address)
        throw BrokenValue("it is not laid out as this library's strings are");
    std::uint8_t first = static_cast<std::uint8_t>(bytes[0]);
    if (!(first & 1))
        return {*held.address + unit, static_cast<std::uint64_t>(first >> 1),
                (24 - 1) / unit - (unit == 1 ? 1 : 0)};
    std::uint64_t words[3];
    std::memcpy(words, bytes.data(), sizeof words);
    return {RunAddress(words[2]), words[1], (words[0] & ~std::uint64_t{1}) - 1};
}

// gnu's library, of which the program's own debug information only says that there is such a type:
// its layout is known all the same.
bool is_known_by_name(const Type& type) {
    return type.is_incomplete && type.full_name().starts_with("std::__cxx11::basic_string<");
}

unsigned unit_by_name(const Type& type) {
    const std::string& name = type.full_name();
    auto is_of = [&](std::string_view letter) {
        return name.find("basic_string<" + std::string(letter) + ",") != std::string::npos;
    };
    return is_of("char") || is_of("char8_t")       ? 1
           : is_of("char16_t")                     ? 2
           : is_of("wchar_t") || is_of("char32_t") ? 4
                                                   : 0;
}

// A pointer, the length, and 16 bytes for a short text or the room of a long one.
Held held_by_name(const ValueReader& reader, const Value& value, unsigned unit) {
    if (!value.address) throw BrokenValue("it does not live in memory");
    auto word = [&](unsigned number) {
        return reader.target().read<std::uint64_t>(*value.address + number * 8);
    };
    bool in_place = word(0) == value.address->value + 16;
    return {RunAddress(word(0)), word(1), in_place ? 16 / unit - 1 : word(2)};
}

class StringView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::basic_string", "std::basic_string_view", "std::filesystem::path"};
    }
    bool fits(const Type& type) const override {
        if (is_known_by_name(type)) return unit_by_name(type) != 0;
        return !first_path(type, {"_M_dataplus._M_p", "_M_str", "__r_", "__data_", "__data",
                                  "_M_pathname", "__pn_"})
                    .empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        if (std::string_view inner = first_path(type, {"_M_pathname", "__pn_"}); !inner.empty())
            return meaning(reader, part_at(reader, value, inner));
        unsigned unit = is_known_by_name(type) ? unit_by_name(type)
                                               : static_cast<unsigned>(std::clamp<std::uint64_t>(
                                                     plain(argument(type, 0)).size, 1, 4));
        Held held = find(reader, value, type, unit);
        std::string detail = held.capacity ? room_for(held.length, *held.capacity, "character")
                                           : counted(held.length, "character");
        Meaning meaning = text_meaning(reader, held.start, held.length, unit);
        meaning.detail = std::move(detail);
        return meaning;
    }
    std::optional<Value> element(const ValueReader& reader, const Value& value,
                                 std::uint64_t index) const override {
        const Type& type = plain(*value.type);
        if (type_at_path(type, "_M_pathname") || type_at_path(type, "__pn_")) return std::nullopt;
        const Type& letter = is_known_by_name(type)
                                 ? *base_type_from_words({unit_by_name(type) == 1   ? "char"
                                                          : unit_by_name(type) == 2 ? "char16_t"
                                                                                    : "char32_t"})
                                 : argument(type, 0);
        Held held = find(reader, value, type, static_cast<unsigned>(plain(letter).size));
        return value_in_memory(letter, held.start + index * plain(letter).size);
    }

  private:
    static Held find(const ValueReader& reader, const Value& value, const Type& type,
                     unsigned unit) {
        if (is_known_by_name(type)) return held_by_name(reader, value, unit);
        auto at = [&](std::string_view path) { return number_at(reader, value, path); };
        if (type_at_path(type, "_M_str")) return {RunAddress(at("_M_str")), at("_M_len"), {}};
        if (type_at_path(type, "__r_")) return held_in_place_or_long(reader, value, unit);
        if (type_at_path(type, "__data_")) return {RunAddress(at("__data_")), at("__size_"), {}};
        if (type_at_path(type, "__data")) return {RunAddress(at("__data")), at("__size"), {}};
        RunAddress start(at("_M_dataplus._M_p"));
        if (type_at_path(type, "_M_string_length")) {
            Value local = part_at(reader, value, "_M_local_buf");
            bool in_place = local.address && *local.address == start;
            std::uint64_t capacity = in_place ? 16 / unit - 1 : at("_M_allocated_capacity");
            return {start, at("_M_string_length"), capacity};
        }
        // The older layout keeps length, capacity and count of sharers before the text.
        auto before = [&](unsigned words) {
            return reader.target().read<std::uint64_t>(RunAddress(start.value - words * 8));
        };
        return {start, before(3), before(2)};
    }
};

}  // namespace

const LibraryView& cpp_string_view() {
    static const StringView view;
    return view;
}

}  // namespace lantern
