// std::function: which function or lambda it calls.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/library/library_view.h"
#include "core/values/library/symbols_behind.h"

namespace lantern {
namespace {

// "std::_Function_handler<int (int), F>::_M_invoke…" → "F"
std::string second_argument(std::string_view name) {
    std::string start = "_Function_handler<";
    std::string first = first_argument(name, start);
    return first.empty() ? "" : first_argument(name, start + first + ", ");
}

class FunctionView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::function"}; }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_invoker", "__f_.__f_"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        bool gnu = type_at_path(plain(*value.type), "_M_invoker") != nullptr;
        if (gnu)
            meaning.text = gnu_target(reader, value);
        else
            meaning.text = clang_target(reader, value);
        return meaning;
    }

  private:
    static std::string named(const ValueReader& reader, RunAddress code) {
        const Module* module = reader.target().module_at(code);
        auto nearest =
            module ? module->symbols().nearest_name(module->to_file(code)) : std::nullopt;
        if (!nearest || nearest->offset)
            throw BrokenValue(
                fmt::format("it would call {:#x}, where no function starts", code.value));
        return nearest->name;
    }
    static std::string gnu_target(const ValueReader& reader, const Value& value) {
        if (number_at(reader, value, "_M_manager") == 0) return "nothing";
        RunAddress invoker(number_at(reader, value, "_M_invoker"));
        auto symbol = symbol_behind(reader.target(), invoker);
        std::string callee = symbol ? second_argument(symbol->name) : "";
        if (callee.empty()) return "calls " + named(reader, invoker);
        if (callee.find("(*)") == std::string::npos)
            return "calls " + readable_type_name(callee, false);
        return "calls " +
               named(reader, RunAddress(number_at(reader, value,
                                                  "_M_functor._M_unused._M_function_pointer")));
    }
    static std::string clang_target(const ValueReader& reader, const Value& value) {
        RunAddress held(number_at(reader, value, "__f_.__f_"));
        if (!held.value) return "nothing";
        require_readable(reader, held, "what it calls");
        auto symbol =
            symbol_behind(reader.target(), RunAddress(reader.target().read<std::uint64_t>(held)));
        std::string callee = symbol ? first_argument(symbol->name, "__func<") : "";
        if (callee.empty())
            throw BrokenValue(
                fmt::format("what it calls, at {:#x}, has no table of functions", held.value));
        if (callee.find("(*)") == std::string::npos)
            return "calls " + readable_type_name(callee, false);
        return "calls " + named(reader, RunAddress(reader.target().read<std::uint64_t>(held + 8)));
    }
};

}  // namespace

const LibraryView& cpp_function_view() {
    static const FunctionView view;
    return view;
}

}  // namespace lantern
