// std::any: a value whose type only the function that manages it knows.
#include <fmt/format.h>

#include "core/values/library/library_view.h"
#include "core/values/library/symbols_behind.h"

namespace lantern {
namespace {

class AnyView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::any"}; }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_manager", "__h"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        bool gnu = type_at_path(plain(*value.type), "_M_manager") != nullptr;
        RunAddress manager(number_at(reader, value, gnu ? "_M_manager" : "__h"));
        Meaning meaning;
        if (!manager.value) {
            meaning.text = "nothing";
            return meaning;
        }
        auto symbol = symbol_behind(reader.target(), manager);
        if (!symbol || symbol->offset)
            throw BrokenValue(fmt::format("its manager at {:#x} is no function", manager.value));
        bool in_place =
            symbol->name.find(gnu ? "_Manager_internal<" : "_SmallHandler<") != std::string::npos;
        std::string name = first_argument(
            symbol->name, gnu ? (in_place ? "_Manager_internal<" : "_Manager_external<")
                              : (in_place ? "_SmallHandler<" : "_LargeHandler<"));
        meaning.text = name.empty() ? "a value of a type that cannot be told"
                                    : readable_type_name(name, false);
        const Type* type = type_called(reader.target(), name);
        if (!type) return meaning;
        Value storage = part_at(reader, value, gnu ? "_M_storage" : "__s");
        if (!in_place)
            storage = value_in_memory(
                *type,
                RunAddress(number_at(reader, value, gnu ? "_M_storage._M_ptr" : "__s.__ptr")));
        storage.type = type;
        lead_to(meaning, storage);
        meaning.arrangement = Arrangement::tuple;
        return meaning;
    }
};

}  // namespace

const LibraryView& cpp_any_view() {
    static const AnyView view;
    return view;
}

}  // namespace lantern
