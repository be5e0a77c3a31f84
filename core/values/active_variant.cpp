#include "core/values/active_variant.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/values/meaning.h"

namespace lantern {

bool is_tuple_of_rust(const Type& type) {
    auto is_numbered = [](const Member& m) {
        return m.name.starts_with("__") && m.name != "__awaitee";  // what an async function awaits
    };
    return type.is_rust && !type.members().empty() &&
           std::ranges::all_of(type.members(), is_numbered);
}

std::optional<ActiveVariant> active_variant(const ValueReader& reader, const Value& value) {
    const Type& type = plain(*value.type);
    const auto& variants = type.variants();
    if (variants.empty()) return std::nullopt;
    auto holding = [&](const Variant& variant) {
        if (variant.members.empty()) return ActiveVariant{variant.name, value};
        return ActiveVariant{variant.name, reader.member(value, variant.members.front())};
    };
    const auto& discriminant = type.discriminant();
    if (!discriminant) return holding(variants.front());  // there is only one
    Value told = reader.member(value, *discriminant);
    std::uint64_t size = plain(*discriminant->type).size;
    std::uint64_t mask = size >= 8 ? ~std::uint64_t{0} : (std::uint64_t{1} << size * 8) - 1;
    std::uint64_t number = reader.integer(told) & mask;
    const Variant* otherwise = nullptr;
    for (const Variant& variant : variants) {
        if (variant.discriminant &&
            (static_cast<std::uint64_t>(*variant.discriminant) & mask) == number)
            return holding(variant);
        if (variant.is_default || !variant.discriminant) otherwise = &variant;
    }
    if (!otherwise)
        throw BrokenValue(
            fmt::format("its discriminant is {}, which none of its variants has", number));
    return holding(*otherwise);
}

}  // namespace lantern
