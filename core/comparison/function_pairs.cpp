#include "core/comparison/function_pairs.h"

#include <algorithm>
#include <filesystem>
#include <map>
#include <set>

namespace lantern {
namespace {

bool is_user_s(const Function& function, const LibraryRules& libraries) {
    return !function.declared_in.empty() && !libraries.is_library_source(function.declared_in);
}

// Functions with code by their names; those that are only inlined by name alone.
struct OfBuild {
    std::map<std::string, std::vector<const Function*>> with_code;
    std::set<std::string> inlined_only;
    std::vector<const Function*> all;
    std::map<FileAddress, unsigned> at;  // how many names an entry has
};

// Of a generic function or one of C the qualified name tells enough; overloads are told apart by
// what the linker sees.
std::string key_of(const Function& function) {
    return function.name + " " + file_part(function.declared_in);
}

OfBuild functions_of(const ModuleSymbols& symbols, const LibraryRules& libraries) {
    OfBuild found;
    const SymbolIndex& index = symbols.index();
    for (const NameEntry& entry : index.names()) {
        if (!is_function(entry.kind)) continue;
        const Function* function = symbols.function(entry.position);
        if (!function) continue;
        if (function->has_code()) found.all.push_back(function);
        if (!is_user_s(*function, libraries)) continue;
        if (function->has_code()) {
            found.with_code[key_of(*function)].push_back(function);
            ++found.at[function->low()];
        } else {
            found.inlined_only.insert(key_of(*function));
        }
    }
    return found;
}

// A part of a function, cut off by the compiler: entered on some of the function's ways only.
bool is_part(const ModuleSymbols& symbols, const Function& function) {
    const ElfSymbol* symbol = symbols.symbol_table().covering(function.low());
    return symbol && (symbol->name.find(".part.") != std::string_view::npos ||
                      symbol->name.find(".cold") != std::string_view::npos);
}

// Two functions of equal code may be made one, which then runs for both.
bool is_shared(const ModuleSymbols& symbols, FileAddress entry) {
    const auto& all = symbols.symbol_table().symbols();
    auto first = std::ranges::lower_bound(all, entry, {}, &ElfSymbol::address);
    std::set<std::string> names;
    for (; first != all.end() && first->address == entry; ++first)
        if (first->is_function) names.insert(plain_linkage_name(std::string(first->name)));
    auto is_constructor = [](const std::string& name) {
        return name.find("C1E") != std::string::npos || name.find("C2E") != std::string::npos ||
               name.find("D1E") != std::string::npos || name.find("D2E") != std::string::npos;
    };
    return names.size() > 1 && !std::ranges::all_of(names, is_constructor);
}

std::string why_not(const OfBuild& build, const ModuleSymbols& symbols,
                    const std::vector<const Function*>& functions) {
    if (functions.size() > 1) return "there are several copies of it";
    if (build.at.at(functions[0]->low()) > 1 || is_shared(symbols, functions[0]->low()))
        return "another function shares its code";
    if (is_part(symbols, *functions[0])) return "only a part of it has code of its own";
    return "";
}

// Overloads, copies for several types: those of one linker's name belong together.
void pair_overloads(const std::vector<const Function*>& first,
                    const std::vector<const Function*>& second, FunctionPairs& result) {
    for (const Function* one : first) {
        auto same = [&](const Function* other) {
            return !one->linkage_name.empty() &&
                   plain_linkage_name(one->linkage_name) == plain_linkage_name(other->linkage_name);
        };
        if (std::ranges::count_if(first, same) == 1 && std::ranges::count_if(second, same) == 1)
            result.pairs.push_back({one->name, {one, *std::ranges::find_if(second, same)}, {}});
        else
            result.left_out.push_back({one->name, "there are several of that name"});
    }
}

}  // namespace

std::string file_part(const std::string& path) {
    return std::filesystem::path(path).filename().string();
}

std::string plain_linkage_name(const std::string& name) {
    constexpr std::size_t kHash = 20;  // "17h", sixteen digits, "E"
    bool has_hash = name.starts_with("_ZN") && name.size() > kHash &&
                    name.compare(name.size() - kHash, 3, "17h") == 0;
    std::string plain = has_hash ? name.substr(0, name.size() - kHash) : name;
    return plain.substr(0, plain.find('.'));
}

FunctionPairs pair_functions(const BothBuilds& builds, const LibraryRules& libraries) {
    std::array<OfBuild, 2> of{functions_of(*builds[0], libraries),
                              functions_of(*builds[1], libraries)};
    FunctionPairs result;
    for (const auto& [key, first] : of[0].with_code) {
        auto second = of[1].with_code.find(key);
        const std::string& name = first[0]->name;
        if (second == of[1].with_code.end()) {
            result.left_out.push_back(
                {name, of[1].inlined_only.contains(key) ? "inlined everywhere in B" : "not in B"});
        } else if (first.size() > 1 || second->second.size() > 1) {
            pair_overloads(first, second->second, result);
        } else {
            std::string why = why_not(of[0], *builds[0], first);
            if (why.empty()) why = why_not(of[1], *builds[1], second->second);
            if (why.empty())
                result.pairs.push_back({name, {first[0], second->second[0]}, {}});
            else
                result.left_out.push_back({name, why});
        }
    }
    for (const auto& [key, second] : of[1].with_code)
        if (!of[0].with_code.contains(key))
            result.left_out.push_back({second[0]->name, of[0].inlined_only.contains(key)
                                                            ? "inlined everywhere in A"
                                                            : "not in A"});
    result.all = {std::move(of[0].all), std::move(of[1].all)};
    std::ranges::sort(result.pairs, {}, &FunctionPair::name);
    std::ranges::sort(result.left_out, {}, &Unmatched::name);
    return result;
}

void name_parameters(const BothBuilds& builds, std::vector<FunctionPair>& pairs) {
    for (FunctionPair& pair : pairs)
        for (unsigned side : {0u, 1u})
            for (const Variable& each : builds[side]->body_of(*pair.in[side]).outermost.variables) {
                bool is_asked_for = each.is_parameter && !each.is_artificial && !each.name.empty();
                if (is_asked_for &&
                    std::ranges::find(pair.parameters, each.name) == pair.parameters.end())
                    pair.parameters.push_back(each.name);
            }
}

}  // namespace lantern
