#include "cli/settings.h"

#include <fmt/format.h>

#include <cstdlib>
#define TOML_HEADER_ONLY 1
#include <toml++/toml.h>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::filesystem::path xdg_folder(const char* variable, const char* below_home) {
    if (const char* named = std::getenv(variable); named && *named == '/') return named;
    const char* home = std::getenv("HOME");
    return home && *home ? std::filesystem::path(home) / below_home : std::filesystem::path();
}

[[noreturn]] void refuse(const std::filesystem::path& file, const std::string& what) {
    throw FileError(fmt::format("{}: {}", file.string(), what), "docs/guide.md shows what may stand there");
}

std::vector<std::string> texts(const std::filesystem::path& file, const std::string& name, const toml::node& node) {
    std::vector<std::string> all;
    const toml::array* array = node.as_array();
    if (!array) refuse(file, fmt::format("{} must be a list of texts", name));
    for (const toml::node& each : *array) {
        auto text = each.value<std::string>();
        if (!text) refuse(file, fmt::format("{} must be a list of texts", name));
        all.push_back(*text);
    }
    return all;
}

bool yes_or_no(const std::filesystem::path& file, const std::string& name, const toml::node& node) {
    auto value = node.value_exact<bool>();
    if (!value) refuse(file, fmt::format("{} must be true or false", name));
    return *value;
}

void read_symbols(const std::filesystem::path& file, const toml::table& table, Settings& settings) {
    for (const auto& [key, node] : table) {
        std::string name(key.str());
        if (name == "folders") for (const std::string& text : texts(file, name, node)) settings.symbol_folders.emplace_back(text);
        else if (name == "servers") settings.symbol_servers = texts(file, name, node);
        else if (name == "ask_servers") settings.ask_servers = yes_or_no(file, name, node);
        else if (name == "keep_indexes") settings.keep_indexes = yes_or_no(file, name, node);
        else if (name == "index_limit_mb") {
            auto number = node.value_exact<std::int64_t>();
            if (!number || *number < 0) refuse(file, "index_limit_mb must be a number of megabytes");
            settings.index_limit = static_cast<std::uint64_t>(*number) * 1'000'000;
        } else {
            std::vector<std::string> known{"folders", "servers", "ask_servers", "keep_indexes", "index_limit_mb"};
            auto near = nearest_names(name, known);
            refuse(file, fmt::format("[symbols] has no setting {}{}", quote(name), near.empty() ? "" : "; did you mean " + near[0] + "?"));
        }
    }
}

std::string text_of(const std::filesystem::path& file, const std::string& name, const toml::node& node) {
    auto value = node.value_exact<std::string>();
    if (!value) refuse(file, fmt::format("{} must be a text", name));
    return *value;
}

// [[view]] with type, text, elements and children = { NAME = "EXPR", … }
DeclaredView read_view(const std::filesystem::path& file, const toml::table& table) {
    DeclaredView view;
    for (const auto& [key, node] : table) {
        std::string name(key.str());
        if (name == "type") view.type = text_of(file, name, node);
        else if (name == "text") view.text = text_of(file, name, node);
        else if (name == "elements") view.elements = text_of(file, name, node);
        else if (const toml::table* children = node.as_table(); name == "children" && children) {
            for (const auto& [child, expression] : *children) view.children.emplace_back(child.str(), text_of(file, std::string(child.str()), expression));
        } else {
            refuse(file, fmt::format("a [[view]] has type, text, elements and children, not {}", quote(name)));
        }
    }
    if (view.type.empty()) refuse(file, "a [[view]] needs the type it is for");
    if (view.text.empty() && view.elements.empty() && view.children.empty()) refuse(file, fmt::format("the [[view]] of {} shows nothing", view.type));
    return view;
}

std::vector<std::string> folders_of(const std::filesystem::path& file, const toml::node& node) {
    std::vector<std::string> folders;
    const toml::array* all = node.as_array();
    if (!all) refuse(file, "libraries is a list of folders");
    for (const toml::node& each : *all) {
        auto folder = each.value<std::string>();
        if (!folder || !folder->starts_with('/')) refuse(file, "libraries is a list of folders, each from / on");
        folders.push_back(*folder);
    }
    return folders;
}

void read_views(const std::filesystem::path& file, const toml::node& node, Settings& settings) {
    const toml::array* all = node.as_array();
    if (!all) refuse(file, "views are written as [[view]], one for each type");
    for (const toml::node& each : *all) {
        const toml::table* table = each.as_table();
        if (!table) refuse(file, "views are written as [[view]], one for each type");
        settings.views.push_back(read_view(file, *table));
    }
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
                if (!word || (*word != "intel" && *word != "att")) refuse(file, "syntax, of instructions, is \"intel\" or \"att\"");
                settings.att_syntax = *word == "att";
                continue;
            }
            if (key.str() == "libraries") {
                settings.library_folders = folders_of(file, node);
                continue;
            }
            const toml::table* table = node.as_table();
            if (key.str() != "symbols" || !table) refuse(file, fmt::format("there is no setting {}", quote(key.str())));
            read_symbols(file, *table, settings);
        }
    } catch (const toml::parse_error& error) {
        refuse(file, fmt::format("line {} cannot be understood: {}", error.source().begin.line, std::string(error.description())));
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
