// std::stack, std::queue, std::priority_queue: whatever container they are made of.
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class AdaptorView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::stack", "std::queue", "std::priority_queue"};
    }
    bool fits(const Type& type) const override { return type_at_path(type, "c") != nullptr; }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        meaning.alone = part_at(reader, value, "c");
        return meaning;
    }
};

}  // namespace

const LibraryView& cpp_adaptor_view() {
    static const AdaptorView view;
    return view;
}

}  // namespace lantern
