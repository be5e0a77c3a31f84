// std::unique_ptr, std::shared_ptr, std::weak_ptr: what they own, and who else does.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/library/library_view.h"
#include "core/values/library/symbols_behind.h"

namespace lantern {
namespace {

// The pointer inside; for gnu's unique_ptr the first element of a tuple.
Value pointer_inside(const ValueReader& reader, const Value& value) {
    const Type& type = plain(*value.type);
    if (!type_at_path(type, "_M_t._M_t"))
        return part_at(reader, value, first_path(type, {"_M_ptr", "__ptr_.__value_", "__ptr_"}));
    auto first = cpp_tuple_view().element(reader, part_at(reader, value, "_M_t._M_t"), 0);
    if (!first) throw BrokenValue("it has no pointer where one should be");
    return *first;
}

std::optional<Value> pointed(const ValueReader& reader, const Value& pointer) {
    if (plain(*pointer.type).kind != TypeKind::pointer || reader.integer(pointer) == 0)
        return std::nullopt;
    if (plain(target_of(plain(*pointer.type))).size == 0) return std::nullopt;
    return reader.dereference(pointer);
}

void show_target(const ValueReader& reader, const Value& pointer, Meaning& meaning) {
    std::uint64_t address = reader.integer(pointer);
    meaning.holds_nothing = address == 0;
    meaning.pointer = pointer;
    meaning.text = address ? fmt::format("{:#x}", address) +
                                 (meaning.text.empty() ? "" : " (" + meaning.text + ")")
                           : "null" + (meaning.text.empty() ? "" : " (" + meaning.text + ")");
    if (auto owned = pointed(reader, pointer)) lead_to(meaning, *owned);
}

class UniquePointerView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::unique_ptr"}; }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_t._M_t", "__ptr_.__value_"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        show_target(reader, pointer_inside(reader, value), meaning);
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        return pointed(reader, pointer_inside(reader, value));
    }
};

class SharedPointerView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::shared_ptr", "std::weak_ptr"};
    }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_refcount._M_pi", "__cntrl_"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        bool is_weak = family_name(type.full_name()) == "std::weak_ptr";
        bool gnu = type_at_path(type, "_M_refcount._M_pi") != nullptr;
        Value counts = part_at(reader, value, gnu ? "_M_refcount._M_pi" : "__cntrl_");
        Meaning meaning;
        if (reader.integer(counts) == 0) {
            show_target(reader, pointer_inside(reader, value), meaning);
            return meaning;
        }
        Value block = reader.dereference(counts);
        require_readable(reader, *block.address + 15, "its count of owners");
        // gnu: all owners together watch once; clang: both counts are one less
        std::int64_t owners = static_cast<std::int64_t>(number_at(
                                  reader, block, gnu ? "_M_use_count" : "__shared_owners_")) +
                              (gnu ? 0 : 1);
        std::int64_t watchers =
            static_cast<std::int64_t>(
                number_at(reader, block, gnu ? "_M_weak_count" : "__shared_weak_owners_")) +
            (gnu ? 0 : 1);
        watchers -= owners > 0 ? 1 : 0;
        if (owners < 0 || watchers < 0 || owners > (1 << 30))
            throw BrokenValue(fmt::format("it claims {} owners and {} watchers", owners, watchers));
        meaning.text =
            counted(static_cast<std::uint64_t>(owners), "owner") +
            (watchers || is_weak
                 ? fmt::format(", {}", counted(static_cast<std::uint64_t>(watchers), "watcher"))
                 : "");
        meaning.owners = static_cast<std::uint64_t>(owners);
        if (is_weak && owners == 0) {
            meaning.text = fmt::format("expired ({})", meaning.text);
            return meaning;
        }
        show_target(reader, pointer_inside(reader, value), meaning);
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        return pointed(reader, pointer_inside(reader, value));
    }
};

}  // namespace

const LibraryView& cpp_unique_pointer_view() {
    static const UniquePointerView view;
    return view;
}
const LibraryView& cpp_shared_pointer_view() {
    static const SharedPointerView view;
    return view;
}

}  // namespace lantern
