// Rust's Mutex and RwLock with who holds them, their guards, and the borrows of a RefCell.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/library/library_view.h"
#include "core/values/library/symbols_behind.h"

namespace lantern {
namespace {

class LockView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::sync::poison::mutex::Mutex", "std::sync::mutex::Mutex",
                "std::sync::poison::rwlock::RwLock", "std::sync::rwlock::RwLock"};
    }
    bool fits(const Type& type) const override {
        return type_at_path(type, "data.value") && !state_path(type).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        Meaning meaning;
        meaning.alone = part_at(reader, value, "data.value");
        std::uint64_t state = number_at(reader, value, state_path(type));
        meaning.text = type_at_path(type, "inner.futex") ? (state ? "locked" : "free")
                                                         : state_of_readers(state);
        if (number_at(reader, value, "poison.failed")) meaning.text += ", poisoned by a panic";
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        return part_at(reader, value, "data.value");
    }

  private:
    static std::string_view state_path(const Type& type) {
        return first_path(type, {"inner.futex", "inner.state"});
    }
    // The low 30 bits count readers; all of them set: a writer (std::sys::sync::rwlock::futex).
    static std::string state_of_readers(std::uint64_t state) {
        constexpr std::uint64_t kMask = (1u << 30) - 1;
        std::uint64_t holders = state & kMask;
        return holders == kMask ? "locked to be written"
               : holders        ? "locked by " + counted(holders, "reader")
                                : "free";
    }
};

// What holds a lock or a borrow leads to what it protects.
class GuardView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::sync::poison::mutex::MutexGuard",
                "std::sync::mutex::MutexGuard",
                "std::sync::poison::rwlock::RwLockReadGuard",
                "std::sync::rwlock::RwLockReadGuard",
                "std::sync::poison::rwlock::RwLockWriteGuard",
                "std::sync::rwlock::RwLockWriteGuard",
                "core::cell::Ref",
                "core::cell::RefMut"};
    }
    bool fits(const Type& type) const override { return !path(type).empty(); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        meaning.text = "holds";
        lead_to(meaning, *target(reader, value));
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        std::string_view way = path(plain(*value.type));
        Value pointer = part_at(reader, value, way);
        require_readable(reader, reader.pointed_at(pointer), "what it holds");
        Value behind = reader.dereference(pointer);
        return way == "lock" ? part_at(reader, behind, "data.value") : behind;
    }

  private:
    static std::string_view path(const Type& type) {
        std::string_view way = first_path(type, {"lock", "data.pointer", "value.pointer"});
        const Type* pointer = way.empty() ? nullptr : type_at_path(type, way);
        return pointer && plain(*pointer).kind == TypeKind::pointer ? way : std::string_view();
    }
};

}  // namespace

const LibraryView& rust_lock_view() {
    static const LockView view;
    return view;
}
const LibraryView& rust_guard_view() {
    static const GuardView view;
    return view;
}

}  // namespace lantern
