#include "core/symbols/places.h"

#include <algorithm>
#include <map>
#include <set>

#include "core/support/error.h"

namespace lantern {

using namespace dwarf;

bool path_matches(std::string_view path, std::string_view wanted) {
    if (wanted.starts_with("./")) wanted.remove_prefix(2);
    if (!path.ends_with(wanted)) return false;
    return path.size() == wanted.size() || wanted.starts_with('/') || path[path.size() - wanted.size() - 1] == '/';
}

std::vector<const Unit*> units_mentioning(const ModuleSymbols& symbols, std::string_view wanted) {
    std::vector<const Unit*> found;
    std::string_view last = wanted.substr(wanted.rfind('/') + 1);
    if (last.empty()) return found;
    for (const auto& unit : symbols.debug_info().units()) {
        if (!may_mention_file(*unit, last)) continue;
        const auto& files = symbols.files_of(*unit);
        if (std::any_of(files.begin(), files.end(), [&](const LineFile& file) { return path_matches(file.path, wanted); })) found.push_back(unit.get());
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

namespace {

// By index of a table's files: whether each matches.
std::vector<bool> matching_files(const LineTable& lines, std::string_view wanted) {
    std::vector<bool> matches;
    for (const LineFile& file : lines.files()) matches.push_back(path_matches(file.path, wanted));
    return matches;
}

}  // namespace

std::set<std::uint32_t> lines_with_code_in(const ModuleSymbols& symbols, const Unit& unit, std::string_view wanted) {
    std::set<std::uint32_t> found;
    const LineTable& lines = symbols.lines_of(unit);
    std::vector<bool> matches = matching_files(lines, wanted);
    for (const LineEntry& entry : lines.entries())
        if (entry.is_statement && entry.line && entry.file < matches.size() && matches[entry.file]) found.insert(entry.line);
    return found;
}

namespace {

// Which copy of the code an address belongs to: the function, and the innermost inlined call in it.
using Copy = std::pair<const Function*, const InlinedCall*>;

Copy copy_at(const ModuleSymbols& symbols, FileAddress address) {
    const Function* function = symbols.function_at(address);
    if (!function) return {nullptr, nullptr};
    return {function, chains_at(symbols.body_of(*function), address).front().inlined};
}

CodeSite site_at(const ModuleSymbols& symbols, FileAddress address, const Copy& copy) {
    CodeSite site;
    site.address = address;
    site.is_inlined_copy = copy.second != nullptr;
    site.function = copy.second ? copy.second->name : copy.first ? copy.first->name : "";
    if (auto line = symbols.line_at(address)) {
        site.file = line->file;
        site.line = line->line;
    }
    return site;
}

// Only link-time optimisation inlines a function of one unit into another.
bool refers_to_other_units(const Unit& unit) {
    bool refers = false;
    const AbbreviationTable& table = unit.abbreviations();
    table.for_each([&](std::uint64_t, const Abbreviation& abbreviation) {
        for (const AttributeSpec& spec : table.specs(abbreviation))
            refers |= spec.name == DW_AT_abstract_origin && (spec.form == DW_FORM_ref_addr || spec.form == DW_FORM_GNU_ref_alt);
    });
    return refers;
}

void collect_inlined(const ModuleSymbols& symbols, const Scope& scope, const Function& wanted, const Function& holder,
                     std::vector<CodeSite>& sites) {
    for (const auto& inner : scope.inner) {
        if (inner->inlined && inner->inlined->origin == wanted.entry_offset) {
            const auto& entry = inner->inlined->entry;
            bool can_use_entry = entry && (inner->ranges.empty() || any_contains(inner->ranges, *entry));
            if (can_use_entry || !inner->ranges.empty())
                sites.push_back(site_at(symbols, can_use_entry ? *entry : inner->ranges.front().low, {&holder, &*inner->inlined}));
        }
        collect_inlined(symbols, *inner, wanted, holder, sites);
    }
}

}  // namespace

LineSites find_line(const ModuleSymbols& symbols, std::string_view file, std::uint32_t line) {
    LineSites result;
    result.files = find_files(symbols, file);
    std::map<Copy, FileAddress> first_of_copy;
    std::set<std::uint32_t> with_code;
    for (const Unit* unit : units_mentioning(symbols, file)) {
        const LineTable& lines = symbols.lines_of(*unit);
        std::vector<bool> matches = matching_files(lines, file);
        for (const LineEntry& entry : lines.entries()) {
            if (!entry.is_statement || entry.line == 0 || entry.file >= matches.size() || !matches[entry.file]) continue;
            with_code.insert(entry.line);
            if (entry.line != line) continue;
            auto [slot, is_new] = first_of_copy.try_emplace(copy_at(symbols, entry.range.low), entry.range.low);
            if (!is_new) slot->second = std::min(slot->second, entry.range.low);
        }
    }
    for (auto [copy, address] : first_of_copy) {
        if (copy.first && !copy.second && address == copy.first->low()) address = after_prologue(symbols, *copy.first);
        CodeSite site = site_at(symbols, address, copy);
        site.line = line;
        result.sites.push_back(site);
    }
    std::sort(result.sites.begin(), result.sites.end(),
              [](const CodeSite& a, const CodeSite& b) { return a.address < b.address; });
    if (result.sites.empty()) {
        auto after = with_code.upper_bound(line);
        if (after != with_code.begin()) result.lines_with_code.push_back(*std::prev(after));
        if (after != with_code.end()) result.lines_with_code.push_back(*after);
    }
    return result;
}

FileAddress after_prologue(const ModuleSymbols& symbols, const Function& function) {
    const FileRange& range = function.ranges.front();
    const LineTable& lines = symbols.lines_of(*function.unit);
    const auto& entries = lines.entries();
    auto first = std::lower_bound(entries.begin(), entries.end(), range.low,
                                  [](const LineEntry& entry, FileAddress a) { return entry.range.low < a; });
    if (first == entries.end() || first->range.low != range.low) return range.low;
    // The compiler may say where the prologue ends; else the second statement is where the body starts.
    // Where that is already inside an inlined call, the function's own first line is only at its entry.
    auto own = [&](FileAddress address) {
        return chains_at(symbols.body_of(function), address).front().inlined ? range.low : address;
    };
    for (auto entry = first; entry != entries.end() && range.contains(entry->range.low); ++entry)
        if (entry->prologue_end) return own(entry->range.low);
    for (auto entry = std::next(first); entry != entries.end() && range.contains(entry->range.low); ++entry)
        if (entry->is_statement && entry->line != 0) return own(entry->range.low);
    return range.low;
}

std::vector<CodeSite> sites_of(const ModuleSymbols& symbols, const Function& function) {
    std::vector<CodeSite> sites;
    if (function.has_code()) {
        sites.push_back(site_at(symbols, after_prologue(symbols, function), {&function, nullptr}));
        sites.back().function = function.name;
    }
    // A function that was also inlined has its abstract entry listed on its own.
    if (!function.has_code()) {
        for (const auto& unit : symbols.debug_info().units()) {
            if (unit.get() != function.unit && !refers_to_other_units(*unit)) continue;
            for (const Function* holder : symbols.functions_of(*unit))
                collect_inlined(symbols, symbols.body_of(*holder).outermost, function, *holder, sites);
        }
    }
    return sites;
}

}  // namespace lantern
