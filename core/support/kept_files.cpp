#include "core/support/kept_files.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <vector>

namespace lantern {
namespace fs = std::filesystem;
namespace {

bool is_ours(const fs::path& path) {
    return path.extension() == ".index" || path.extension() == ".section";
}

bool write_all(int file, ByteSpan bytes) {
    while (!bytes.empty()) {
        ssize_t got = write(file, bytes.data(), bytes.size());
        if (got <= 0) return false;
        bytes = bytes.subspan(static_cast<std::size_t>(got));
    }
    return true;
}

// The file in use a moment ago is the last to go.
void keep_within(const fs::path& folder, const fs::path& newest, std::uint64_t limit) {
    struct Kept {
        fs::path path;
        std::uint64_t size;
        fs::file_time_type used;
    };
    std::vector<Kept> all;
    std::uint64_t total = 0;
    std::error_code ignored;
    for (const auto& entry : fs::directory_iterator(folder, ignored)) {
        if (!is_ours(entry.path())) continue;
        Kept kept{entry.path(), entry.file_size(ignored), entry.last_write_time(ignored)};
        total += kept.size;
        all.push_back(std::move(kept));
    }
    std::sort(all.begin(), all.end(), [](const Kept& a, const Kept& b) { return a.used < b.used; });
    for (const Kept& kept : all) {
        if (total <= limit) return;
        if (kept.path == newest && kept.size <= limit) continue;
        if (fs::remove(kept.path, ignored)) total -= kept.size;
    }
}

}  // namespace

bool keep_file(const fs::path& path, ByteSpan head, ByteSpan bytes, std::uint64_t limit) {
    static std::atomic<unsigned> made = 0;
    std::error_code problem;
    fs::create_directories(path.parent_path(), problem);
    std::string temporary = fmt::format("{}.{}.{}.part", path.string(), getpid(), ++made);
    int file = open(temporary.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    if (file < 0) return false;
    bool is_whole = write_all(file, head) && write_all(file, bytes);
    close(file);
    if (is_whole) fs::rename(temporary, path, problem);
    if (!is_whole || problem) {
        fs::remove(temporary, problem);
        return false;
    }
    keep_within(path.parent_path(), path, limit);
    return true;
}

}  // namespace lantern
