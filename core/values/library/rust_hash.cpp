// Rust's HashMap and HashSet: a table of one control byte for each slot; the slots lie before the
// control bytes, the first one last. A control byte with its top bit clear marks a slot that is in
// use.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class RustHashView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::collections::hash::map::HashMap", "std::collections::hash::set::HashSet",
                "hashbrown::map::HashMap", "hashbrown::set::HashSet"};
    }
    bool fits(const Type& type) const override { return !path(type).empty(); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Value table = part_at(reader, value, path(plain(*value.type)));
        bool is_map = family_name(plain(*value.type).full_name()).ends_with("Map");
        const Type& slot = argument(*table.type, 0);
        std::uint64_t mask = number_at(reader, table, "table.bucket_mask"),
                      count = number_at(reader, table, "table.items");
        RunAddress control(number_at(
            reader, table, first_path(*table.type, {"table.ctrl.pointer", "table.ctrl"})));
        if (mask & (mask + 1))
            throw BrokenValue(
                fmt::format("its table would have {} slots, which is no power of two", mask + 1));
        if (count > mask + 1)
            throw BrokenValue(
                fmt::format("it claims {} in {} slots", counted_elements(count), mask + 1));
        Meaning meaning;
        meaning.arrangement = is_map ? Arrangement::pairs : Arrangement::elements;
        meaning.count = count;
        meaning.detail =
            fmt::format("{} in {}", counted_elements(count), counted(mask + 1, "slot"));
        if (!count) meaning.text = "empty";
        meaning.next = [&reader, &slot, mask, count, control, is_map, at = std::uint64_t{0},
                        done = std::uint64_t{0}]() mutable -> std::optional<Part> {
            if (done == count) return std::nullopt;
            for (; at <= mask; ++at) {
                require_readable(reader, control + at,
                                 fmt::format("the control byte of slot {}", at));
                if (static_cast<unsigned>(reader.target().read<std::byte>(control + at)) & 0x80)
                    continue;
                RunAddress place(control.value - (at + 1) * plain(slot).size);
                require_readable(reader, place, "slot", at);
                ++at, ++done;
                Value pair = value_in_memory(slot, place);
                Value first = part_at(reader, pair, "__0");
                if (!is_map) return Part{{}, first, {}};
                return Part{{}, part_at(reader, pair, "__1"), first};
            }
            throw BrokenValue(
                fmt::format("it claims {} but its slots hold {}", counted_elements(count), done));
        };
        return meaning;
    }

  private:
    static std::string_view path(const Type& type) {
        return first_path(type,
                          {"base.table", "base.map.table", "map.base.table", "map.table", "table"});
    }
};

}  // namespace

const LibraryView& rust_hash_view() {
    static const RustHashView view;
    return view;
}

}  // namespace lantern
