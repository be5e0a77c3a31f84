// std::optional: nothing, or a value.
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class OptionalView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::optional"}; }
    bool fits(const Type& type) const override { return !first_path(type, {"_M_payload._M_engaged", "__engaged_"}).empty(); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        if (auto held = target(reader, value)) meaning.alone = *held;
        meaning.holds_nothing = !meaning.alone;
        if (meaning.holds_nothing) meaning.text = "nothing";
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        std::uint64_t engaged = number_at(reader, value, first_path(type, {"_M_payload._M_engaged", "__engaged_"}));
        if (engaged > 1) throw BrokenValue("whether it holds a value is neither yes nor no");
        if (!engaged) return std::nullopt;
        return part_at(reader, value, first_path(type, {"_M_payload._M_payload._M_value", "__val_"}));
    }
};

}  // namespace

const LibraryView& cpp_optional_view() {
    static const OptionalView view;
    return view;
}

}  // namespace lantern
