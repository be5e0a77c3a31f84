#include "cli/settings.h"

#include <fmt/format.h>

#include <toml++/toml.h>
#include <cstdlib>

#include "cli/commands/command.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::filesystem::path xdg_folder(const char* variable, const char* below_home) {
    if (const char* named = std::getenv(variable); named && *named == '/') return named;
    const char* home = std::getenv("HOME");
    return home && *home ? std::filesystem::path(home) / below_home : std::filesystem::path();
}

[[noreturn]] void refuse(const std::filesystem::path& file, const toml::source_region& where,
                         const std::string& what) {
    throw FileError(fmt::format("{}, line {}: {}", file.string(), where.begin.line, what),
                    "elm-lantern settings lists what may stand there");
}

std::vector<std::string> texts(const std::filesystem::path& file, const std::string& name,
                               const toml::node& node) {
    std::vector<std::string> all;
    const toml::array* array = node.as_array();
    if (!array) refuse(file, node.source(), fmt::format("{} must be a list of texts", name));
    for (const toml::node& each : *array) {
        auto text = each.value<std::string>();
        if (!text) refuse(file, each.source(), fmt::format("{} must be a list of texts", name));
        all.push_back(*text);
    }
    return all;
}

bool yes_or_no(const std::filesystem::path& file, const std::string& name, const toml::node& node) {
    auto value = node.value_exact<bool>();
    if (!value) refuse(file, node.source(), fmt::format("{} must be true or false", name));
    return *value;
}

void read_symbols(const std::filesystem::path& file, const toml::table& table, Settings& settings) {
    for (const auto& [key, node] : table) {
        std::string name(key.str());
        if (name == "folders")
            for (const std::string& text : texts(file, name, node))
                settings.symbol_folders.emplace_back(text);
        else if (name == "servers")
            settings.symbol_servers = texts(file, name, node);
        else if (name == "ask_servers")
            settings.ask_servers = yes_or_no(file, name, node);
        else if (name == "keep_indexes")
            settings.keep_indexes = yes_or_no(file, name, node);
        else if (name == "index_limit_mb") {
            auto number = node.value_exact<std::int64_t>();
            if (!number || *number < 0)
                refuse(file, node.source(), "index_limit_mb must be a number of megabytes");
            settings.index_limit = static_cast<std::uint64_t>(*number) * 1'000'000;
        } else {
            std::vector<std::string> known{"folders", "servers", "ask_servers", "keep_indexes",
                                           "index_limit_mb"};
            auto near = nearest_names(name, known);
            refuse(file, node.source(),
                   fmt::format("[symbols] has no setting {}{}", quote(name),
                               near.empty() ? "" : "; did you mean " + near[0] + "?"));
        }
    }
}

std::string text_of(const std::filesystem::path& file, const std::string& name,
                    const toml::node& node) {
    auto value = node.value_exact<std::string>();
    if (!value) refuse(file, node.source(), fmt::format("{} must be a text", name));
    return *value;
}

// [[view]] with type, text, elements and children = { NAME = "EXPR", … }
DeclaredView read_view(const std::filesystem::path& file, const toml::table& table) {
    DeclaredView view;
    for (const auto& [key, node] : table) {
        std::string name(key.str());
        if (name == "type")
            view.type = text_of(file, name, node);
        else if (name == "text")
            view.text = text_of(file, name, node);
        else if (name == "elements")
            view.elements = text_of(file, name, node);
        else if (const toml::table* children = node.as_table(); name == "children" && children) {
            for (const auto& [child, expression] : *children)
                view.children.emplace_back(child.str(),
                                           text_of(file, std::string(child.str()), expression));
        } else {
            refuse(file, node.source(),
                   fmt::format("a [[view]] has type, text, elements and children, not {}",
                               quote(name)));
        }
    }
    if (view.type.empty()) refuse(file, table.source(), "a [[view]] needs the type it is for");
    if (view.text.empty() && view.elements.empty() && view.children.empty())
        refuse(file, table.source(), fmt::format("the [[view]] of {} shows nothing", view.type));
    return view;
}

std::vector<std::string> folders_of(const std::filesystem::path& file, const toml::node& node) {
    std::vector<std::string> folders;
    const toml::array* all = node.as_array();
    if (!all) refuse(file, node.source(), "libraries is a list of folders");
    for (const toml::node& each : *all) {
        auto folder = each.value<std::string>();
        if (!folder || !folder->starts_with('/'))
            refuse(file, each.source(), "libraries is a list of folders, each from / on");
        folders.push_back(*folder);
    }
    return folders;
}

void read_views(const std::filesystem::path& file, const toml::node& node, Settings& settings) {
    const toml::array* all = node.as_array();
    if (!all) refuse(file, node.source(), "views are written as [[view]], one for each type");
    for (const toml::node& each : *all) {
        const toml::table* table = each.as_table();
        if (!table) refuse(file, each.source(), "views are written as [[view]], one for each type");
        settings.views.push_back(read_view(file, *table));
    }
}

// The user's own short words: name = "COMMAND …".
void read_words(const std::filesystem::path& file, const toml::node& node, Settings& settings) {
    const toml::table* table = node.as_table();
    if (!table)
        refuse(file, node.source(),
               "words is written as [words], with lines such as wr = \"pause on write\"");
    for (const auto& [key, value] : *table) {
        std::string word(key.str()), command = text_of(file, word, value);
        if (word.find_first_of(" \t") != std::string::npos || word.starts_with('-') ||
            word.starts_with('='))
            refuse(file, value.source(), fmt::format("{} is no single word", quote(word)));
        std::string_view rest = command;
        std::string first(take_word(rest));
        try {
            if (find_command(word).word == word)
                refuse(file, value.source(), fmt::format("{} is a command already", quote(word)));
        } catch (const RequestError&) {  // nobody has the word
        }
        try {
            find_command(first);
        } catch (const RequestError& error) {
            refuse(file, value.source(),
                   fmt::format("{} stands for {}: {}", quote(word), quote(command), error.what()));
        }
        settings.words[word] = command;
    }
}

std::string no_such_setting(std::string_view name) {
    const std::vector<std::string> known{"syntax", "source_lines", "libraries",
                                         "words",  "symbols",      "view"};
    auto near = nearest_names(name, known);
    return fmt::format("there is no setting {}{}", quote(name),
                       near.empty() ? "" : "; did you mean " + near[0] + "?");
}

}  // namespace

Settings read_settings(const std::filesystem::path& file) {
    Settings settings;
    std::error_code ignored;
    if (file.empty() || !std::filesystem::exists(file, ignored)) return settings;
    try {
        toml::table all = toml::parse_file(file.string());
        for (const auto& [key, node] : all) {
            if (key.str() == "view") {
                read_views(file, node, settings);
                continue;
            }
            if (key.str() == "syntax") {
                auto word = node.value<std::string>();
                if (!word || (*word != "intel" && *word != "att"))
                    refuse(file, node.source(), "syntax, of instructions, is \"intel\" or \"att\"");
                settings.att_syntax = *word == "att";
                continue;
            }
            if (key.str() == "source_lines") {
                auto number = node.value_exact<std::int64_t>();
                if (!number || *number < 1 || *number > 200)
                    refuse(file, node.source(), "source_lines is a number from 1 to 200");
                settings.source_lines = static_cast<unsigned>(*number);
                continue;
            }
            if (key.str() == "words") {
                read_words(file, node, settings);
                continue;
            }
            if (key.str() == "libraries") {
                settings.library_folders = folders_of(file, node);
                continue;
            }
            const toml::table* table = node.as_table();
            if (key.str() != "symbols" || !table)
                refuse(file, node.source(), no_such_setting(key.str()));
            read_symbols(file, *table, settings);
        }
    } catch (const toml::parse_error& error) {
        refuse(file, error.source(),
               fmt::format("this cannot be understood: {}", std::string(error.description())));
    }
    return settings;
}

std::filesystem::path settings_file() {
    auto folder = xdg_folder("XDG_CONFIG_HOME", ".config");
    return folder.empty() ? folder : folder / "elm-lantern" / "config.toml";
}

std::filesystem::path cache_folder() {
    auto folder = xdg_folder("XDG_CACHE_HOME", ".cache");
    return folder.empty() ? folder : folder / "elm-lantern";
}

}  // namespace lantern::cli
