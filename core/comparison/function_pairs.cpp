#include "core/comparison/function_pairs.h"

#include <fmt/format.h>

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

// By names, the keys of all functions that are called so; and all files.
struct NamesAndFiles {
    explicit NamesAndFiles(const OfBuild& build) {
        for (const auto& [key, functions] : build.with_code) add(key);
        for (const std::string& key : build.inlined_only) add(key);
    }
    void add(const std::string& key) {
        std::size_t space = key.rfind(' ');
        keys[key.substr(0, space)].insert(key);
        files.insert(key.substr(space + 1));
    }
    std::map<std::string, std::set<std::string>> keys;
    std::set<std::string> files;
};

// A file that has another name in the second build: its functions are those of the same names
// there, where each side has one of that name. A file that both have was not renamed.
std::map<std::string, std::string> follow_renamed_files(const OfBuild& first, OfBuild& second) {
    std::map<std::string, std::string> renamed;
    NamesAndFiles one(first), other(second);
    for (const auto& [name, keys] : one.keys) {
        auto there = other.keys.find(name);
        if (there == other.keys.end() || keys.size() != 1 || there->second.size() != 1) continue;
        const std::string &key = *keys.begin(), &other_key = *there->second.begin();
        auto file = [&](const std::string& of) { return of.substr(of.rfind(' ') + 1); };
        bool is_renamed = key != other_key && !other.files.contains(file(key)) &&
                          !one.files.contains(file(other_key));
        if (!is_renamed) continue;
        if (auto functions = second.with_code.extract(other_key)) {
            functions.key() = key;
            second.with_code.insert(std::move(functions));
        }
        if (second.inlined_only.erase(other_key)) second.inlined_only.insert(key);
        renamed[file(other_key)] = file(key);
    }
    return renamed;
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

// The copies that a compiler has made of one function, for other arguments or in other units, are
// one function; overloads are not.
std::map<std::string, std::vector<const Function*>> by_identity(
    const std::vector<const Function*>& functions) {
    std::map<std::string, std::vector<const Function*>> groups;
    for (const Function* each : functions)
        groups[each->linkage_name.empty() ? fmt::format("line {}", each->declared_line)
                                          : plain_linkage_name(each->linkage_name)]
            .push_back(each);
    return groups;
}

// Leaves those that a walk can follow; says why where there is none.
std::string leave_followable(const OfBuild& build, const ModuleSymbols& symbols,
                             std::vector<const Function*>& functions) {
    std::erase_if(functions, [&](const Function* each) { return is_part(symbols, *each); });
    if (functions.empty()) return "only a part of it has code of its own";
    bool shares = std::ranges::any_of(functions, [&](const Function* each) {
        return build.at.at(each->low()) > 1 || is_shared(symbols, each->low());
    });
    return shares ? "another function shares its code" : "";
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
    result.renamed = follow_renamed_files(of[0], of[1]);
    auto pair_up = [&](const std::vector<const Function*>& first,
                       const std::vector<const Function*>& second) {
        FunctionPair pair{first[0]->name, {first, second}, {}};
        std::string why = leave_followable(of[0], *builds[0], pair.in[0]);
        if (why.empty()) why = leave_followable(of[1], *builds[1], pair.in[1]);
        if (why.empty())
            result.pairs.push_back(std::move(pair));
        else
            result.left_out.push_back({pair.name, why});
    };
    for (const auto& [key, first] : of[0].with_code) {
        auto second = of[1].with_code.find(key);
        if (second == of[1].with_code.end()) {
            result.left_out.push_back({first[0]->name, of[1].inlined_only.contains(key)
                                                           ? "inlined everywhere in B"
                                                           : "not in B"});
            continue;
        }
        auto groups = by_identity(first), others = by_identity(second->second);
        if (groups.size() == 1 && others.size() == 1) {
            pair_up(first, second->second);
            continue;
        }
        for (const auto& [identity, group] : groups)
            if (auto other = others.find(identity); other != others.end())
                pair_up(group, other->second);
            else
                result.left_out.push_back({group[0]->name, "there are several of that name"});
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
            for (const Variable& each :
                 builds[side]->body_of(*pair.in[side].front()).outermost.variables) {
                bool is_asked_for = each.is_parameter && !each.is_artificial &&
                                    !each.name.empty() && each.name != "this";
                if (is_asked_for &&
                    std::ranges::find(pair.parameters, each.name) == pair.parameters.end())
                    pair.parameters.push_back(each.name);
            }
}

}  // namespace lantern
