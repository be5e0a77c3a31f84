#include "cli/saved_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/support/error.h"

namespace lantern::cli {

void write_whole_file(const std::filesystem::path& path, std::string_view content) {
    std::string temporary = path.string() + ".part-XXXXXX";
    auto fail = [&](const char* step) {
        int reason = errno;
        unlink(temporary.c_str());
        throw FileError(
            fmt::format("{} cannot be {}: {}", path.string(), step, std::strerror(reason)),
            "check the folder, or name another file");
    };
    int file = mkostemp(temporary.data(), O_CLOEXEC);
    if (file < 0) fail("created");
    mode_t mask = umask(0);
    umask(mask);
    fchmod(file, 0666 & ~mask);
    while (!content.empty()) {
        ssize_t written = write(file, content.data(), content.size());
        if (written < 0 && errno == EINTR) continue;
        if (written <= 0) {
            close(file);
            fail("written");
        }
        content.remove_prefix(static_cast<std::size_t>(written));
    }
    if (fsync(file) != 0 && errno != EINVAL && errno != EROFS) {
        close(file);
        fail("written");
    }
    close(file);
    if (rename(temporary.c_str(), path.c_str()) != 0) fail("put in place");
}

}  // namespace lantern::cli
