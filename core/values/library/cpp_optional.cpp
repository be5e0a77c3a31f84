// std::optional: nothing, or a value.
#include "core/values/library/library_view.h"
#include "core/values/library/symbols_behind.h"

namespace lantern {
namespace {

class OptionalView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::optional"}; }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_payload._M_engaged", "__engaged_"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        if (auto held = target(reader, value)) meaning.alone = *held;
        meaning.holds_nothing = !meaning.alone;
        if (meaning.holds_nothing) meaning.text = "nothing";
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        std::uint64_t engaged =
            number_at(reader, value, first_path(type, {"_M_payload._M_engaged", "__engaged_"}));
        if (engaged > 1) throw BrokenValue("whether it holds a value is neither yes nor no");
        if (!engaged) return std::nullopt;
        return part_at(reader, value,
                       first_path(type, {"_M_payload._M_payload._M_value", "__val_"}));
    }
};

// std::expected: the value, or the error in its place.
class ExpectedView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::expected"}; }
    bool fits(const Type& type) const override { return !flag_path(type).empty(); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        meaning.holds_nothing = !has_value(reader, value);
        if (meaning.holds_nothing) {
            meaning.text = "unexpected";
            if (std::string_view path =
                    first_path(plain(*value.type),
                               {"_M_unex", "__union_.__unex_", "__repr_.__union_.__unex_"});
                !path.empty())
                lead_to(meaning, part_at(reader, value, path));
        } else if (auto held = target(reader, value)) {
            meaning.alone = *held;
        } else {
            meaning.text = "as expected";  // of void: there is nothing more to see
        }
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        std::string_view path = first_path(
            plain(*value.type), {"_M_val", "__union_.__val_", "__repr_.__union_.__val_"});
        return has_value(reader, value) && !path.empty()
                   ? std::optional(part_at(reader, value, path))
                   : std::nullopt;
    }

  private:
    static std::string_view flag_path(const Type& type) {
        return first_path(type, {"_M_has_value", "__has_val_", "__repr_.__has_val_"});
    }
    static bool has_value(const ValueReader& reader, const Value& value) {
        std::uint64_t flag = number_at(reader, value, flag_path(plain(*value.type)));
        if (flag > 1) throw BrokenValue("whether it holds a value is neither yes nor no");
        return flag;
    }
};

}  // namespace

const LibraryView& cpp_optional_view() {
    static const OptionalView view;
    return view;
}

const LibraryView& cpp_expected_view() {
    static const ExpectedView view;
    return view;
}

}  // namespace lantern
