// Exceptions of the library: what they say.
#include <fmt/format.h>

#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class ExceptionView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::runtime_error",    "std::logic_error",    "std::out_of_range",
                "std::invalid_argument", "std::length_error",   "std::domain_error",
                "std::range_error",      "std::overflow_error", "std::underflow_error"};
    }
    // Programs mostly hold only the class's declaration. Both libraries keep the text's address
    // behind the table of virtual functions.
    bool fits(const Type& type) const override {
        return type.is_incomplete || !path(type).empty() ||
               (type.members().size() == 1 && type.members()[0].is_base_class);
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        bool declared_only = path(plain(*value.type)).empty();
        if (declared_only && !value.address)
            throw BrokenValue("its type is declared but defined nowhere in the program");
        RunAddress text(declared_only ? reader.target().read<std::uint64_t>(*value.address + 8)
                                      : number_at(reader, value, path(plain(*value.type))));
        auto found = reader.text_at(text, 4096);
        if (!found.readable)
            throw BrokenValue(
                fmt::format("its text would be at {:#x}, where nothing can be read", text.value));
        Meaning meaning;
        meaning.content = found.bytes;
        meaning.content_is_cut = !found.ended;
        return meaning;
    }

  private:
    static std::string_view path(const Type& type) {
        return first_path(type, {"_M_msg._M_p", "_M_msg._M_dataplus._M_p", "__imp_.__imp_"});
    }
};

}  // namespace

const LibraryView& cpp_exception_view() {
    static const ExceptionView view;
    return view;
}

}  // namespace lantern
