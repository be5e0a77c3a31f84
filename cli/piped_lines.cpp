#include "cli/piped_lines.h"

#include <poll.h>
#include <unistd.h>

#include <cerrno>
#include <ctime>

#include "cli/ending.h"
#include "core/support/text.h"

namespace lantern::cli {

bool PipedLines::next(std::string& line) {
    for (;;) {
        std::size_t end = held_.find('\n');
        if (end != std::string::npos || (is_over_ && !held_.empty())) {
            line = held_.substr(0, end);
            held_.erase(0, end == std::string::npos ? held_.size() : end + 1);
            return true;
        }
        if (is_over_) return false;
        read_more();
    }
}

std::size_t PipedLines::waiting() const {
    std::size_t count = 0;
    std::string_view rest = held_;
    while (!rest.empty()) {
        std::size_t end = rest.find('\n');
        std::string_view line = trimmed(rest.substr(0, end));
        count += !line.empty() && !line.starts_with('#');
        rest.remove_prefix(end == std::string_view::npos ? rest.size() : end + 1);
    }
    return count;
}

void PipedLines::read_more() {
    Session& session = shell_.session();
    bool is_moving = session.is_moving();
    pollfd watch[] = {{0, POLLIN, 0}, {is_moving ? session.event_descriptor() : -1, POLLIN, 0}};
    timespec moment{
        0, 100'000'000};  // what the program writes to a terminal of its own is taken that often
    int ready = wait_for_input(watch, is_moving ? &moment : nullptr, mask_for_waiting());
    end_if_asked();
    if (is_moving && !watch[0].revents) look_after_it();
    if (ready <= 0 || !watch[0].revents) return;
    char piece[4096];
    ssize_t got = read(0, piece, sizeof piece);
    if (got > 0)
        held_.append(piece, static_cast<std::size_t>(got));
    else
        is_over_ = got == 0 || errno != EINTR;
}

void PipedLines::look_after_it() {
    shell_.session().look_after_it();
    if (shell_.output().format() != Format::json) return;
    if (auto stop = shell_.session().meanwhile()) shell_.show_stop(*stop);
}

}  // namespace lantern::cli
