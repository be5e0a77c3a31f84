// Rust's Cell, RefCell with its borrow state, UnsafeCell, and the wrappers of a single value.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class CellView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"core::cell::Cell", "core::cell::RefCell", "core::cell::UnsafeCell",
                "core::mem::manually_drop::ManuallyDrop", "core::num::nonzero::NonZero"};
    }
    bool fits(const Type& type) const override { return !path(type).empty(); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        meaning.alone = part_at(reader, value, path(plain(*value.type)));
        std::string_view state = first_path(plain(*value.type), {"borrow.value.value"});
        if (state.empty()) return meaning;
        Value told = part_at(reader, value, state);
        std::int64_t borrows = static_cast<std::int64_t>(reader.integer(told));
        meaning.text = borrows == 0  ? "not borrowed"
                       : borrows > 0 ? counted(static_cast<std::uint64_t>(borrows), "reader")
                                     : "borrowed to be written";
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        return part_at(reader, value, path(plain(*value.type)));
    }

  private:
    static std::string_view path(const Type& type) {
        return first_path(type, {"value.value", "value", "__0.__0", "__0"});
    }
};

}  // namespace

const LibraryView& rust_cell_view() {
    static const CellView view;
    return view;
}

}  // namespace lantern
