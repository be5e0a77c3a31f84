// A whole session as one page: a line of its stops along the side, and for each stop the text of
// what was shown there, the commands that were typed after it, pictures, and what the program
// wrote.
//
// It is written as the session goes on, in this order, so that what was written so far can be read
// whatever happens:
//
//     begin   head and title
//     …       a section for each stop, with what followed it
//     end     the line of stops, which the page's style puts at the side; the script
#pragma once

#include <string>
#include <vector>

#include "cli/views/view.h"

namespace lantern::cli {

class SessionPage {
  public:
    explicit SessionPage(std::string title) : title_(std::move(title)) {}

    // Each gives what is to be written next.
    std::string begin();
    std::string command(const std::string& prompt, const std::string& line);
    std::string view(const View& view);
    std::string stack(const StackReport& stack);
    std::string program_output(std::string_view bytes);
    std::string end() const;

  private:
    std::string open_answer();
    std::string close_answer();
    std::string stop(const StopReport& report);

    std::string title_;
    std::string command_;  // typed, and not answered yet
    bool is_in_answer_ = false;
    struct Mark {
        std::string headline, place;
    };
    std::vector<Mark> stops_;
};

}  // namespace lantern::cli
