// std::tuple: its elements lie in base classes, each with its number.
#include <fmt/format.h>

#include "core/values/library/library_view.h"

namespace lantern {
namespace {

// The base classes "_Head_base<N, T, …>" and "__tuple_leaf<N, T, …>" hold one element each; those
// without data hold nothing but a type.
void collect(const ValueReader& reader, const Value& value,
             std::vector<std::pair<std::int64_t, Value>>& found, int depth) {
    if (depth > 64) return;
    const Type& type = plain(*value.type);
    std::string name = family_name(type.name);
    if (name == "_Head_base" || name == "__tuple_leaf") {
        const auto& arguments = type.arguments();
        if (arguments.size() < 2 || !arguments[0].value || !arguments[1].type) return;
        for (const char* member : {"_M_head_impl", "__value_"}) {
            if (auto held = reader.member_named(value, member)) {
                found.emplace_back(*arguments[0].value, *held);
                return;
            }
        }
        Value empty = value;
        empty.type = arguments[1].type;
        found.emplace_back(*arguments[0].value, empty);
        return;
    }
    for (const Member& member : type.members())
        if (member.is_base_class || member.name == "__base_")
            collect(reader, reader.member(value, member), found, depth + 1);
}

class TupleView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::tuple"}; }
    bool fits(const Type&) const override { return true; }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        meaning.arrangement = Arrangement::tuple;
        auto parts = elements(reader, value);
        meaning.count = parts.size();
        if (parts.empty()) meaning.text = "()";
        meaning.next = [parts, i = std::size_t{0}]() mutable -> std::optional<Part> {
            if (i == parts.size()) return std::nullopt;
            return Part{{}, parts[i++].second, {}};
        };
        return meaning;
    }
    std::optional<Value> element(const ValueReader& reader, const Value& value,
                                 std::uint64_t index) const override {
        for (const auto& [number, each] : elements(reader, value))
            if (static_cast<std::uint64_t>(number) == index) return each;
        return std::nullopt;
    }

  private:
    static std::vector<std::pair<std::int64_t, Value>> elements(const ValueReader& reader,
                                                                const Value& value) {
        std::vector<std::pair<std::int64_t, Value>> found;
        collect(reader, value, found, 0);
        std::stable_sort(found.begin(), found.end(),
                         [](const auto& a, const auto& b) { return a.first < b.first; });
        return found;
    }
};

}  // namespace

const LibraryView& cpp_tuple_view() {
    static const TupleView view;
    return view;
}

}  // namespace lantern
