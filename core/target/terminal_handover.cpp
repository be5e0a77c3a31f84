#include "core/target/terminal_handover.h"

#include <unistd.h>

namespace lantern {

TerminalHandover::TerminalHandover(int descriptor)
    : descriptor_(descriptor), our_group_(getpgrp()) {
    usable_ = isatty(descriptor) && tcgetpgrp(descriptor) == our_group_;
}

void TerminalHandover::lend(pid_t process_group) {
    if (!usable_ || lent_) return;
    termios settings;
    if (tcgetattr(descriptor_, &settings) == 0) ours_ = settings;
    if (theirs_) tcsetattr(descriptor_, TCSADRAIN, &*theirs_);
    lent_ = tcsetpgrp(descriptor_, process_group) == 0;
}

void TerminalHandover::take_back() {
    if (!lent_) return;
    termios settings;
    if (tcgetattr(descriptor_, &settings) == 0) theirs_ = settings;
    tcsetpgrp(descriptor_, our_group_);
    if (ours_) tcsetattr(descriptor_, TCSADRAIN, &*ours_);
    lent_ = false;
}

}  // namespace lantern
