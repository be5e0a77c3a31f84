// std::unordered_map, std::unordered_set and their multi forms: one chain through all elements.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class HashView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::unordered_map", "std::unordered_multimap", "std::unordered_set",
                "std::unordered_multiset"};
    }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_h._M_before_begin._M_nxt", "__table_.__p1_"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        bool gnu = type_at_path(type, "_M_h") != nullptr;
        std::string family = family_name(type.full_name());
        bool is_map = family.ends_with("map");
        const Type& element = argument(*type_at_path(type, gnu ? "_M_h" : "__table_"), gnu ? 1 : 0);
        RunAddress first(
            number_at(reader, value,
                      gnu ? "_M_h._M_before_begin._M_nxt" : "__table_.__p1_.__value_.__next_"));
        std::uint64_t count =
            number_at(reader, value, gnu ? "_M_h._M_element_count" : "__table_.__p2_.__value_");
        // gnu: next, then the value; clang: next, hash, then the value
        std::uint64_t offset = rounded_up(gnu ? 8 : 16, alignment_of(element));
        Meaning meaning;
        meaning.arrangement = is_map ? Arrangement::pairs : Arrangement::elements;
        meaning.count = count;
        meaning.detail = counted_elements(count);
        if (gnu)
            meaning.detail += fmt::format(
                " in {}", counted(number_at(reader, value, "_M_h._M_bucket_count"), "bucket"));
        if (!count) meaning.text = "empty";
        meaning.next = [&reader, &element, count, offset, is_map, node = first,
                        i = std::uint64_t{0}]() mutable -> std::optional<Part> {
            if (i == count) {
                if (node.value)
                    throw BrokenValue(fmt::format("it claims {} but goes on at {:#x}",
                                                  counted_elements(count), node.value));
                return std::nullopt;
            }
            if (!node.value)
                throw BrokenValue(
                    fmt::format("it claims {} but ends after {}", counted_elements(count), i));
            require_readable(reader, node + offset, "node", i);
            Value each = value_in_memory(element, node + offset);
            node = RunAddress(reader.target().read<std::uint64_t>(node));
            ++i;
            if (!is_map) return Part{{}, each, {}};
            // clang's pairs stand inside of another structure
            Value pair = reader.member_named(each, "__cc").value_or(each);
            return Part{{}, part_at(reader, pair, "second"), part_at(reader, pair, "first"), pair};
        };
        return meaning;
    }
};

}  // namespace

const LibraryView& cpp_hash_view() {
    static const HashView view;
    return view;
}

}  // namespace lantern
