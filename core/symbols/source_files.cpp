#include "core/symbols/source_files.h"

#include <sys/stat.h>

#include <fstream>

namespace lantern {
namespace {

constexpr std::uintmax_t kLargestSource = 64 << 20;  // a "source file" beyond this is no source file

std::unique_ptr<SourceText> read(const std::filesystem::path& path) {
    struct stat facts {};
    if (stat(path.c_str(), &facts) != 0 || !S_ISREG(facts.st_mode)) return nullptr;
    if (static_cast<std::uintmax_t>(facts.st_size) > kLargestSource) return nullptr;
    std::ifstream in(path, std::ios::binary);
    if (!in) return nullptr;
    auto text = std::make_unique<SourceText>();
    text->path = path;
    text->modified_at = facts.st_mtim.tv_sec;
    for (std::string line; std::getline(in, line);) {
        if (!line.empty() && line.back() == '\r') line.pop_back();
        text->lines.push_back(std::move(line));
    }
    return text;
}

}  // namespace

const SourceText* SourceFiles::find(const std::string& recorded) {
    auto found = texts_.find(recorded);
    if (found != texts_.end()) return found->second.get();
    auto& slot = texts_[recorded];
    for (const SourceMapping& mapping : mappings_) {
        if (!recorded.starts_with(mapping.from)) continue;
        std::string rest = recorded.substr(mapping.from.size());
        while (rest.starts_with('/')) rest.erase(0, 1);
        slot = read(std::filesystem::path(mapping.to) / rest);
        if (slot) return slot.get();
    }
    slot = read(recorded);
    return slot.get();
}

std::optional<std::string> SourceFiles::line(const std::string& recorded, std::uint32_t number) {
    const SourceText* text = find(recorded);
    if (!text || number == 0 || number > text->lines.size()) return std::nullopt;
    return text->lines[number - 1];
}

}  // namespace lantern
