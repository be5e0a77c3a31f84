#include "cli/settings_page.h"

#include <fmt/format.h>

#include "cli/saved_file.h"
#include "cli/settings.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

struct Setting {
    std::string_view table, name, explanation, example;  // `example`: as it stands in the file
    std::string (*now)(const Settings&);
};

std::string listed(const std::vector<std::string>& texts) {
    std::string out;
    for (const std::string& text : texts) out += (out.empty() ? "" : ", ") + quote(text);
    return "[" + out + "]";
}

std::vector<std::string> as_texts(const std::vector<std::filesystem::path>& paths) {
    return {paths.begin(), paths.end()};
}

constexpr const char* kOf[] = {"false", "true"};

const Setting kSettings[] = {
    {"", "source_lines", "how many lines of source a stop shows, from 1 to 200", "source_lines = 6",
     [](const Settings& s) { return std::to_string(s.source_lines); }},
    {"", "syntax", "how instructions are written: \"intel\" or \"att\"", "syntax = \"intel\"",
     [](const Settings& s) { return std::string(s.att_syntax ? "\"att\"" : "\"intel\""); }},
    {"", "libraries", "folders whose code is passed through by into, besides the system's",
     "libraries = [\"/opt/canal/lib\"]",
     [](const Settings& s) { return listed(s.library_folders); }},
    {"words", "NAME", "a short word of your own, and the command it stands for",
     "lv = \"value chamber->level_cm\"",
     [](const Settings& s) { return s.words.empty() ? "none" : counted(s.words.size(), "word"); }},
    {"symbols", "folders", "where separate debug files lie", "folders = [\"/srv/symbols\"]",
     [](const Settings& s) { return listed(as_texts(s.symbol_folders)); }},
    {"symbols", "servers", "where missing debug files are fetched from",
     "servers = [\"https://symbols.example\"]",
     [](const Settings& s) { return listed(s.symbol_servers); }},
    {"symbols", "ask_servers", "whether they are asked without --ask-servers",
     "ask_servers = false", [](const Settings& s) { return std::string(kOf[s.ask_servers]); }},
    {"symbols", "keep_indexes", "whether indexes of large debug files are kept for the next time",
     "keep_indexes = true", [](const Settings& s) { return std::string(kOf[s.keep_indexes]); }},
    {"symbols", "index_limit_mb", "how many megabytes of them", "index_limit_mb = 512",
     [](const Settings& s) { return std::to_string(s.index_limit / 1'000'000); }},
    {"view", "[[view]]",
     "how a type of yours is shown: type, text, elements, children (see docs/guide.md)",
     "[[view]]\n# type = \"canal::Chamber\"\n# text = \"level_cm\"",
     [](const Settings& s) { return s.views.empty() ? "none" : counted(s.views.size(), "view"); }},
};

std::string commented_file() {
    std::string out =
        "# Settings of Elm Lantern. Take the # off a line to set it; elm-lantern settings tells "
        "what is set.\n";
    std::string_view table;
    for (const Setting& setting : kSettings) {
        bool is_new = setting.table != table;
        table = setting.table;
        if (is_new && table != "view") out += fmt::format("\n# [{}]\n", table);
        if (table == "view") out += "\n";
        out += fmt::format("# {}\n# {}\n", setting.explanation, setting.example);
    }
    return out;
}

}  // namespace

HelpReport settings_page(const std::filesystem::path& file) {
    if (file.empty())
        throw FileError("there is no folder for settings: neither XDG_CONFIG_HOME nor HOME is set",
                        "set HOME");
    HelpReport report;
    report.title = "settings";
    std::error_code ignored;
    if (std::filesystem::exists(file, ignored)) {
        report.text = fmt::format("They are read from {}.", file.string());
    } else {
        std::filesystem::create_directories(file.parent_path(), ignored);
        write_whole_file(file, commented_file());
        report.text =
            fmt::format("{} was not there: it has been written, with every setting as a comment.",
                        file.string());
    }
    Settings settings = read_settings(file);
    std::string_view table = "?";
    for (const Setting& setting : kSettings) {
        if (setting.table != table)
            report.groups.push_back({setting.table.empty()     ? "at the top"
                                     : setting.table == "view" ? "views"
                                                               : fmt::format("[{}]", setting.table),
                                     {}});
        table = setting.table;
        report.groups.back().entries.push_back(
            {fmt::format("{} = {}", setting.name, setting.now(settings)),
             std::string(setting.explanation)});
        if (setting.table != "words") continue;
        for (const auto& [word, command] : settings.words)
            report.groups.back().entries.push_back(
                {fmt::format("{} = {}", word, quote(command)), "yours"});
    }
    return report;
}

}  // namespace lantern::cli
