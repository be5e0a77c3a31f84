#include "cli/protocol/borrowed_terminal.h"

#include <fmt/format.h>
#include <poll.h>
#include <signal.h>
#include <stdlib.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <chrono>
#include <filesystem>

#include "cli/file_reports.h"
#include "cli/protocol/conversation.h"
#include "core/support/error.h"

namespace lantern::cli {
namespace {

constexpr std::chrono::seconds kPatience(15);
constexpr char kInterrupt = 3;  // as the key is sent

// A socket in a folder that nobody else can look into; both go with it.
class MeetingPlace {
  public:
    MeetingPlace() {
        std::string pattern =
            (std::filesystem::temp_directory_path() / "elm-lantern-XXXXXX").string();
        if (!mkdtemp(pattern.data())) throw TargetError("no temporary folder can be made");
        folder_ = pattern;
        sockaddr_un address = address_of(socket());
        descriptor_ = ::socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
        if (bind(descriptor_, reinterpret_cast<sockaddr*>(&address), sizeof address) != 0 ||
            listen(descriptor_, 1) != 0)
            throw TargetError("no socket can be made for the client's terminal");
    }
    ~MeetingPlace() {
        close(descriptor_);
        std::error_code ignored;
        std::filesystem::remove_all(folder_, ignored);
    }
    MeetingPlace(const MeetingPlace&) = delete;
    MeetingPlace& operator=(const MeetingPlace&) = delete;

    int descriptor() const { return descriptor_; }
    std::string socket() const { return folder_ + "/terminal"; }
    static sockaddr_un address_of(const std::string& path) {
        sockaddr_un address{};
        address.sun_family = AF_UNIX;
        if (path.size() >= sizeof address.sun_path)
            throw TargetError("the path of the temporary folder is too long");
        path.copy(address.sun_path, path.size());
        return address;
    }

  private:
    std::string folder_;
    int descriptor_ = -1;
};

// The client has said that it will not.
bool is_refused(const Wire& wire, unsigned request) {
    for (const Received& each : wire.waiting()) {
        const Json& message = each.message;
        if (!message.is_object() || message.value("type", Json()) != Json("response")) continue;
        bool is_ours = message.value("request_seq", Json()) == Json(request);
        if (is_ours && message.value("success", Json()) != Json(true)) return true;
    }
    return false;
}

std::string line_from(int descriptor) {
    std::string line;
    pollfd ready{descriptor, POLLIN, 0};
    for (char c = 0; line.size() < 4096 && poll(&ready, 1, 1000) > 0;) {
        if (read(descriptor, &c, 1) != 1 || c == '\n') break;
        line += c;
    }
    return line;
}

volatile sig_atomic_t interrupt_was_typed = 0;

void note_interrupt(int) {
    interrupt_was_typed = 1;
}

}  // namespace

BorrowedTerminal::BorrowedTerminal(Conversation& conversation, const std::string& kind,
                                   const std::string& folder) {
    MeetingPlace place;
    std::string self = std::filesystem::read_symlink("/proc/self/exe").string();
    unsigned request = conversation.wire().ask(
        "runInTerminal",
        {{"kind", kind},
         {"title", "The debugged program"},
         {"cwd", folder.empty() ? std::filesystem::current_path().string() : folder},
         {"args", Json::array({self, "serve", "--hold-terminal", place.socket()})}});
    wait_for_holder(conversation, request, place.descriptor());
    path_ = line_from(holder_);
    if (path_.empty()) {
        close(holder_);
        throw TargetError("what the client runs it in is no terminal",
                          "\"console\": \"internalConsole\" needs none");
    }
}

void BorrowedTerminal::wait_for_holder(Conversation& conversation, unsigned request, int listener) {
    Wire& wire = conversation.wire();
    auto end = std::chrono::steady_clock::now() + kPatience;
    while (std::chrono::steady_clock::now() < end && !wire.is_gone()) {
        if (is_refused(wire, request)) break;
        pollfd ready[] = {{listener, POLLIN, 0}, {wire.input(), POLLIN, 0}};
        poll(ready, 2, 200);
        if (ready[1].revents) wire.take();
        if (!ready[0].revents) continue;
        holder_ = accept4(listener, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
        if (holder_ >= 0) return;
    }
    throw TargetError("the client has given no terminal for the program",
                      "\"console\": \"internalConsole\" needs none");
}

BorrowedTerminal::~BorrowedTerminal() {
    if (holder_ >= 0) close(holder_);
}

bool BorrowedTerminal::take_interrupt() {
    char byte = 0;
    bool is_typed = false;
    ssize_t got;
    while ((got = read(holder_, &byte, 1)) == 1) is_typed |= byte == kInterrupt;
    if (got == 0) {
        close(holder_);
        holder_ = -1;
    }
    return is_typed;
}

int hold_terminal(const std::string& path) {
    const char* name = ttyname(0);
    sockaddr_un address = MeetingPlace::address_of(path);
    int other = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    if (connect(other, reinterpret_cast<sockaddr*>(&address), sizeof address) != 0)
        return kNotReadable;
    struct sigaction action {};
    action.sa_handler = note_interrupt;  // without SA_RESTART: the read below comes back
    sigaction(SIGINT, &action, nullptr);
    std::string line = std::string(name ? name : "") + "\n";
    if (write(other, line.data(), line.size()) < 0) return kNotReadable;
    for (;;) {
        char byte;
        ssize_t got = read(other, &byte, 1);
        if (std::exchange(interrupt_was_typed, 0) && write(other, &kInterrupt, 1) < 0) break;
        if (got == 0 || (got < 0 && errno != EINTR)) break;
    }
    return kWorked;
}

}  // namespace lantern::cli
