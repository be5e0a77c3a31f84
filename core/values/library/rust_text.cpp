// Rust's &str, Box<str>, String, OsString and PathBuf.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/builtin_types.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class TextView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"str", "alloc::string::String", "std::ffi::os_str::OsString", "std::path::PathBuf",
                "alloc::ffi::c_str::CString"};
    }
    bool fits(const Type& type) const override { return type.is_rust && !path(type).empty(); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        std::string_view inner = path(plain(*value.type));
        if (inner == "data_ptr") {
            std::uint64_t length = number_at(reader, value, "length");
            if (length && plain(*value.type).name.ends_with("CStr")) --length;  // its terminator
            Meaning meaning =
                text_meaning(reader, RunAddress(number_at(reader, value, inner)), length, 1);
            meaning.detail = counted(length, "byte");
            return meaning;
        }
        if (inner == "inner.data_ptr") {  // CString: a box of bytes with a terminator
            std::uint64_t length = number_at(reader, value, "inner.length");
            if (length == 0) throw BrokenValue("it has no terminator");
            Meaning meaning =
                text_meaning(reader, RunAddress(number_at(reader, value, inner)), length - 1, 1);
            meaning.detail = counted(length - 1, "byte");
            return meaning;
        }
        Value bytes = part_at(reader, value, inner);
        RustRoom room = rust_room(reader, bytes);
        std::uint64_t length = number_at(reader, bytes, "len");
        std::string detail = room_for(length, room.capacity, "byte");
        Meaning meaning = text_meaning(reader, room.start, length, 1);
        meaning.detail = std::move(detail);
        return meaning;
    }

    // A byte of it, as a letter: what a slice is made of.
    std::optional<Value> element(const ValueReader& reader, const Value& value,
                                 std::uint64_t index) const override {
        std::string_view inner = path(plain(*value.type));
        RunAddress start = inner.ends_with("data_ptr")
                               ? RunAddress(number_at(reader, value, inner))
                               : rust_room(reader, part_at(reader, value, inner)).start;
        return value_in_memory(char_type(), start + index);
    }

  private:
    static std::string_view path(const Type& type) {
        return first_path(
            type, {"data_ptr", "vec", "inner.data_ptr", "inner.inner.inner", "inner.inner"});
    }
};

}  // namespace

const LibraryView& rust_text_view() {
    static const TextView view;
    return view;
}

}  // namespace lantern
