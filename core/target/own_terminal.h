// A terminal of the program's own (pty(7)), apart from the one the user types commands at. What the
// program writes comes to us; what the user types while it runs goes to it, key by key.
#pragma once

#include <termios.h>

#include <functional>
#include <optional>
#include <string>
#include <string_view>

#include "core/target/event_loop.h"

namespace lantern {

class OwnTerminal {
  public:
    using Output = std::function<void(std::string_view bytes)>;
    // `keyboard`: a terminal of ours whose keys go to the program while it runs; -1: none. Throws
    // TargetError.
    OwnTerminal(EventLoop& events, int keyboard, Output output);
    ~OwnTerminal();
    OwnTerminal(const OwnTerminal&) = delete;
    OwnTerminal& operator=(const OwnTerminal&) = delete;

    const std::string& path() const { return path_; }  // what the program opens
    void begin();                                      // the program runs from here on
    // Whether the keyboard goes to the program while it runs; not while the user types commands
    // meanwhile.
    void lend_keyboard(bool wanted) { lends_keyboard_ = wanted; }
    void end();  // it has stopped: what it wrote until now is taken, and the keyboard is ours again
    void drain();

  private:
    void pass_keys();

    EventLoop& events_;
    int keyboard_, master_ = -1;
    Output output_;
    std::string path_;
    std::optional<termios> ours_;
    bool runs_ = false, lends_keyboard_ = true;
};

}  // namespace lantern
