#include "cli/protocol/sources.h"

#include <fmt/format.h>

#include <filesystem>
#include <set>

#include "cli/protocol/request.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/places.h"

namespace lantern::cli {
namespace {

namespace fs = std::filesystem;

std::set<std::string> files_known_as(Session& session, const std::string& wanted) {
    std::set<std::string> found;
    for (const Module& module : session.target().modules()) {
        if (module.is_system_library()) continue;
        for (std::string& file : find_files(module.symbols(), wanted))
            found.insert(std::move(file));
        if (!found.empty()) break;
    }
    return found;
}

// "file:///canal/lock%20flow.c"
std::string path_of_uri(const std::string& uri) {
    constexpr std::string_view kScheme = "file://";
    std::string_view rest = std::string_view(uri).substr(kScheme.size());
    std::string path;
    for (std::size_t i = 0; i < rest.size(); ++i) {
        unsigned code = 0;
        std::string_view digits = rest.substr(std::min(rest.size(), i + 1), 2);
        bool is_escape = rest[i] == '%' && digits.size() == 2 &&
                         std::isxdigit(static_cast<unsigned char>(digits[0])) &&
                         std::isxdigit(static_cast<unsigned char>(digits[1]));
        if (is_escape) {
            code = static_cast<unsigned>(std::stoul(std::string(digits), nullptr, 16));
            i += 2;
        }
        path += is_escape ? static_cast<char>(code) : rest[i];
    }
    return path;
}

std::string uri_of_path(const std::string& path) {
    std::string uri = "file://";
    for (char c : path) {
        bool is_plain = std::isalnum(static_cast<unsigned char>(c)) ||
                        std::string_view("/-._~").find(c) != std::string_view::npos;
        uri += is_plain ? std::string(1, c) : fmt::format("%{:02X}", static_cast<unsigned char>(c));
    }
    return uri;
}

}  // namespace

RecordedSource recorded_source(Conversation& conversation, const std::string& path) {
    Session& session = conversation.session();
    if (!files_known_as(session, path).empty()) return {path, {}};
    for (const SourceMapping& mapping : session.sources().mappings()) {
        std::string to = fs::absolute(mapping.to).lexically_normal().string();
        if (!path.starts_with(to)) continue;
        std::string from = mapping.from + path.substr(to.size());
        if (!files_known_as(session, from).empty()) return {from, {}};
    }
    // The same file by another way: through links.
    std::string name = fs::path(path).filename().string();
    std::set<std::string> of_name = files_known_as(session, name);
    for (const std::string& file : of_name) {
        std::error_code error;
        const SourceText* text = session.sources().find(file);
        if (text && fs::equivalent(text->path, path, error) && !error) return {file, {}};
    }
    if (of_name.size() != 1) return {path, {}};
    const std::string& only = *of_name.begin();
    return {only, fmt::format("taken for {}, the only source of that name in the program", only)};
}

Json source_json(Conversation& conversation, const std::string& recorded_file) {
    Session& session = conversation.session();
    const SourceText* text = session.sources().find(recorded_file);
    std::string path = text ? text->path.string() : recorded_file;
    Json json{{"name", fs::path(recorded_file).filename().string()},
              {"path", conversation.client.paths_are_uris ? uri_of_path(path) : path}};
    if (!text) {
        json["presentationHint"] = "deemphasize";
        json["origin"] = "not here";
    } else if (is_stale(session.moment(), recorded_file)) {
        json["origin"] = "changed since the program was built";
    } else if (session.libraries().is_library_source(recorded_file)) {
        json["presentationHint"] = "deemphasize";
        json["origin"] = "a library";
    }
    return json;
}

std::string path_of_source(Conversation&, const Arguments& source) {
    std::string path = source.text("path");
    return path.starts_with("file://") ? path_of_uri(path) : path;
}

}  // namespace lantern::cli
