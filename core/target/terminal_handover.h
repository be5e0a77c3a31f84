// Lends the terminal to the target while it runs and takes it back, with the settings each of the
// two left it in (tcsetpgrp(3), tcsetattr(3)).
#pragma once

#include <sys/types.h>
#include <termios.h>

#include <optional>

namespace lantern {

class TerminalHandover {
  public:
    // Does nothing ever when `descriptor` is no terminal or not ours to give.
    explicit TerminalHandover(int descriptor);

    void lend(pid_t process_group);
    void take_back();
    bool is_terminal() const { return usable_; }

  private:
    int descriptor_;
    bool usable_ = false, lent_ = false;
    pid_t our_group_ = 0;
    std::optional<termios> ours_, theirs_;
};

}  // namespace lantern
