#include "core/analysis/find_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>
#include <tuple>
#include <utility>

#include "core/analysis/library_code.h"
#include "core/support/error.h"
#include "core/support/pattern.h"
#include "core/support/text.h"
#include "core/symbols/demangle.h"
#include "core/symbols/places.h"

namespace lantern {
namespace {

bool is_module_named(const Module& module, const std::string& name) {
    std::string own = std::filesystem::path(module.path()).filename().string();
    return module.path() == name || own == name || own.starts_with(name + ".so");
}

// Where a search goes, and what a name's file must match.
struct Area {
    std::vector<const Module*> modules;
    std::string file;
    std::size_t left_out = 0;  // libraries of the system
};

Area area_of(const Moment& moment, const std::string& within) {
    Area area;
    for (const Module& module : moment.target().modules())
        if (is_module_named(module, within)) area.modules.push_back(&module);
    if (!area.modules.empty()) return area;
    for (const Module& module : moment.target().modules()) {
        if (!within.empty() && units_mentioning(module.symbols(), within).empty()) continue;
        if (within.empty() && module.is_system_library())
            ++area.left_out;
        else
            area.modules.push_back(&module);
    }
    if (!within.empty() && area.modules.empty())
        throw RequestError(fmt::format("there is no source file and no module {}", within),
                           Next::find_files);
    area.file = within;
    return area;
}

struct Candidate {
    std::string name;
    const Module* module = nullptr;
    const NameEntry* entry = nullptr;
    bool only_in_arguments = false;
    bool is_of_library = false;  // the language's own
};

bool is_of_language_library(const Candidate& candidate) {
    const dwarf::Unit* unit =
        candidate.module->symbols().debug_info().unit_holding(candidate.entry->position);
    return !language_library(candidate.name, unit && unit->is_rust()).empty();
}

template <class Wanted>
std::vector<Candidate> candidates(const Area& area, const Pattern& pattern, Wanted wanted) {
    std::vector<Candidate> found;
    for (const Module* module : area.modules) {
        const SymbolIndex& index = module->symbols().index();
        for (const NameEntry& entry : index.names()) {
            if (!wanted(entry.kind)) continue;
            std::string name = is_type(entry.kind) ? module->symbols().type_name(entry)
                                                   : index.qualified_name(entry);
            if (!name.empty() && pattern.matches(name))
                found.push_back({std::move(name), module, &entry});
        }
    }
    // What matches only within template arguments comes last: there are many, and none is what was
    // asked for.
    for (Candidate& candidate : found) candidate.is_of_library = is_of_language_library(candidate);
    for (Candidate& candidate : found)
        candidate.only_in_arguments =
            !pattern.matches_all() &&
            !pattern.matches(without_all_template_arguments(candidate.name));
    std::stable_sort(found.begin(), found.end(), [](const Candidate& a, const Candidate& b) {
        return std::tie(a.is_of_library, a.only_in_arguments, a.name) <
               std::tie(b.is_of_library, b.only_in_arguments, b.name);
    });
    return found;
}

void describe_function(const Candidate& candidate, FoundName& found) {
    const Function* function = candidate.module->symbols().function(candidate.entry->position);
    if (!function) return;
    found.name = function->name;
    found.file = function->declared_in;
    found.line = function->declared_line;
    if (function->has_code())
        found.addresses.push_back(candidate.module->to_run(function->low()).value);
}

void describe_global(const Candidate& candidate, FoundName& found) {
    auto variable = candidate.module->symbols().global(*candidate.entry);
    if (!variable) return;
    found.detail = type_text(*variable->type);
    found.file = variable->declared_in;
    found.line = variable->declared_line;
}

const char* word_of(const Type& type) {
    switch (type.kind) {
        case TypeKind::structure: return "structure";
        case TypeKind::union_: return "union";
        case TypeKind::enumeration: return "enumeration";
        case TypeKind::alias: return "alias";
        default: return "";
    }
}

void describe_type(const Candidate& candidate, FoundName& found) {
    const Type* type = candidate.module->symbols().types().type_at(candidate.entry->position);
    std::string word = word_of(*type);
    std::string size = counted(plain(*type).size, "byte");
    found.detail = type->kind == TypeKind::alias ? fmt::format("is {}", type_text(target_of(*type)))
                   : word.empty()                ? size
                                                 : word + ", " + size;
    found.file = type->declared_in;
    found.line = type->declared_at;
}

// Every unit that saw a header repeats what is in it: what is alike is listed once, its code
// together.
template <class Describe>
void fill(FindReport& report, const Area& area, std::vector<Candidate> found, std::size_t limit,
          Describe describe) {
    // The languages' own are counted, unless they are asked for or nothing else is there.
    auto library = std::ranges::find_if(found, &Candidate::is_of_library);
    bool are_wanted = report.with_library || library == found.begin();
    if (!are_wanted) {
        std::string last_of_library;
        for (auto each = library; each != found.end(); ++each)
            report.of_library += std::exchange(last_of_library, each->name) != each->name;
        found.erase(library, found.end());
    }
    constexpr std::size_t kWorthCounting =
        20'000;  // beyond this only the names are told apart, not where they stand
    bool is_exact = found.size() <= kWorthCounting;
    std::map<std::tuple<std::string, std::string, std::uint32_t>, std::size_t> rows;
    std::string last;
    for (const Candidate& candidate : found) {
        bool is_new_name = candidate.name != last;
        last = candidate.name;
        if (!is_exact && report.found.size() >= limit) {
            report.total += is_new_name;
            continue;
        }
        FoundName one;
        one.name = candidate.name;
        describe(candidate, one);
        if (!area.file.empty() && !path_matches(one.file, area.file)) continue;
        auto [row, is_new] = rows.try_emplace({one.name, one.file, one.line}, report.found.size());
        if (is_new) {
            ++report.total;
            if (report.found.size() >= limit)
                row->second = limit;
            else
                report.found.push_back(std::move(one));
        } else if (row->second < report.found.size()) {
            auto& addresses = report.found[row->second].addresses;
            addresses.insert(addresses.end(), one.addresses.begin(), one.addresses.end());
        }
    }
}

// Programs and libraries without debug information still have the linker's names.
void add_linker_symbols(FindReport& report, const Area& area, const Pattern& pattern,
                        std::size_t limit, bool functions) {
    if (!area.file.empty()) return;
    std::vector<FoundName> more;
    for (const Module* module : area.modules) {
        if (module->symbols().has_debug_information()) continue;
        std::set<std::pair<std::string, std::uint64_t>> seen;
        for (const ElfSymbol& symbol : module->symbols().symbol_table().symbols()) {
            if (symbol.is_function != functions || symbol.size == 0) continue;
            std::string name = demangled(symbol.name);
            if (!pattern.matches(name) || !seen.emplace(name, symbol.address.value).second)
                continue;
            FoundName found;
            found.name = name;
            found.file = module->path();
            found.addresses.push_back(module->to_run(symbol.address).value);
            more.push_back(std::move(found));
        }
    }
    std::sort(more.begin(), more.end(),
              [](const FoundName& a, const FoundName& b) { return a.name < b.name; });
    report.total += more.size();
    for (FoundName& found : more)
        if (report.found.size() < limit) report.found.push_back(std::move(found));
}

void find_files_in(FindReport& report, const Moment& moment, const Area& area,
                   const Pattern& pattern, std::size_t limit) {
    std::set<std::string> paths;
    for (const Module* module : area.modules)
        for (const auto& unit : module->symbols().debug_info().units())
            for (const dwarf::LineFile& file : module->symbols().files_of(*unit))
                if (file.path.find('<') == std::string::npos && pattern.matches(file.path) &&
                    (area.file.empty() || path_matches(file.path, area.file)))
                    paths.insert(file.path);
    report.total = paths.size();
    for (const std::string& path : paths) {
        if (report.found.size() >= limit) return;
        FoundName found;
        found.name = path;
        switch (source_state(moment, path)) {
            case SourceState::missing: found.detail = "not here"; break;
            case SourceState::newer: found.detail = "newer than the program"; break;
            case SourceState::different: found.detail = "differs from what was compiled"; break;
            case SourceState::good: break;
        }
        report.found.push_back(std::move(found));
    }
}

}  // namespace

FindReport report_found(const Moment& moment, const FindQuery& query) {
    FindReport report;
    report.what = query.what;
    report.pattern = query.pattern;
    report.within = query.within;
    report.with_library = query.with_library || !query.within.empty();
    Pattern pattern(query.pattern);
    Area area = area_of(moment, query.within);
    if (query.what == "functions") {
        fill(report, area,
             candidates(area, pattern, [](NameKind kind) { return is_function(kind); }),
             query.limit, describe_function);
        for (FoundName& found : report.found) {
            std::sort(found.addresses.begin(), found.addresses.end());
            found.has_no_own_code = found.addresses.empty();
        }
        add_linker_symbols(report, area, pattern, query.limit, true);
    } else if (query.what == "globals") {
        fill(report, area,
             candidates(area, pattern, [](NameKind kind) { return kind == NameKind::global; }),
             query.limit, describe_global);
        add_linker_symbols(report, area, pattern, query.limit, false);
    } else if (query.what == "types") {
        fill(report, area, candidates(area, pattern, [](NameKind kind) { return is_type(kind); }),
             query.limit, describe_type);
    } else {
        find_files_in(report, moment, area, pattern, query.limit);
    }
    if (report.total == 0 && area.left_out)
        report.note = fmt::format(
            "{} of the system not looked into; in NAME, such as in libc, looks there",
            area.left_out == 1 ? "1 library" : fmt::format("{} libraries", area.left_out));
    return report;
}

CodeReport report_code(const Moment& moment, const Place& place) {
    CodeReport report;
    report.place = place.text;
    std::set<const Module*> modules;
    for (const PlaceSite& site : resolve_place(place, moment.context())) {
        CodeReport::Site one;
        one.address = site.address.value;
        one.function = site.code.function;
        one.file = site.code.file;
        one.line = site.code.line;
        if (site.module) {
            one.module = site.module->path();
            modules.insert(site.module);
            one.inlined_into = site.code.inlined_into;
        }
        report.sites.push_back(std::move(one));
    }
    report.is_line = place.kind == Place::Kind::line;
    if (!report.is_line) return report;
    for (const Module* module : modules)
        for (const LineBlock& block : blocks_of_line(module->symbols(), place.file, place.line))
            report.blocks.push_back({module->to_run(block.range.low).value,
                                     module->to_run(block.range.high).value, block.function,
                                     block.inlined_into});
    return report;
}

AddressReport report_address(const Moment& moment, RunAddress address) {
    AddressReport report;
    report.address = address.value;
    const Module* module = moment.target().module_at(address);
    if (!module)
        throw RequestError(fmt::format("no module is loaded at {:#x}", address.value),
                           "modules' code and data can be named, not the stack or the heap");
    FileAddress at = module->to_file(address);
    report.module = module->path();
    report.file_address = at.value;
    if (const Section* section = module->symbols().elf().section_at(at))
        report.section = section->name;
    if (auto nearest = module->symbols().nearest_name(at)) {
        report.symbol = nearest->name;
        report.offset = nearest->offset;
    }
    report.frames = frames_at(module->symbols(), at);
    return report;
}

}  // namespace lantern
