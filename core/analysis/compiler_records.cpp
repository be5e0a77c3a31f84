#include "core/analysis/compiler_records.h"

#include <fmt/format.h>
#include <yaml-cpp/yaml.h>
#include <zlib.h>

#include <algorithm>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>
#include <set>
#include <tuple>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

using Json = nlohmann::ordered_json;

// Compressed by gzip or not.
std::string content_of(const std::filesystem::path& path) {
    constexpr std::size_t kMost = std::size_t{1} << 30;
    std::unique_ptr<gzFile_s, int (*)(gzFile)> file(gzopen(path.c_str(), "rb"), &gzclose);
    if (!file) throw FileError(fmt::format("{} cannot be read", path.string()));
    std::string content;
    char piece[1 << 16];
    for (int size; (size = gzread(file.get(), piece, sizeof piece)) != 0;) {
        if (size < 0 || content.size() > kMost)
            throw FormatError(fmt::format("{} is damaged, or too large", path.string()));
        content.append(piece, static_cast<std::size_t>(size));
    }
    return content;
}

// gcc: a message is a list of texts and of names in it.
std::string message_of(const Json& record) {
    std::string text;
    for (const Json& part : record.value("message", Json::array())) {
        if (part.is_string()) text += part.get<std::string>();
        for (const char* name : {"expr", "stmt", "symtab_node"})
            if (part.is_object() && part.contains(name)) text += part[name].get<std::string>();
    }
    return std::string(trimmed(text.substr(0, text.find('\n', 1))));
}

void take_gcc_s(const Json& record, std::vector<CompilerRecord>& into) {
    std::string kind = record.value("kind", "");
    std::string text = kind == "success" || kind == "failure" ? message_of(record) : "";
    if (!text.empty() && record.contains("location")) {
        const Json& at = record["location"];
        into.push_back({kind == "success", at.value("file", ""), at.value("line", 0u),
                        record.value("function", ""), std::move(text)});
    }
    for (const Json& child : record.value("children", Json::array())) take_gcc_s(child, into);
}

void read_gcc_s(const std::string& content, std::vector<CompilerRecord>& into) {
    Json whole = Json::parse(content);
    for (const Json& record : whole.at(2)) take_gcc_s(record, into);
}

void read_clang_s(const std::string& content, std::vector<CompilerRecord>& into) {
    for (const YAML::Node& record : YAML::LoadAll(content)) {
        bool is_done = record.Tag() == "!Passed";
        if ((!is_done && record.Tag() != "!Missed") || !record["DebugLoc"]) continue;
        std::string text;
        for (const YAML::Node& argument : record["Args"])
            for (const auto& part : argument)
                if (part.first.as<std::string>() != "DebugLoc" && part.second.IsScalar())
                    text += part.second.as<std::string>();
        const YAML::Node& at = record["DebugLoc"];
        into.push_back({is_done, at["File"].as<std::string>(), at["Line"].as<std::uint32_t>(),
                        record["Function"].as<std::string>(""), std::string(trimmed(text))});
    }
}

bool is_record_of_gcc(const std::string& name) {
    return name.ends_with(".opt-record.json.gz") || name.ends_with(".opt-record.json");
}

void read_file(const std::filesystem::path& path, std::vector<CompilerRecord>& into) {
    std::string content = content_of(path);
    try {
        if (is_record_of_gcc(path.filename().string()))
            read_gcc_s(content, into);
        else
            read_clang_s(content, into);
    } catch (const std::exception& problem) {  // of the libraries that read JSON and YAML
        throw FormatError(fmt::format("{} is no record of a compiler's optimisations: {}",
                                      path.string(), problem.what()),
                          "gcc and clang write them with -fsave-optimization-record");
    }
}

}  // namespace

std::vector<CompilerRecord> read_compiler_records(const std::filesystem::path& path) {
    std::vector<CompilerRecord> records;
    std::error_code problem;
    if (!std::filesystem::is_directory(path, problem)) {
        read_file(path, records);
    } else {
        bool found = false;
        for (const auto& entry : std::filesystem::recursive_directory_iterator(
                 path, std::filesystem::directory_options::skip_permission_denied)) {
            std::string name = entry.path().filename().string();
            bool is_record = is_record_of_gcc(name) || name.ends_with(".opt.yaml");
            if (!is_record || !entry.is_regular_file(problem)) continue;
            read_file(entry.path(), records);
            found = true;
        }
        if (!found)
            throw FileError(
                fmt::format("{} holds no records of a compiler's optimisations", path.string()),
                "gcc and clang write them beside the objects with -fsave-optimization-record");
    }
    std::set<std::tuple<std::string, std::uint32_t, std::string, std::string>> told;
    std::erase_if(records, [&](const CompilerRecord& record) {
        return !record.line || record.text.empty() ||
               !told.emplace(record.file, record.line, record.function, record.text).second;
    });
    return records;
}

std::string meaning_of_record(const std::string& text) {
    struct Meaning {
        std::string_view words, means;
    };
    static constexpr Meaning kMeanings[] = {
        {"loop vectorized", "one pass does several of the source's at once"},
        {"vectorized loop", "one pass does several of the source's at once"},
        {"basic block part vectorized", "numbers beside each other are worked on at once"},
        {"SLP vectorized", "numbers beside each other are worked on at once"},
        {"Vectorized horizontal reduction", "numbers beside each other are added at once"},
        {"completely unrolled", "no loop is left: its body stands there once for each pass"},
        {"loop unrolled", "its body stands there several times in one pass"},
        {"unrolled loop", "its body stands there several times in one pass"},
        {"loop versioned", "there are two copies: which of them runs is found out first"},
        {"Inlin", "the body of what is called stands here instead of the call"},
        {"inlined into", "the body of what is called stands here instead of the call"},
        {"hoisting", "it is done once, before the loop"},
        {"hoisted", "it is done once, before the loop"},
        {"memset", "a call of the C library does what the loop did"},
        {"memcpy", "a call of the C library does what the loop did"},
        {"Loop deleted", "no loop is left"},
        {"loop split", "the passes are done by several loops"},
        {"peeled", "the first passes are done before the loop"},
    };
    for (const Meaning& meaning : kMeanings)
        if (text.find(meaning.words) != std::string::npos) return std::string(meaning.means);
    return {};
}

}  // namespace lantern
