// `elm-lantern survey`, as text.
#include <fmt/format.h>

#include <ctime>

#include "cli/advice_text.h"
#include "cli/views/survey.h"
#include "cli/views/text.h"
#include "core/analysis/survey.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string row(const char* label, const std::string& text) {
    return fmt::format("  {}  {}\n", padded(label, 18), text);
}

void add_weaknesses(std::string& out, const Survey& survey, const Style& style) {
    if (survey.weaknesses.empty()) {
        out += "  nothing stands in the way\n";
        return;
    }
    for (const Finding& weakness : survey.weaknesses)
        out += fmt::format("  {} {}\n    {} {}\n", style.warning("•"), weakness.what,
                           style.faint("next:"), advice_text(weakness.next));
}

void add_groups(std::string& out, const Survey& survey, const Style& style) {
    out += style.strong("Who compiled what") + "\n";
    out += style.faint(fmt::format("  {} {} {} {} {:>6} {:>10} {:>12}\n", padded("language", 10),
                                   padded("compiler", 30), padded("optimisation", 14),
                                   padded("DWARF", 5), "units", "functions", "code"));
    for (const SurveyGroup& group : survey.groups) {
        out +=
            fmt::format("  {} {} {} {} {:>6} {:>10} {:>12}\n", padded(group.language, 10),
                        padded(group.compiler, 30), padded(group.optimisation, 14),
                        padded(std::to_string(group.dwarf_version), 5), with_thousands(group.units),
                        with_thousands(group.functions), bytes_text(group.code_bytes));
        if (group.is_inferred)
            out += fmt::format("             {}\n", style.faint(group.optimisation_source));
    }
}

void add_sections(std::string& out, const Survey& survey, const Style& style) {
    out += style.strong("What takes the room") + "\n";
    for (const SurveySection& section : survey.sections) {
        std::string packed = section.compression.empty()
                                 ? ""
                                 : fmt::format("  {} when decompressed ({})",
                                               bytes_text(section.size), section.compression);
        out += fmt::format("  {} {:>12}{}\n", padded(escape_for_display(section.name), 34),
                           bytes_text(section.stored), packed);
    }
    out += fmt::format("  debug information adds {} to the file of {}{}\n",
                       bytes_text(survey.debug_bytes), bytes_text(survey.file_size),
                       survey.separate_bytes ? fmt::format(", and {} lie in the separate file",
                                                           bytes_text(survey.separate_bytes))
                                             : "");
}

void add_sources(std::string& out, const Survey& survey, const Style& style) {
    out += style.strong("Source files") + "\n";
    for (const auto& [label, text] : source_facts(survey)) out += row(label.c_str(), text);
    constexpr std::size_t kMost = 10;
    std::size_t troubled = survey.sources_missing + survey.sources_newer + survey.sources_different;
    for (std::size_t i = 0; i < std::min(troubled, kMost); ++i)
        out += fmt::format("    {}  {}\n", padded(word_of(survey.sources[i].state), 22),
                           escape_for_display(survey.sources[i].path));
    if (troubled > kMost)
        out += fmt::format("    … {} more; --format json lists them all\n", troubled - kMost);
}

std::string one_text(const Survey& survey, const Style& style) {
    std::string out =
        heading_line("survey of " + short_file(survey.path),
                     survey.has_symbols ? "has debug information" : "no debug information", style);
    for (const auto& [label, text] : program_facts(survey)) out += row(label.c_str(), text);
    if (survey.has_symbols) {
        add_groups(out, survey, style);
        out += style.strong("What the compiler left") + "\n";
        for (const auto& [label, text] : code_facts(survey)) out += row(label.c_str(), text);
        add_sources(out, survey, style);
    }
    add_sections(out, survey, style);
    out += style.strong("What stands in the way, and what to do") + "\n";
    add_weaknesses(out, survey, style);
    return out;
}

void add_pair(std::string& out, const SurveyFacts& a, const SurveyFacts& b, const Style& style) {
    constexpr std::size_t width = 50;
    // What is too long for its column has the other program's on the next line.
    auto gap = [&](const std::string& left) {
        return display_width(left) > width ? "\n" + std::string(22 + width + 2, ' ')
                                           : std::string(width - display_width(left) + 2, ' ');
    };
    // A label may come several times: the first of one belongs to the first of the other.
    std::vector<bool> told(b.size());
    for (const auto& [label, left] : a) {
        std::string right = "—";
        for (std::size_t i = 0; i < b.size(); ++i) {
            if (told[i] || b[i].first != label) continue;
            right = b[i].second;
            told[i] = true;
            break;
        }
        out += fmt::format("  {}  {}{}{}\n", padded(label, 18), left, gap(left),
                           left != right ? style.changed(right) : style.faint("the same"));
    }
    for (std::size_t i = 0; i < b.size(); ++i)
        if (!told[i])
            out += fmt::format("  {}  —{}{}\n", padded(b[i].first, 18), gap("—"),
                               style.changed(b[i].second));
}

std::string pair_text(const Survey& a, const Survey& b, const Style& style) {
    std::string out = heading_line("survey of two programs", "what differs is on the right", style);
    out += fmt::format("  {} and {}\n", style.strong(short_file(a.path)),
                       style.strong(short_file(b.path)));
    add_pair(out, program_facts(a), program_facts(b), style);
    out += style.strong("Who compiled what") + "\n";
    add_pair(out, group_facts(a), group_facts(b), style);
    out += style.strong("What the compiler left") + "\n";
    add_pair(out, code_facts(a), code_facts(b), style);
    out += style.strong("Source files") + "\n";
    add_pair(out, source_facts(a), source_facts(b), style);
    for (const Survey* survey : {&a, &b}) {
        out += style.strong("In the way of " + short_file(survey->path)) + "\n";
        add_weaknesses(out, *survey, style);
    }
    return out;
}

}  // namespace

std::string bytes_text(std::uint64_t bytes) {
    if (bytes < 10'000) return counted(bytes, "byte");
    if (bytes < 1'000'000) return fmt::format("{:.1f} kB", static_cast<double>(bytes) / 1e3);
    return fmt::format("{:.1f} MB", static_cast<double>(bytes) / 1e6);
}

const char* word_of(SourceState state) {
    switch (state) {
        case SourceState::missing: return "not here";
        case SourceState::newer: return "newer than the program";
        case SourceState::different: return "differs (MD5)";
        case SourceState::good: break;
    }
    return "here";
}

SurveyFacts program_facts(const Survey& survey) {
    SurveyFacts facts;
    std::time_t built = survey.built_at;
    facts.push_back({"file", fmt::format("{}, {}", escape_for_display(survey.path),
                                         bytes_text(survey.file_size))});
    facts.push_back(
        {"kind", fmt::format("{}, {}", survey.kind,
                             survey.is_dynamic ? "linked dynamically" : "linked statically")});
    std::tm local{};
    char written[32] = "";
    if (localtime_r(&built, &local))
        std::strftime(written, sizeof written, "%Y-%m-%d %H:%M:%S", &local);
    if (!survey.sanitizer.empty()) facts.push_back({"built with", survey.sanitizer});
    facts.push_back({"last written", written});
    facts.push_back({"build id", survey.build_id.empty() ? "none" : survey.build_id});
    facts.push_back({"debug information", survey.symbols_from});
    if (!survey.separate_file.empty())
        facts.push_back({"separate file", escape_for_display(survey.separate_file)});
    if (!survey.shared_file.empty())
        facts.push_back({"shared data", escape_for_display(survey.shared_file)});
    if (!survey.package.empty())
        facts.push_back({"split package", escape_for_display(survey.package)});
    if (survey.split_files + survey.missing_split_files)
        facts.push_back({"split files", fmt::format("{} read, {} missing", survey.split_files,
                                                    survey.missing_split_files)});
    facts.push_back({"linker's symbols", survey.has_symbol_table ? "kept" : "stripped"});
    if (survey.has_symbols) {
        std::string units = counted(survey.units, "unit");
        if (survey.type_units)
            units += fmt::format(", {}", counted(survey.type_units, "type unit"));
        if (survey.partial_units)
            units += fmt::format(", {} shared between them", counted(survey.partial_units, "part"));
        facts.push_back({"units", units});
    }
    for (const std::string& index : survey.address_indexes)
        facts.push_back({"index in the file", index});
    return facts;
}

SurveyFacts group_facts(const Survey& survey) {
    SurveyFacts facts;
    for (const SurveyGroup& group : survey.groups)
        facts.push_back({fmt::format("{}, DWARF {}", group.language, group.dwarf_version),
                         fmt::format("{}, {}, {} of code", group.compiler, group.optimisation,
                                     bytes_text(group.code_bytes))});
    return facts;
}

SurveyFacts code_facts(const Survey& survey) {
    SurveyFacts facts;
    auto share = [](std::uint64_t part, std::uint64_t whole) {
        return whole ? fmt::format("{:.0f} %",
                                   100.0 * static_cast<double>(part) / static_cast<double>(whole))
                     : std::string("none");
    };
    facts.push_back({"functions", fmt::format("{} with code; {} inlined away entirely",
                                              with_thousands(survey.functions),
                                              with_thousands(survey.inlined_away))});
    facts.push_back({"inlined calls", with_thousands(survey.inlined_calls)});
    facts.push_back(
        {"frame pointer",
         survey.frame_pointer_looked_at
             ? fmt::format("kept by {} of the functions ({} looked at)",
                           share(survey.frame_pointer_kept, survey.frame_pointer_looked_at),
                           survey.frame_pointer_looked_at)
             : "not known"});
    if (survey.variables) {
        facts.push_back(
            {"variables", fmt::format("{}: {} have a place all the time, {} some of it, {} never",
                                      with_thousands(survey.variables),
                                      share(survey.variables_everywhere, survey.variables),
                                      share(survey.variables_partly, survey.variables),
                                      share(survey.variables_nowhere, survey.variables))});
        facts.push_back(
            {"on average", fmt::format("a variable has a place over {:.0f} % of its scope",
                                       100 * survey.variable_coverage)});
    } else {
        facts.push_back({"variables", "none described"});
    }
    facts.push_back({"names", with_thousands(survey.names)});
    return facts;
}

SurveyFacts source_facts(const Survey& survey) {
    SurveyFacts facts;
    std::string checked = survey.sources_checked_by_sum
                              ? fmt::format(" ({} compared by checksum, the others by time)",
                                            survey.sources_checked_by_sum)
                              : " (compared by time)";
    facts.push_back({"here and the same", fmt::format("{} of {}{}", survey.sources_good,
                                                      survey.sources.size(), checked)});
    if (survey.sources_missing)
        facts.push_back({"not here", std::to_string(survey.sources_missing)});
    if (survey.sources_newer + survey.sources_different)
        facts.push_back({"stale", fmt::format("{} newer than the program, {} different",
                                              survey.sources_newer, survey.sources_different)});
    return facts;
}

std::string survey_text(const SurveyReport& report, const Style& style) {
    if (report.programs.size() == 2)
        return pair_text(report.programs[0], report.programs[1], style);
    std::string out;
    for (const Survey& survey : report.programs) out += one_text(survey, style);
    return out;
}

}  // namespace lantern::cli
