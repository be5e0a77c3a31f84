#include "cli/symbol_server.h"

#include <dlfcn.h>
#include <elfutils/debuginfod.h>
#include <fmt/format.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <cstdlib>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

// Loaded when first needed: the library brings an HTTP client with it, which a session without
// servers need not wait for.
struct Library {
    decltype(&debuginfod_begin) begin = nullptr;
    decltype(&debuginfod_find_debuginfo) find = nullptr;
    decltype(&debuginfod_set_progressfn) set_progress = nullptr;
    decltype(&debuginfod_end) end = nullptr;
};

Library load_library() {
    void* handle = dlopen("libdebuginfod.so.1", RTLD_NOW);
    if (!handle)
        throw RequestError(
            "symbol servers cannot be asked: the library libdebuginfod is not installed",
            "apt-get install libdebuginfod1, or leave --ask-servers away");
    Library library;
    library.begin = reinterpret_cast<decltype(library.begin)>(dlsym(handle, "debuginfod_begin"));
    library.find =
        reinterpret_cast<decltype(library.find)>(dlsym(handle, "debuginfod_find_debuginfo"));
    library.set_progress = reinterpret_cast<decltype(library.set_progress)>(
        dlsym(handle, "debuginfod_set_progressfn"));
    library.end = reinterpret_cast<decltype(library.end)>(dlsym(handle, "debuginfod_end"));
    if (!library.begin || !library.find || !library.set_progress || !library.end)
        throw RequestError("symbol servers cannot be asked: libdebuginfod lacks what is needed",
                           "install Debian's libdebuginfod1");
    return library;
}

bool shows = false;

// Told now and then while a file comes in; anything but 0 gives up.
int on_progress(debuginfod_client*, long done, long whole) {
    if (shows)
        std::fputs(whole > 0
                       ? fmt::format("\rasking the symbol server: {} of {}  ", done, whole).c_str()
                       : "\rasking the symbol server …  ",
                   stderr);
    sigset_t pending;
    sigpending(&pending);
    return sigismember(&pending, SIGINT) == 1;
}

}  // namespace

std::function<std::optional<std::filesystem::path>(const std::string&)> symbol_server(
    const std::vector<std::string>& servers, bool shows_progress) {
    if (!servers.empty())
        setenv(DEBUGINFOD_URLS_ENV_VAR, fmt::format("{}", fmt::join(servers, " ")).c_str(), 1);
    const char* named = std::getenv(DEBUGINFOD_URLS_ENV_VAR);
    if (!named || !*named)
        throw RequestError(
            "servers are to be asked for symbols, but none is named",
            fmt::format(
                "servers = [\"http://…\"] under [symbols] in config.toml, or the variable {}",
                DEBUGINFOD_URLS_ENV_VAR));
    Library library = load_library();
    shows = shows_progress;
    return [library](const std::string& build_id) -> std::optional<std::filesystem::path> {
        debuginfod_client* client = library.begin();
        if (!client) return std::nullopt;
        library.set_progress(client, on_progress);
        char* path = nullptr;
        int file = library.find(client, reinterpret_cast<const unsigned char*>(build_id.c_str()), 0,
                                &path);
        library.end(client);
        if (shows) std::fputs("\r\x1b[K", stderr);
        std::optional<std::filesystem::path> found;
        if (file >= 0) {
            close(file);
            found = path;
        }
        std::free(path);
        return found;
    };
}

}  // namespace lantern::cli
