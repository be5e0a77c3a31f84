// One of several functions of a name, by what it takes: as people write it, and as demanglers do.
//
//     canal::Lock::fill(int, unsigned long) const
//     └─── name ──────┘└─── parameters ──┘ └ of an object that it does not change
#include <algorithm>
#include <utility>

#include "core/support/text.h"
#include "core/symbols/demangle.h"
#include "core/symbols/module_symbols.h"

namespace lantern {
namespace {

struct NameAndParameters {
    std::string_view name;
    std::optional<std::string_view> parameters;  // between the brackets
    bool is_const = false;
};

// The brackets of "operator()" and of "(anonymous)" belong to the name.
NameAndParameters split(std::string_view whole) {
    NameAndParameters parts{whole, std::nullopt, false};
    std::string_view text = whole;
    constexpr std::string_view kConst = " const";
    if (text.ends_with(kConst)) {
        text = trimmed(text.substr(0, text.size() - kConst.size()));
        parts.is_const = true;
    }
    if (!text.ends_with(')')) return {whole, std::nullopt, false};
    int depth = 0;
    std::size_t open = text.size();
    while (open-- > 0) {
        depth += text[open] == ')' ? 1 : text[open] == '(' ? -1 : 0;
        if (depth == 0) break;
    }
    if (open >= text.size()) return {whole, std::nullopt, false};
    std::string_view before = text.substr(0, open);
    if (before.empty() || before.ends_with("::") || before.ends_with("operator"))
        return {whole, std::nullopt, false};
    parts.name = before;
    parts.parameters = text.substr(open + 1, text.size() - open - 2);
    return parts;
}

// "tolls[abi:cxx11]": a mark of the linker's name, not of the function's.
std::string without_abi_tags(std::string_view name) {
    std::string text(name);
    constexpr std::string_view kTag = "[abi:";
    for (std::size_t at; (at = text.find(kTag)) != std::string::npos;) {
        std::size_t end = text.find(']', at);
        if (end == std::string::npos) break;
        text.erase(at, end + 1 - at);
    }
    return text;
}

bool is_const_object(const Variable& variable) {
    const Type* type = variable.name == "this" ? &plain(*variable.type) : nullptr;
    return type && type->target && type_text(*type->target).starts_with("const ");
}

// As its debug information names the types; the object may be named too, which we do where we tell
// of a function's type.
bool takes(const FunctionBody& body, const std::string& wanted, bool is_const) {
    std::string taken, with_object;
    bool has_const_object = false;
    auto add = [](std::string& list, const Variable& variable) {
        list += (list.empty() ? "" : ", ") + type_text(*variable.type);
    };
    for (const Variable& variable : body.outermost.variables) {
        has_const_object |= is_const_object(variable);
        if (!variable.is_parameter) continue;
        add(with_object, variable);
        if (!variable.is_artificial) add(taken, variable);
    }
    return (has_const_object || !is_const) &&
           (comparable_parameters(taken) == wanted || comparable_parameters(with_object) == wanted);
}

// As its linker's name does: without the names that were given to types.
bool takes_by_linkage_name(const Function& function, const std::string& wanted, bool is_const) {
    if (function.linkage_name.empty()) return false;
    std::string name = demangled(function.linkage_name);
    NameAndParameters parts = split(name);
    return parts.parameters && (parts.is_const || !is_const) &&
           comparable_parameters(*parts.parameters) == wanted;
}

}  // namespace

std::vector<const Function*> ModuleSymbols::functions_named(std::string_view whole) const {
    std::string text = without_abi_tags(whole);
    NameAndParameters asked = split(text);
    std::vector<const Function*> found = functions_called(asked.name);
    if (!asked.parameters) return found;
    std::string wanted = comparable_parameters(*asked.parameters);
    std::erase_if(found, [&](const Function* function) {
        return !takes(body_of(*function), wanted, asked.is_const) &&
               !takes_by_linkage_name(*function, wanted, asked.is_const);
    });
    return found;
}

}  // namespace lantern
