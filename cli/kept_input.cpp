#include "cli/kept_input.h"

#include <fmt/format.h>
#include <sys/mman.h>
#include <unistd.h>

#include "core/support/error.h"

namespace lantern::cli {
namespace {

int read_input() {
    int kept = memfd_create("input", MFD_CLOEXEC);
    if (kept < 0) throw FileError("there is no memory to keep the input in", "use --stdin FILE");
    char piece[1 << 16];
    for (ssize_t got; (got = read(0, piece, sizeof piece)) > 0;)
        if (write(kept, piece, static_cast<std::size_t>(got)) != got)
            throw FileError("there is no memory to keep the input in", "use --stdin FILE");
    return kept;
}

}  // namespace

std::string kept_input() {
    static int kept = read_input();
    return fmt::format("/proc/{}/fd/{}", getpid(), kept);
}

}  // namespace lantern::cli
