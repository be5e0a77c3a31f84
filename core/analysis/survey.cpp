#include "core/analysis/survey.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <unordered_map>
#include <unordered_set>

#include "core/analysis/survey_units.h"
#include "core/object/sanitizer.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/producer.h"

namespace lantern {

using dwarf::DebugInfo, dwarf::UnitSurvey;

namespace {

std::string language_name(std::uint16_t language) {
    using enum dwarf::LanguageName;
    switch (language) {
        case 0: return "not said";
        case DW_LANG_C89:
        case DW_LANG_C:
        case DW_LANG_C99:
        case DW_LANG_C11:
        case DW_LANG_C17: return "C";
        case DW_LANG_C_plus_plus:
        case DW_LANG_C_plus_plus_03:
        case DW_LANG_C_plus_plus_11:
        case DW_LANG_C_plus_plus_14:
        case DW_LANG_C_plus_plus_17:
        case DW_LANG_C_plus_plus_20: return "C++";
        case DW_LANG_Rust: return "Rust";
        case DW_LANG_Mips_Assembler: return "assembler";
        case DW_LANG_Fortran77:
        case DW_LANG_Fortran90:
        case DW_LANG_Fortran95:
        case DW_LANG_Fortran03:
        case DW_LANG_Fortran08: return "Fortran";
        case DW_LANG_Ada83:
        case DW_LANG_Ada95: return "Ada";
        case DW_LANG_Pascal83: return "Pascal";
        case DW_LANG_D: return "D";
        case DW_LANG_Go: return "Go";
        case DW_LANG_Swift: return "Swift";
        case DW_LANG_ObjC: return "Objective-C";
        default: return fmt::format("language {:#x}", language);
    }
}

std::string first_number(std::string_view text) {
    std::size_t start = text.find_first_of("0123456789");
    if (start == std::string_view::npos) return "";
    std::size_t end = text.find_first_not_of("0123456789.", start);
    return std::string(text.substr(start, end == std::string_view::npos ? end : end - start));
}

// "GNU C++17 12.2.0 -mtune=generic … -O2" and its like: who, and which version.
std::string compiler_name(std::string_view producer) {
    if (producer.empty()) return "not said";
    if (std::size_t at = producer.find("rustc version "); at != std::string_view::npos)
        return "rustc " + first_number(producer.substr(at));
    if (std::size_t at = producer.find("clang version "); at != std::string_view::npos)
        return "clang " + first_number(producer.substr(at));
    if (producer.starts_with("GNU AS")) return "as " + first_number(producer);
    if (producer.starts_with("GNU ")) {
        std::string_view rest = producer.substr(4);
        std::size_t space = rest.find(' ');
        bool is_linked = rest.starts_with("GIMPLE");
        return fmt::format("gcc {}{}",
                           space == std::string_view::npos ? "" : first_number(rest.substr(space)),
                           is_linked ? ", link-time optimised" : "");
    }
    return escape_for_display(producer.substr(0, 40));
}

struct Optimisation {
    std::string level, source;
    bool is_optimised = false, is_inferred = false;
};

Optimisation optimisation_of(std::string_view producer, const UnitSurvey& unit) {
    if (auto recorded = recorded_optimisation(producer))
        return {*recorded, "recorded by the compiler", *recorded != "-O0" && *recorded != "-Og",
                false};
    if (producer.starts_with("GNU AS")) return {"assembler", "written by hand"};
    if (unit.functions == 0) return {"no code", ""};
    // Variables tell it best: without optimisation each stays in its place, but for a few that come
    // with inlined library code. Calls may be inlined at any level, because the source or a library
    // insists.
    if (unit.moving * 5 > unit.variables)
        return {"optimised", "inferred: variables move between places", true, true};
    if (unit.nowhere * 4 > unit.variables)
        return {"optimised", "inferred: variables are missing", true, true};
    if (unit.variables)
        return {"not optimised", "inferred: variables stay in their places", false, true};
    if (unit.inlined_calls) return {"optimised", "inferred: calls were inlined", true, true};
    return {"not known", "no variables and no inlined calls to tell it by"};
}

void add_groups(Survey& survey, const DebugInfo& info, const std::vector<UnitSurvey>& units) {
    std::map<std::tuple<std::string, std::string, std::string, unsigned>, SurveyGroup> groups;
    for (std::size_t i = 0; i < units.size(); ++i) {
        const dwarf::Unit& unit = *info.units()[i];
        if (unit.holds_type()) {
            ++survey.type_units;
            continue;
        }
        if (unit.root().tag == dwarf::DW_TAG_partial_unit) {
            ++survey.partial_units;
            continue;
        }
        ++survey.units;
        std::string_view producer = unit.root().producer;
        Optimisation optimisation = optimisation_of(producer, units[i]);
        std::string language = language_name(unit.language()), compiler = compiler_name(producer);
        SurveyGroup& group = groups[{language, compiler, optimisation.level, unit.version}];
        group.language = language;
        group.compiler = compiler;
        group.optimisation = optimisation.level;
        group.optimisation_source = optimisation.source;
        group.is_optimised = optimisation.is_optimised;
        group.is_inferred = optimisation.is_inferred;
        group.dwarf_version = unit.version;
        ++group.units;
        group.functions += units[i].functions;
        group.code_bytes += units[i].code_bytes;
    }
    for (auto& [key, group] : groups) survey.groups.push_back(std::move(group));
    std::sort(
        survey.groups.begin(), survey.groups.end(),
        [](const SurveyGroup& a, const SurveyGroup& b) { return a.code_bytes > b.code_bytes; });
}

bool is_debug_section(const std::string& name) {
    return name.starts_with(".debug_") || name.starts_with(".zdebug_") ||
           name.starts_with(".gnu_debug") ||
           (name.starts_with(".") &&
            name.ends_with("_index"));  // the last: an index that a linker made
}

void add_sections(Survey& survey, const ElfFile& program, const ElfFile* separate) {
    SurveySection rest{"everything else", "", 0, 0, false};
    for (const Section& section : program.sections()) {
        bool is_debug = is_debug_section(section.name),
             is_table = section.name == ".symtab" || section.name == ".strtab";
        if (is_debug) survey.debug_bytes += section.stored_size;
        if (is_debug || is_table)
            survey.sections.push_back(
                {section.name, section.compression, section.stored_size, section.size, is_debug});
        else
            rest.stored += section.stored_size;
    }
    if (separate)
        for (const Section& section : separate->sections()) {
            if (!is_debug_section(section.name) || !section.stored_size) continue;
            survey.separate_bytes += section.stored_size;
            survey.sections.push_back({section.name + " (separate file)", section.compression,
                                       section.stored_size, section.size, true});
        }
    std::sort(survey.sections.begin(), survey.sections.end(),
              [](const SurveySection& a, const SurveySection& b) { return a.stored > b.stored; });
    rest.size = rest.stored;
    survey.sections.push_back(std::move(rest));
}

void add_sources(Survey& survey, const std::vector<UnitSurvey>& units,
                 const std::vector<SourceMapping>& mappings) {
    std::unordered_map<std::string, std::optional<std::array<std::uint8_t, 16>>> files;
    for (const UnitSurvey& unit : units)
        for (const dwarf::LineFile& file : unit.files)
            if (auto& slot = files[file.path]; !slot) slot = file.md5;
    SourceFiles sources(mappings);
    for (const auto& [path, md5] : files) {
        if (path.empty() || path.ends_with("<built-in>") || path.ends_with("<artificial>") ||
            path.find("<") != std::string::npos)
            continue;
        SourceState state = sources.state(path, md5, survey.built_at);
        // The system's headers came with a package, later perhaps than the one that brought the
        // program.
        if (state == SourceState::newer && path.starts_with("/usr/")) state = SourceState::good;
        if (state == SourceState::good) ++survey.sources_good;
        if (state == SourceState::missing) ++survey.sources_missing;
        if (state == SourceState::newer) ++survey.sources_newer;
        if (state == SourceState::different) ++survey.sources_different;
        if (md5) ++survey.sources_checked_by_sum;
        survey.sources.push_back({path, state, md5.has_value()});
    }
    std::sort(survey.sources.begin(), survey.sources.end(),
              [](const SurveySource& a, const SurveySource& b) {
                  bool good_a = a.state == SourceState::good, good_b = b.state == SourceState::good;
                  return std::tie(good_a, a.state, a.path) < std::tie(good_b, b.state, b.path);
              });
}

// The usual first instructions, behind the mark that indirect jumps may land on: push rbp; mov rbp,
// rsp.
bool keeps_frame_pointer(const ElfFile& elf, FileAddress entry) {
    ByteSpan bytes = elf.loaded_bytes(entry, 8);
    auto starts = [&](std::initializer_list<unsigned> wanted) {
        std::size_t i = 0;
        for (unsigned byte : wanted)
            if (i >= bytes.size() || static_cast<unsigned>(bytes[i++]) != byte) return false;
        return true;
    };
    if (starts({0xf3, 0x0f, 0x1e, 0xfa})) bytes = elf.loaded_bytes(entry + 4, 8);
    return starts({0x55, 0x48, 0x89, 0xe5});
}

void add_functions(Survey& survey, const ModuleSymbols& symbols,
                   const std::vector<UnitSurvey>& units) {
    const SymbolIndex& index = symbols.index();
    survey.names = index.names().size();
    std::unordered_set<dwarf::Position> inlined;
    for (const UnitSurvey& unit : units) {
        survey.functions += unit.functions;
        survey.inlined_calls += unit.inlined_calls;
        survey.variables += unit.variables;
        survey.variables_everywhere += unit.everywhere;
        survey.variables_partly += unit.partly;
        survey.variables_nowhere += unit.nowhere;
        survey.variable_coverage += unit.coverage;
        inlined.insert(unit.inlined_origins.begin(), unit.inlined_origins.end());
    }
    if (survey.variables) survey.variable_coverage /= static_cast<double>(survey.variables);
    // By name: every unit that inlined a function has an abstract entry of it, and one may have the
    // code.
    std::unordered_set<std::string> with_code;
    std::unordered_set<std::string> without;
    for (const NameEntry& entry : index.names())
        if (entry.kind == NameKind::function) with_code.insert(index.qualified_name(entry));
    for (const NameEntry& entry : index.names()) {
        if (entry.kind != NameKind::inlined_function || !inlined.count(entry.position)) continue;
        std::string name = index.qualified_name(entry);
        if (!with_code.count(name)) without.insert(std::move(name));
    }
    survey.inlined_away = without.size();
    // Every so-many-th function, some hundreds in all.
    std::span<const CodeRange> code = index.tables().code;
    std::size_t step = std::max<std::size_t>(1, code.size() / 500);
    for (std::size_t i = 0; i < code.size(); i += step) {
        ++survey.frame_pointer_looked_at;
        survey.frame_pointer_kept += keeps_frame_pointer(symbols.elf(), code[i].low);
    }
}

std::string origin_text(const SymbolFiles& files, bool has_units) {
    switch (files.origin()) {
        case SymbolOrigin::program:
            return has_units ? "the program's own file"
                             : "the program's own file, but nothing of it can be read";
        case SymbolOrigin::build_id: return "a separate file found by build id";
        case SymbolOrigin::debug_link:
            return "a separate file the program names; its checksum fits";
        case SymbolOrigin::beside:
            return "a separate file of the program's name; its build id fits";
        case SymbolOrigin::server: return "a symbol server";
        case SymbolOrigin::nowhere: break;
    }
    return "none found";
}

// The folder that most missing sources lie under: what a mapping should start from.
std::string common_folder(const std::vector<SurveySource>& sources) {
    std::string common;
    for (const SurveySource& source : sources) {
        if (source.state != SourceState::missing || !source.path.starts_with('/')) continue;
        std::string folder = std::filesystem::path(source.path).parent_path().string();
        if (common.empty()) common = folder;
        while (common.size() > 1 && folder != common && !folder.starts_with(common + "/"))
            common = std::filesystem::path(common).parent_path().string();
        if (common.size() <= 1) return "";  // nothing in common but the root
    }
    return common;
}

void add_weaknesses(Survey& survey, const ModuleSymbols& symbols) {
    auto add = [&](std::string what, Advice advice) {
        survey.weaknesses.push_back({std::move(what), std::move(advice)});
    };
    bool is_rust = std::any_of(survey.groups.begin(), survey.groups.end(),
                               [](const SurveyGroup& g) { return g.language == "Rust"; });
    std::string debug_flag = is_rust ? "-g (for cargo: debug = true in the profile)" : "-g";
    if (!survey.has_symbols)
        add("there is no debug information: no lines, variables or types",
            survey.build_id.empty()
                ? fmt::format("compile with {}", debug_flag)
                : Advice(fmt::format("compile with {}; or, if it exists as a separate file",
                                     debug_flag))
                      .and_also(Next::name_symbol_folder));
    if (!survey.has_symbols && !survey.has_symbol_table)
        add("the linker's symbols are stripped too: only exported functions have names",
            "link without -s, and do not run strip on it");
    for (const std::string& refused : survey.refused)
        add(escape_for_display(refused),
            Advice("build both from the same sources; or, if the right one is elsewhere")
                .and_also(Next::name_symbol_folder));
    if (survey.missing_split_files)
        add(fmt::format("{} missing: their units have lines, but no names, types or variables",
                        counted(survey.missing_split_files, "split file")),
            Advice("keep the .dwo files beside the objects, or make a package PROGRAM.dwp of them")
                .and_also(Next::name_symbol_folder));
    if (survey.sources_newer + survey.sources_different)
        add(fmt::format("{} changed since the program was built: lines will not match",
                        counted(survey.sources_newer + survey.sources_different, "source file")),
            "build the program again");
    if (survey.sources_missing && survey.sources_missing * 10 >= survey.sources.size()) {
        std::string from = common_folder(survey.sources), library;
        std::uint64_t of_library = 0;
        for (const SurveySource& source : survey.sources) {
            if (source.state != SourceState::missing || !source.path.starts_with("/rustc/"))
                continue;
            ++of_library;
            library = source.path.substr(0, source.path.find('/', 7));
        }
        if (of_library)
            add(fmt::format("{} source files of Rust's own library are not here", of_library),
                Advice("install the library's sources (rust-src)")
                    .and_also(Next::map_sources_from, escape_for_display(library)));
        if (survey.sources_missing > of_library)
            add(fmt::format("{} of {} {}source files are not here",
                            survey.sources_missing - of_library, survey.sources.size() - of_library,
                            of_library ? "other " : ""),
                from.empty() ? Advice(Next::map_sources)
                             : Advice(Next::map_sources_from, escape_for_display(from)));
    }
    std::uint64_t optimised = 0, all = 0;
    for (const SurveyGroup& group : survey.groups) {
        all += group.code_bytes;
        if (group.is_optimised) optimised += group.code_bytes;
    }
    if (all && optimised * 2 > all)
        add(fmt::format("{} of the code is optimised: steps jump about, and variables come and go",
                        percent(static_cast<double>(optimised) / static_cast<double>(all))),
            is_rust ? "opt-level = 0 or 1 in the profile, for the crates you look into"
                    : "compile the files you look into with -Og or -O0");
    if (survey.variables && survey.variable_coverage < 0.75)
        add(fmt::format("a variable has a place over only {} of its scope, on average",
                        percent(survey.variable_coverage)),
            "-Og keeps more of them; locals says of each where it has a place");
    if (survey.has_symbols && survey.functions && survey.variables == 0)
        add("there are lines but no variables",
            "compile with -g or -g2, not with -g1 or line tables only");
    for (const SurveyGroup& group : survey.groups)
        if (group.dwarf_version < 4 && group.functions) {
            add(fmt::format("some units are DWARF {}: it cannot tell where optimised variables are "
                            "as well as later versions do",
                            group.dwarf_version),
                "compile with -gdwarf-5");
            break;
        }
    if (survey.build_id.empty())
        add("it has no build id: separate debug files cannot be told from those of another build, "
            "and no index is kept",
            "link with -Wl,--build-id");
    if (!symbols.elf().section(".eh_frame") && !symbols.elf().section(".debug_frame"))
        add("it has no call-frame information: the stack is walked by frame pointers alone",
            "compile without -fno-asynchronous-unwind-tables");
    for (const std::string& problem : survey.problems)
        if (std::find(survey.refused.begin(), survey.refused.end(), problem) ==
            survey.refused.end())
            add(escape_for_display(problem),
                "build or copy the file again; everything else in it is used");
}

}  // namespace

std::string compiler_of(const ModuleSymbols& symbols) {
    std::map<std::string, unsigned> units;
    for (const auto& unit : symbols.debug_info().units()) {
        if (unit->holds_type()) continue;
        std::string_view producer = unit->root().producer;
        if (producer.empty() || producer.starts_with("GNU AS")) continue;
        auto level = recorded_optimisation(producer);
        ++units[compiler_name(producer) + (level ? " " + *level : "")];
    }
    auto most = std::max_element(
        units.begin(), units.end(),
        [](const auto& one, const auto& other) { return one.second < other.second; });
    return most == units.end() ? "not said" : most->first;
}

Survey survey_program(const std::filesystem::path& path, const SymbolSearch& search,
                      const std::vector<SourceMapping>& mappings,
                      const std::function<void(double)>& progress) {
    ModuleSymbols symbols(path, search);
    const ElfFile& elf = symbols.elf();
    const DebugInfo& info = symbols.debug_info();
    Survey survey;
    survey.path = path.string();
    survey.build_id = elf.build_id();
    survey.file_size = elf.file_size();
    survey.built_at = elf.modified_at();
    survey.kind = !elf.is_executable_file()    ? "shared library"
                  : elf.position_independent() ? "position-independent program"
                                               : "program at fixed addresses";
    if (const Sanitizer* sanitizer = sanitizer_of(elf)) survey.sanitizer = sanitizer->name;
    survey.is_dynamic = elf.dynamic() || !elf.is_executable_file();
    survey.has_symbol_table = elf.section(".symtab") != nullptr;
    survey.has_symbols = symbols.has_debug_information();
    survey.symbols_from = origin_text(symbols.files(), survey.has_symbols);
    if (symbols.files().separate())
        survey.separate_file = symbols.files().separate()->path().string();
    if (symbols.files().shared()) survey.shared_file = symbols.files().shared()->path().string();
    survey.package = symbols.files().package();
    survey.split_files = info.split_files();
    survey.missing_split_files = info.missing_split_files();
    survey.refused = symbols.files().refused();

    // Two passes of about the same length.
    std::function<void(double)> second;
    if (progress) second = [&](double done) { progress(0.4 + 0.6 * done); };
    symbols.index();
    std::vector<UnitSurvey> units = dwarf::survey_units(info, symbols.code_areas(), second);
    add_groups(survey, info, units);
    add_sections(survey, elf, symbols.files().separate());
    add_sources(survey, units, mappings);
    add_functions(survey, symbols, units);
    survey.address_indexes = symbols.own_indexes();
    survey.problems = symbols.problems();
    // Missing split files are told once, with what to do.
    for (const std::string& problem : info.split_problems()) std::erase(survey.problems, problem);
    add_weaknesses(survey, symbols);
    return survey;
}

}  // namespace lantern
