// std::bitset: which bits are set.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class BitsetView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::bitset"}; }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_w", "__first_"}).empty() && argument_value(type, "", 0);
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        std::uint64_t size = static_cast<std::uint64_t>(*argument_value(type, "", 0)->value);
        auto bytes = reader.content(part_at(reader, value, first_path(type, {"_M_w", "__first_"})));
        constexpr std::uint64_t kMostShown = 256;
        Meaning meaning;
        std::uint64_t set = 0;
        std::string bits;
        for (std::uint64_t i = 0; i < size && i / 8 < bytes.size(); ++i) {
            bool on = (static_cast<unsigned>(bytes[i / 8]) >> (i % 8)) & 1;
            set += on;
            if (i < kMostShown) bits.insert(bits.begin(), on ? '1' : '0');
        }
        for (std::size_t at = bits.size(); at > 4;) bits.insert(at -= 4, 1, '\'');
        meaning.text = (size > kMostShown ? "…" : "") + bits;
        meaning.detail = fmt::format("{} of {} set, the last is bit 0", set, counted(size, "bit"));
        return meaning;
    }
};

}  // namespace

const LibraryView& cpp_bitset_view() {
    static const BitsetView view;
    return view;
}

}  // namespace lantern
