// The tables of macros, each macro in them, and expressions in which they are replaced.
#include "core/dwarf/macro_table.h"
#include "core/expressions/macro_expansion.h"
#include "core/expressions/syntax.h"
#include "core/support/error.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

namespace {

constexpr std::size_t kMostTried = 100;

class TheirMacros final : public NameJudge {
  public:
    explicit TheirMacros(const std::map<std::string, Macro>& macros) : macros_(macros) {}
    const Type* type(const std::string&) const override { return nullptr; }
    bool is_template_id(const std::string&) const override { return false; }
    std::optional<Macro> macro(const std::string& name) const override {
        auto found = macros_.find(name);
        return found == macros_.end() ? std::nullopt : std::optional(found->second);
    }

  private:
    const std::map<std::string, Macro>& macros_;
};

std::map<std::string, Macro> macros_in(const dwarf::DebugInfo& info) {
    std::map<std::string, Macro> macros;
    for (const auto& unit : info.units()) {
        try {
            for (const dwarf::MacroEntry& entry : dwarf::macros_of(*unit))
                if (auto macro = parse_macro(entry.text);
                    macro && entry.kind == dwarf::MacroEntry::Kind::define)
                    macros[macro->name] = *macro;
        } catch (const Error&) {
        }
    }
    return macros;
}

void expand(const Macro& macro, const NameJudge& names) {
    std::string use = macro.name;
    if (macro.takes_arguments) {
        use += "(" + macro.name + "(1)";
        for (std::size_t i = 1; i < macro.parameters.size() && i < 20; ++i) use += ", 2";
        use += ")";
    }
    try {
        parse_expression(use, names);
    } catch (const ExpressionError&) {
    }
}

}  // namespace

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    dwarf::DebugInfoInput input;
    input.sections = fuzzing::sections_of(fuzzing::as_bytes(data, size));
    dwarf::DebugInfo info(input);
    std::map<std::string, Macro> macros = macros_in(info);
    TheirMacros names(macros);
    std::size_t tried = 0;
    for (const auto& [name, macro] : macros) {
        if (++tried > kMostTried) break;
        expand(macro, names);
    }
    return 0;
}
