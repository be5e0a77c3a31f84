// std::atomic: the value it guards. std::complex and std::reference_wrapper are wrappings, too.
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class AtomicView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::atomic",
                "std::complex",
                "std::reference_wrapper",
                "std::atomic_flag",
                "std::__atomic_base",
                "core::sync::atomic::AtomicUsize",
                "core::sync::atomic::AtomicIsize",
                "core::sync::atomic::AtomicU64",
                "core::sync::atomic::AtomicI64",
                "core::sync::atomic::AtomicU32",
                "core::sync::atomic::AtomicI32",
                "core::sync::atomic::AtomicU8",
                "core::sync::atomic::AtomicBool",
                "core::sync::atomic::AtomicPtr",
                "core::sync::atomic::Atomic"};
    }
    bool fits(const Type& type) const override { return !path(type).empty(); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        meaning.alone = part_at(reader, value, path(plain(*value.type)));
        return meaning;
    }

  private:
    static std::string_view path(const Type& type) {
        return first_path(type, {"_M_i", "_M_fp", "_M_base._M_i", "_M_b._M_p", "__a_.__a_value",
                                 "v.value", "_M_value", "_M_data", "__f_"});
    }
};

}  // namespace

const LibraryView& cpp_atomic_view() {
    static const AtomicView view;
    return view;
}

}  // namespace lantern
