#include "core/target/own_terminal.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <stdlib.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/support/error.h"

namespace lantern {

OwnTerminal::OwnTerminal(EventLoop& events, int keyboard, Output output)
    : events_(events),
      keyboard_(keyboard >= 0 && isatty(keyboard) ? keyboard : -1),
      output_(std::move(output)) {
    master_ = posix_openpt(O_RDWR | O_NOCTTY | O_CLOEXEC | O_NONBLOCK);
    char name[128];
    if (master_ < 0 || grantpt(master_) != 0 || unlockpt(master_) != 0 ||
        ptsname_r(master_, name, sizeof name) != 0) {
        int reason = errno;
        if (master_ >= 0) close(master_);
        throw TargetError(
            fmt::format("no terminal can be made for the program: {}", std::strerror(reason)),
            Next::without_own_terminal);
    }
    path_ = name;
    winsize size{24, 80, 0, 0};
    if (keyboard_ >= 0) ioctl(keyboard_, TIOCGWINSZ, &size);
    ioctl(master_, TIOCSWINSZ, &size);
}

OwnTerminal::~OwnTerminal() {
    end();
    close(master_);
}

void OwnTerminal::begin() {
    if (runs_) return;
    runs_ = true;
    events_.watch(master_, [this] { drain(); });
    if (keyboard_ < 0 || !lends_keyboard_) return;
    winsize size;
    if (ioctl(keyboard_, TIOCGWINSZ, &size) == 0) ioctl(master_, TIOCSWINSZ, &size);
    termios settings;
    if (tcgetattr(keyboard_, &settings) != 0) return;
    ours_ = settings;
    cfmakeraw(&settings);  // every key, Ctrl-C too, is for the program's terminal to make sense of
    settings.c_oflag |= OPOST;
    tcsetattr(keyboard_, TCSADRAIN, &settings);
    events_.watch(keyboard_, [this] { pass_keys(); });
}

void OwnTerminal::end() {
    if (!runs_) return;
    runs_ = false;
    drain();
    events_.forget(master_);
    if (keyboard_ >= 0) events_.forget(keyboard_);
    if (ours_) tcsetattr(keyboard_, TCSADRAIN, &*ours_);
    ours_.reset();
}

void OwnTerminal::drain() {
    char bytes[4096];
    for (;;) {
        ssize_t got = read(master_, bytes, sizeof bytes);
        if (got < 0 && errno == EINTR) continue;
        if (got <= 0) break;
        output_(std::string_view(bytes, static_cast<std::size_t>(got)));
    }
    // Once the program has closed it there is nothing more to come, and it would be ready to be
    // read for ever.
    if (errno == EIO) events_.forget(master_);
}

void OwnTerminal::pass_keys() {
    char bytes[256];
    ssize_t got = read(keyboard_, bytes, sizeof bytes);
    if (got > 0)
        (void)!write(master_, bytes, static_cast<std::size_t>(got));
    else
        events_.forget(keyboard_);
}

}  // namespace lantern
