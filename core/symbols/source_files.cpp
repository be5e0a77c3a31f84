#include "core/symbols/source_files.h"

#include <md5.h>
#include <sys/stat.h>

#include <fstream>
#include <iterator>

#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::uintmax_t kLargestSource = 64
                                          << 20;  // a "source file" beyond this is no source file

std::unique_ptr<SourceText> read_source(const std::filesystem::path& path) {
    struct stat facts {};
    if (stat(path.c_str(), &facts) != 0 || !S_ISREG(facts.st_mode)) return nullptr;
    if (static_cast<std::uintmax_t>(facts.st_size) > kLargestSource) return nullptr;
    std::ifstream in(path, std::ios::binary);
    if (!in) return nullptr;
    auto text = std::make_unique<SourceText>();
    text->path = path;
    text->modified_at = facts.st_mtim.tv_sec;
    std::string whole((std::istreambuf_iterator<char>(in)), std::istreambuf_iterator<char>());
    MD5_CTX sum;
    MD5Init(&sum);
    MD5Update(&sum, reinterpret_cast<const std::uint8_t*>(whole.data()), whole.size());
    MD5Final(text->md5.data(), &sum);
    for (std::size_t start = 0; start < whole.size();) {
        std::size_t end = std::min(whole.find('\n', start), whole.size());
        std::size_t length = end - start;
        if (length && whole[end - 1] == '\r') --length;
        text->lines.emplace_back(whole, start, length);
        start = end + 1;
    }
    return text;
}

}  // namespace

FunctionNames functions_declared_in(const std::vector<std::string>& lines) {
    FunctionNames names;
    for (const std::string& line : lines) {
        if (line.empty() || !is_word_letter(line[0])) continue;
        std::size_t bracket = line.find('(');
        if (bracket == std::string::npos) continue;
        std::size_t begin = bracket;
        while (begin > 0 && is_word_letter(line[begin - 1])) --begin;
        std::string_view before = std::string_view(line).substr(0, begin);
        std::size_t type_end = before.find_last_not_of(" *");
        bool has_type = type_end != std::string_view::npos && type_end + 1 < begin &&
                        is_word_letter(before[type_end]);
        if (begin < bracket && has_type && before.find_first_of("=;") == std::string_view::npos)
            names.insert(line.substr(begin, bracket - begin));
    }
    return names;
}

const FunctionNames& SourceText::functions() const {
    if (!functions_) functions_ = functions_declared_in(lines);
    return *functions_;
}

const SourceText* SourceFiles::find(const std::string& recorded) {
    auto found = texts_.find(recorded);
    if (found != texts_.end()) return found->second.get();
    auto& slot = texts_[recorded];
    for (const SourceMapping& mapping : mappings_) {
        if (!recorded.starts_with(mapping.from)) continue;
        std::string rest = recorded.substr(mapping.from.size());
        while (rest.starts_with('/')) rest.erase(0, 1);
        slot = read_source(std::filesystem::path(mapping.to) / rest);
        if (slot) return slot.get();
    }
    slot = read_source(recorded);
    return slot.get();
}

SourceState SourceFiles::state(const std::string& recorded_path,
                               const std::optional<std::array<std::uint8_t, 16>>& recorded,
                               std::int64_t built_at) {
    const SourceText* text = find(recorded_path);
    if (!text) return SourceState::missing;
    if (recorded) return text->md5 == *recorded ? SourceState::good : SourceState::different;
    return text->modified_at > built_at ? SourceState::newer : SourceState::good;
}

std::optional<std::string> SourceFiles::line(const std::string& recorded, std::uint32_t number) {
    const SourceText* text = find(recorded);
    if (!text || number == 0 || number > text->lines.size()) return std::nullopt;
    return text->lines[number - 1];
}

}  // namespace lantern
