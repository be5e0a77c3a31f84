#include "core/symbols/places.h"

#include <algorithm>
#include <set>

#include "core/support/error.h"

namespace lantern {

using namespace dwarf;

bool path_matches(std::string_view path, std::string_view wanted) {
    if (wanted.starts_with("./")) wanted.remove_prefix(2);
    if (!path.ends_with(wanted)) return false;
    return path.size() == wanted.size() || wanted.starts_with('/') ||
           path[path.size() - wanted.size() - 1] == '/';
}

std::vector<const Unit*> units_mentioning(const ModuleSymbols& symbols, std::string_view wanted) {
    std::vector<const Unit*> found;
    std::string_view last = wanted.substr(wanted.rfind('/') + 1);
    if (last.empty()) return found;
    for (const auto& unit : symbols.debug_info().units()) {
        if (!may_mention_file(*unit, last)) continue;
        const auto& files = symbols.files_of(*unit);
        if (std::any_of(files.begin(), files.end(),
                        [&](const LineFile& file) { return path_matches(file.path, wanted); }))
            found.push_back(unit.get());
    }
    return found;
}

std::vector<std::string> find_files(const ModuleSymbols& symbols, std::string_view wanted) {
    std::set<std::string> found;
    for (const Unit* unit : units_mentioning(symbols, wanted))
        for (const LineFile& file : symbols.files_of(*unit))
            if (path_matches(file.path, wanted)) found.insert(file.path);
    return {found.begin(), found.end()};
}

std::vector<bool> matching_files(const LineTable& lines, std::string_view wanted) {
    std::vector<bool> matches;
    for (const LineFile& file : lines.files()) matches.push_back(path_matches(file.path, wanted));
    return matches;
}

std::set<std::uint32_t> lines_with_code_in(const ModuleSymbols& symbols, const Unit& unit,
                                           std::string_view wanted, std::uint32_t first,
                                           std::uint32_t last) {
    std::set<std::uint32_t> found;
    const LineTable& lines = symbols.lines_of(unit);
    std::vector<bool> matches = matching_files(lines, wanted);
    for (const LineEntry& entry : lines.entries())
        if (entry.line >= first && entry.line <= last && entry.is_statement &&
            entry.file < matches.size() && matches[entry.file])
            found.insert(entry.line);
    return found;
}

}  // namespace lantern
