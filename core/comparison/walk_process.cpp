#include "core/comparison/walk_process.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/prctl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/support/error.h"

namespace lantern {
namespace {

enum class Message : std::uint32_t { news, problem, end };

void write_all(int pipe, const void* bytes, std::size_t size) {
    const char* at = static_cast<const char*>(bytes);
    while (size) {
        ssize_t done = write(pipe, at, size);
        if (done < 0 && errno == EINTR) continue;
        if (done <= 0) _exit(1);  // nobody reads any more
        at += done;
        size -= static_cast<std::size_t>(done);
    }
}

template <class Item>
void write_items(int pipe, const std::vector<Item>& items) {
    auto count = static_cast<std::uint32_t>(items.size());
    write_all(pipe, &count, sizeof count);
    write_all(pipe, items.data(), items.size() * sizeof(Item));
}

void write_text(int pipe, const std::string& text) {
    write_items(pipe, std::vector<char>(text.begin(), text.end()));
}

void tell(int pipe, Message message) {
    write_all(pipe, &message, sizeof message);
}

bool send_news(int pipe, Walk& news) {
    tell(pipe, Message::news);
    write_items(pipe, news.events);
    write_items(pipe, news.values);
    auto texts = static_cast<std::uint32_t>(news.texts.size());
    write_all(pipe, &texts, sizeof texts);
    for (const std::string& text : news.texts) write_text(pipe, text);
    std::uint32_t is_whole = news.is_whole;
    write_all(pipe, &is_whole, sizeof is_whole);
    news = Walk{};
    return false;
}

[[noreturn]] void walk_here(const WalkRequest& request, int pipe) {
    prctl(PR_SET_PDEATHSIG, SIGKILL);
    signal(SIGPIPE, SIG_IGN);
    try {
        Host host(*request.search);
        host.files.take(request.launch->program, request.symbols);
        Debuggee debuggee(host, *request.launch);
        Walker walker(debuggee, *request.pairs, request.options,
                      [&](Walk& news) { return send_news(pipe, news); });
        walker.run();
        tell(pipe, Message::end);
    } catch (const Error& error) {
        tell(pipe, Message::problem);
        write_text(pipe, error.what());
    } catch (const EndRequested&) {
    }
    _exit(0);
}

}  // namespace

WalkProcess::WalkProcess(const WalkRequest& request) {
    int ends[2];
    if (pipe2(ends, O_CLOEXEC) != 0 || (process_ = fork()) < 0)
        throw TargetError(
            fmt::format("no process to walk the program in: {}", std::strerror(errno)));
    if (process_ == 0) {
        close(ends[0]);
        walk_here(request, ends[1]);
    }
    close(ends[1]);
    pipe_ = ends[0];
}

WalkProcess::~WalkProcess() {
    stop();
    close(pipe_);
}

// The walker ends as if it had been asked to from outside: what it traces is ended by it.
void WalkProcess::stop() {
    if (process_ <= 0) return;
    kill(process_, SIGTERM);
    char lost[4096];
    while (read(pipe_, lost, sizeof lost) > 0) continue;  // it may wait to be read
    int status;
    while (waitpid(process_, &status, 0) < 0 && errno == EINTR) continue;
    process_ = 0;
}

bool WalkProcess::read_all(void* bytes, std::size_t size) {
    char* at = static_cast<char*>(bytes);
    while (size) {
        ssize_t got = read(pipe_, at, size);
        if (got < 0 && errno == EINTR) continue;
        if (got <= 0) return false;
        at += got;
        size -= static_cast<std::size_t>(got);
    }
    return true;
}

template <class Item>
bool WalkProcess::read_items(std::vector<Item>& items) {
    std::uint32_t count = 0;
    if (!read_all(&count, sizeof count)) return false;
    std::size_t before = items.size();
    items.resize(before + count);
    return read_all(items.data() + before, count * sizeof(Item));
}

bool WalkProcess::read_news() {
    Message message;
    if (!read_all(&message, sizeof message) || message == Message::end) return false;
    if (message == Message::problem) {
        std::vector<char> text;
        read_items(text);
        throw TargetError(std::string(text.begin(), text.end()));
    }
    std::size_t events = walk_.events.size(), values = walk_.values.size(),
                texts = walk_.texts.size();
    std::uint32_t count = 0, is_whole = 0;
    if (!read_items(walk_.events) || !read_items(walk_.values) || !read_all(&count, sizeof count))
        return false;
    for (std::size_t i = events; i < walk_.events.size(); ++i)
        walk_.events[i].first_value += static_cast<std::uint32_t>(values);
    for (std::size_t i = values; i < walk_.values.size(); ++i)
        if (walk_.values[i].kind == WalkValue::Kind::text)
            walk_.values[i].text += static_cast<std::uint32_t>(texts);
    for (std::uint32_t i = 0; i < count; ++i) {
        std::vector<char> text;
        if (!read_items(text)) return false;
        walk_.texts.emplace_back(text.begin(), text.end());
    }
    if (!read_all(&is_whole, sizeof is_whole)) return false;
    walk_.is_whole = is_whole != 0;
    return true;
}

}  // namespace lantern
