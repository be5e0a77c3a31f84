#include "core/target/memory_map.h"

#include <algorithm>
#include <charconv>

#include "core/support/text.h"

namespace lantern {
namespace {

// Takes a number of base 16 and the character behind it.
bool take_number(std::string_view& text, std::uint64_t& number, char behind) {
    auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number, 16);
    std::size_t read = static_cast<std::size_t>(end - text.data());
    if (error != std::errc() || read >= text.size() || text[read] != behind) return false;
    text.remove_prefix(read + 1);
    return true;
}

std::string_view take_field(std::string_view& text) {
    std::string_view field = text.substr(0, text.find(' '));
    text.remove_prefix(std::min(text.size(), field.size() + 1));
    return field;
}

}  // namespace

// 7ffff7fc1000-7ffff7fc5000 r--p 00000000 00:00 0   [vvar]
std::vector<MemoryRegion> parse_maps(std::string_view text) {
    std::vector<MemoryRegion> regions;
    while (!text.empty()) {
        std::string_view line = text.substr(0, text.find('\n'));
        text.remove_prefix(std::min(text.size(), line.size() + 1));
        MemoryRegion region;
        std::uint64_t begin = 0, end = 0;
        if (!take_number(line, begin, '-') || !take_number(line, end, ' ')) continue;
        region.begin = RunAddress(begin);
        region.end = RunAddress(end);
        region.permissions = take_field(line);
        if (!take_number(line, region.offset, ' ')) continue;
        take_field(line);  // the device
        region.is_of_file = take_field(line) != "0";
        region.name = trimmed(line);
        regions.push_back(std::move(region));
    }
    return regions;
}

std::map<std::string, RunRange> loaded_files(const std::vector<MemoryRegion>& regions) {
    enum class Sign { one_piece, pieces, code };  // the surer that it is loaded, the later
    struct Mapped {
        RunRange first;
        Sign sign;
    };
    std::map<std::string, Mapped> last, best;
    for (const MemoryRegion& region : regions) {
        if (!region.is_of_file || !region.name.starts_with('/')) continue;
        if (region.offset == 0)
            last[region.name] = {{region.begin, region.end}, Sign::one_piece};
        else if (auto found = last.find(region.name); found == last.end())
            continue;  // a part of a file that is mapped without its beginning
        else
            found->second.sign = std::max(found->second.sign, Sign::pieces);
        Mapped& mapped = last[region.name];
        if (region.permissions[2] == 'x') mapped.sign = Sign::code;
        auto kept = best.try_emplace(region.name, mapped).first;
        if (mapped.sign > kept->second.sign) kept->second = mapped;
    }
    std::map<std::string, RunRange> loaded;
    for (const auto& [path, mapped] : best)
        if (mapped.sign != Sign::one_piece) loaded.emplace(path, mapped.first);
    return loaded;
}

std::string without_deleted_mark(std::string path) {
    constexpr std::string_view kDeleted = " (deleted)";
    if (path.ends_with(kDeleted)) path.resize(path.size() - kDeleted.size());
    return path;
}

}  // namespace lantern
