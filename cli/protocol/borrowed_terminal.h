// A terminal of the client's, for the program to read from and write to (the protocol's reverse
// request "runInTerminal"). The client runs a second elm-lantern in it, which tells us the
// terminal's name and holds it until we are done:
//
//     us ── runInTerminal ──► client ── starts ──► elm-lantern serve --hold-terminal SOCKET
//     us ◄──────────── the terminal's name, Ctrl-C as it is typed ────────────┘
#pragma once

#include <functional>
#include <string>

namespace lantern::cli {

class Conversation;

class BorrowedTerminal {
  public:
    // Asks the client, and waits for a few seconds. Throws TargetError where no terminal comes. The
    // conversation is borrowed.
    BorrowedTerminal(Conversation& conversation, const std::string& kind,
                     const std::string& folder);
    ~BorrowedTerminal();
    BorrowedTerminal(const BorrowedTerminal&) = delete;
    BorrowedTerminal& operator=(const BorrowedTerminal&) = delete;

    const std::string& path() const { return path_; }
    // Readable when something was typed that is for us.
    int descriptor() const { return holder_; }
    // Whether Ctrl-C was. False, and nothing comes any more, when the terminal is gone.
    bool take_interrupt();

  private:
    void wait_for_holder(Conversation& conversation, unsigned request, int listener);

    std::string path_;
    int holder_ = -1;
};

// In the client's terminal: tells its name on the socket and stays until the other side is done.
// Returns the exit status.
int hold_terminal(const std::string& socket);

}  // namespace lantern::cli
