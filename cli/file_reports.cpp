#include "cli/file_reports.h"

#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>

#include "cli/disassemble_file.h"
#include "cli/kept_report.h"
#include "cli/progress.h"
#include "cli/symbol_server.h"
#include "cli/views/page.h"
#include "cli/views/survey.h"
#include "cli/views/text.h"
#include "core/analysis/became_report.h"
#include "core/analysis/disassembly_report.h"
#include "core/analysis/survey.h"
#include "core/session/session.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

// "toll<int>(double)" as "toll_int_double": letters and digits stay.
std::string name_for_a_file(const std::string& function) {
    std::string name;
    for (char c : function)
        if (is_word_letter(c))
            name += c;
        else if (!name.empty() && name.back() != '_')
            name += '_';
    constexpr std::size_t kLongest = 80;
    return name.substr(0, kLongest);
}

}  // namespace

SymbolSearch symbol_search(const Options& options, const Settings& settings) {
    SymbolSearch search;
    for (const std::string& folder : options.symbol_folders) {
        if (!std::filesystem::is_directory(folder))
            throw FileError(fmt::format("--symbols {}: there is no such folder", folder),
                            "name the folder that holds debug files");
        search.folders.push_back(std::filesystem::absolute(folder));
    }
    search.folders.insert(search.folders.end(), settings.symbol_folders.begin(),
                          settings.symbol_folders.end());
    if (options.ask_servers || settings.ask_servers)
        search.fetch = symbol_server(settings.symbol_servers, isatty(2));
    if (settings.keep_indexes) search.index_folder = cache_folder();
    search.index_limit = settings.index_limit;
    search.progress = names_progress();
    return search;
}

int run_survey(const Options& options, Output& output) {
    SymbolSearch search = symbol_search(options, read_settings(settings_file()));
    SurveyReport report;
    for (const std::string& program : options.surveyed) {
        auto progress = [&](double done) { search.progress(program, done); };
        report.programs.push_back(survey_program(program, search, options.source_map, progress));
        clear_progress();
    }
    output.show(report);
    if (!options.record_folder.empty())
        keep_report(report, survey_page(report), options.record_folder, "survey", output);
    return kWorked;
}

int run_became(const Options& options, Output& output) {
    LaunchOptions launch;
    launch.program = options.program;
    Session session(std::move(launch), options.source_map,
                    symbol_search(options, read_settings(settings_file())));
    auto records = options.records.empty() ? std::vector<CompilerRecord>()
                                           : read_compiler_records(options.records);
    for (const std::string& place : options.places) {
        BecameReport report = report_became(session.moment(), session.place(place), records);
        output.show(report);
        if (options.record_folder.empty()) continue;
        std::string title = "What became of " + report.function;
        keep_report(report, page_of_text(title, text_of(report, {true, 100, false})),
                    options.record_folder, "became-" + name_for_a_file(report.function), output);
    }
    return kWorked;
}

// The code of places, as a session shows it; of the whole file where none is named.
int run_disassembly(const Options& options, Output& output) {
    Settings settings = read_settings(settings_file());
    Syntax syntax = settings.att_syntax ? Syntax::att : Syntax::intel;
    LaunchOptions launch;
    launch.program = options.program;
    Session session(std::move(launch), options.source_map, symbol_search(options, settings));
    if (options.places.empty()) {
        if (output.format() == Format::json)
            throw RequestError(
                "a whole program is written as text",
                "name functions for JSON: elm-lantern disassembly PROGRAM main --format json");
        return disassemble_file(session.symbols(), syntax, stdout) ? kWorked : kNotReadable;
    }
    for (const std::string& place : options.places) {
        DisassemblyQuery query;
        query.place = session.place(place);
        query.whole = true;
        query.syntax = syntax;
        output.show(report_disassembly(session.moment(), query, session.breakpoints()));
    }
    return kWorked;
}

}  // namespace lantern::cli
