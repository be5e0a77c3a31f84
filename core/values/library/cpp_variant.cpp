// std::variant: one of several types, told by an index.
#include <fmt/format.h>

#include <utility>

#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class VariantView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::variant"}; }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_index", "__impl.__index", "__impl_.__index"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        Value index = part_at(reader, value,
                              first_path(type, {"_M_index", "__impl.__index", "__impl_.__index"}));
        std::uint64_t bits = plain(*index.type).size * 8, number = reader.integer(index);
        std::uint64_t none = bits >= 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << bits) - 1;
        number &= none;
        Meaning meaning;
        if (number == none) {
            meaning.text = "nothing (an exception left it without a value)";
            return meaning;
        }
        if (number >= type.arguments().size())
            throw BrokenValue(
                fmt::format("its index is {} of {}", number, type.arguments().size()));
        // Every alternative starts where the storage does.
        Value held =
            part_at(reader, value, first_path(type, {"_M_u", "__impl.__data", "__impl_.__data"}));
        held.type = &argument(type, number);
        meaning.text = type_text(*held.type);
        meaning.arrangement = Arrangement::tuple;
        meaning.count = 1;
        meaning.detail = fmt::format("alternative {}", number);
        meaning.next = [held, given = false]() mutable -> std::optional<Part> {
            if (std::exchange(given, true)) return std::nullopt;
            return Part{{}, held, {}};
        };
        return meaning;
    }
};

}  // namespace

const LibraryView& cpp_variant_view() {
    static const VariantView view;
    return view;
}

}  // namespace lantern
