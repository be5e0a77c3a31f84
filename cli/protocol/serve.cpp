#include "cli/protocol/serve.h"

#include <arpa/inet.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <signal.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "cli/file_reports.h"
#include "cli/log.h"
#include "cli/protocol/conversation.h"
#include "core/support/error.h"

namespace lantern::cli {
namespace {

int talk(int input, int output) {
    Wire wire(input, output);
    Conversation(wire, read_settings(settings_file())).run();
    return kWorked;
}

// Nothing but the protocol is to reach whoever reads our standard output; and what is debugged does
// not read our input.
int talk_on_standard_streams() {
    if (isatty(0))
        fmt::print(stderr,
                   "elm-lantern serve speaks the Debug Adapter Protocol: an editor starts it and "
                   "writes to it (docs/editors.md). Ctrl-D ends it.\n");
    int input = fcntl(0, F_DUPFD_CLOEXEC, 3), output = fcntl(1, F_DUPFD_CLOEXEC, 3);
    if (input < 0 || output < 0)
        throw FileError("standard input or output is closed",
                        "an editor starts serve with both; --listen PORT needs neither");
    int nothing = open("/dev/null", O_RDONLY | O_CLOEXEC);
    if (nothing >= 0) dup2(nothing, 0);
    dup2(2, 1);
    return talk(input, output);
}

int listen_on(unsigned port) {
    int listener = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    int yes = 1;
    setsockopt(listener, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_port = htons(static_cast<std::uint16_t>(port));
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    constexpr int kMostWaiting = 16;
    if (bind(listener, reinterpret_cast<sockaddr*>(&address), sizeof address) != 0 ||
        listen(listener, kMostWaiting) != 0)
        throw FileError(fmt::format("port {} cannot be listened on: {}", port, strerror(errno)),
                        "choose another with --listen PORT");
    return listener;
}

}  // namespace

int serve(unsigned port) {
    if (port == 0) return talk_on_standard_streams();
    int listener = listen_on(port);
    signal(SIGCHLD, SIG_IGN);  // those that have talked are nobody's to wait for
    fmt::print(stderr, "elm-lantern serves on 127.0.0.1:{}\n", port);
    for (;;) {
        int client = accept4(listener, nullptr, nullptr, SOCK_CLOEXEC);
        if (client < 0 && (errno == EINTR || errno == ECONNABORTED)) continue;
        if (client < 0)
            throw FileError(fmt::format("no connection can be taken: {}", strerror(errno)));
        int yes = 1;
        setsockopt(client, IPPROTO_TCP, TCP_NODELAY, &yes, sizeof yes);
        if (fork() == 0) {
            close(listener);
            signal(SIGCHLD, SIG_DFL);
            return talk(client, client);
        }
        close(client);
    }
}

}  // namespace lantern::cli
