// The page of `elm-lantern survey --out DIR`.
#include <fmt/format.h>

#include <filesystem>

#include "cli/advice_text.h"
#include "cli/views/page.h"
#include "cli/views/survey.h"
#include "core/analysis/survey.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::string facts_table(const SurveyFacts& facts) {
    std::string out = "<table class=\"facts\">";
    for (const auto& [label, text] : facts)
        out += fmt::format("<tr><th>{}</th><td>{}</td></tr>", html(label), html(text));
    return out + "</table>\n";
}

std::string weaknesses(const Survey& survey) {
    if (survey.weaknesses.empty())
        return "<div class=\"advice good\"><b>Nothing stands in the way.</b></div>\n";
    std::string out;
    for (const Finding& weakness : survey.weaknesses)
        out += fmt::format("<div class=\"advice\"><b>{}</b>{}</div>\n", html(weakness.what),
                           html(advice_text(weakness.next)));
    return out;
}

std::string groups(const Survey& survey) {
    std::string out =
        "<table><tr><th>language</th><th>compiler</th><th>optimisation</th><th>DWARF</th><th "
        "class=\"number\">units</th><th class=\"number\">functions</th><th "
        "class=\"number\">code</th></tr>";
    for (const SurveyGroup& group : survey.groups)
        out += fmt::format(
            "<tr><td>{}</td><td>{}</td><td>{}<div class=\"quiet\">{}</div></td><td>{}</td><td "
            "class=\"number\">{}</td><td class=\"number\">{}</td><td class=\"number\">{}</td></tr>",
            html(group.language), html(group.compiler), html(group.optimisation),
            html(group.optimisation_source), group.dwarf_version, with_thousands(group.units),
            with_thousands(group.functions), bytes_text(group.code_bytes));
    return out + "</table>\n";
}

std::string variable_bar(const Survey& survey) {
    if (!survey.variables) return "";
    auto part = [&](const char* name, std::uint64_t count) {
        return fmt::format(
            "<i class=\"{}\" style=\"width:{:.2f}%\"></i>", name,
            100.0 * static_cast<double>(count) / static_cast<double>(survey.variables));
    };
    return "<div class=\"bar\">" + part("all", survey.variables_everywhere) +
           part("some", survey.variables_partly) + part("never", survey.variables_nowhere) +
           "</div><div class=\"key quiet\">variables that have a place<i class=\"all\"></i>all the "
           "time<i class=\"some\"></i>some of it<i class=\"never\"></i>never</div>\n";
}

std::string sections(const Survey& survey) {
    std::uint64_t most = 1;
    for (const SurveySection& section : survey.sections) most = std::max(most, section.stored);
    std::string out = "<table>";
    for (const SurveySection& section : survey.sections) {
        std::string packed = section.compression.empty()
                                 ? ""
                                 : fmt::format("{} when decompressed ({})",
                                               bytes_text(section.size), section.compression);
        out += fmt::format(
            "<tr><td>{}</td><td class=\"number\">{}</td><td style=\"width:40%\"><span "
            "class=\"room\" style=\"width:{:.1f}%\"></span></td><td class=\"quiet\">{}</td></tr>",
            html(section.name), bytes_text(section.stored),
            100.0 * static_cast<double>(section.stored) / static_cast<double>(most), packed);
    }
    return out + "</table>\n";
}

std::string sources(const Survey& survey) {
    std::string out = facts_table(source_facts(survey));
    constexpr std::size_t kMost = 40;
    std::size_t troubled = std::min<std::size_t>(
        survey.sources_missing + survey.sources_newer + survey.sources_different,
        survey.sources.size());
    if (!troubled) return out;
    out += "<table>";
    for (std::size_t i = 0; i < std::min(troubled, kMost); ++i)
        out += fmt::format("<tr><td class=\"quiet\">{}</td><td>{}</td></tr>",
                           word_of(survey.sources[i].state), html(survey.sources[i].path));
    out += "</table>";
    if (troubled > kMost)
        out += fmt::format("<p class=\"quiet\">and {} more</p>", troubled - kMost);
    return out;
}

std::string one(const Survey& survey) {
    std::string name = std::filesystem::path(survey.path).filename().string();
    std::string out =
        fmt::format("<section><h1>{}</h1><div class=\"quiet\">{}</div>\n", html(name),
                    survey.has_symbols ? "has debug information" : "has no debug information");
    out += "<h2>What stands in the way, and what to do</h2>\n" + weaknesses(survey);
    out += "<h2>The program</h2>\n" + facts_table(program_facts(survey));
    if (survey.has_symbols) {
        out += "<h2>Who compiled what</h2>\n" + groups(survey);
        out += "<h2>What the compiler left</h2>\n" + variable_bar(survey) +
               facts_table(code_facts(survey));
        out += "<h2>Source files</h2>\n" + sources(survey);
    }
    return out + "<h2>What takes the room</h2>\n" + sections(survey) + "</section>\n";
}

}  // namespace

std::string survey_page(const SurveyReport& report) {
    std::string body;
    if (report.programs.size() > 1) body += "<div class=\"columns\">\n";
    for (const Survey& survey : report.programs) body += one(survey);
    if (report.programs.size() > 1) body += "</div>\n";
    return page_of("Survey", body);
}

}  // namespace lantern::cli
