// Commands that come through a pipe: like a script, but each failure is only told.
#pragma once

#include <string>

#include "cli/shell.h"

namespace lantern::cli {

// Lines of the input, however long they take to come; a signal that asks us to end is heard
// meanwhile.
class PipedLines {
  public:
    // What runs meanwhile is looked after while no line comes. In JSON somebody reads, and hears at
    // once how it ended; a script is told before its next command.
    explicit PipedLines(Shell& shell) : shell_(shell) {}

    bool next(std::string& line);
    std::size_t waiting() const;  // commands that have come already

  private:
    void read_more();
    void look_after_it();

    Shell& shell_;
    std::string held_;
    bool is_over_ = false;
};

}  // namespace lantern::cli
