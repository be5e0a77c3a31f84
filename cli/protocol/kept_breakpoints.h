// The breakpoints that a client has asked for, in the groups in which it sends them: each group is
// sent whole, and replaces what it was before. They are kept here so that they can be asked for
// before there is a program, and so that one that stays keeps its number and its counts.
#pragma once

#include <functional>
#include <map>
#include <string>
#include <vector>

#include "core/session/session.h"

namespace lantern::cli {

// A frame that can be found again at a later stop. Calls that were inlined share the address of the
// function that holds them: `inside` counts from that.
struct FrameMeant {
    unsigned thread = 0;        // its number
    std::uint64_t address = 0;  // call frame address; 0: any frame
    unsigned inside = 0;
    // Where the function begins in its file: another one's frame may come to lie at the address.
    std::uint64_t function = 0;
    bool operator==(const FrameMeant&) const = default;
};
FrameMeant frame_meant(Session& session, const Frame& frame);

struct KeptBreakpoint {
    int id = 0;         // the client's
    std::string asked;  // as it was asked for: the same again is the same breakpoint
    Breakpoint wish;
    std::uint32_t asked_line = 0;  // of a line: `wish` may stand for the next one that has code
    std::string message;           // of a note: the text with "{}" where the noted values go
    bool is_place_known = true;    // false: `problem` says why there is none, and it is not tried
    FrameMeant frame;              // of a watchpoint: in which its expression is meant

    unsigned number = 0;    // in the session; 0: it is not set up there
    std::string problem;    // why not, or why it stands nowhere yet
    bool may_come = false;  // it is tried again at the next stop
};

class KeptBreakpoints {
  public:
    // The group is these from here on; those that are asked for as before stay what they are. They
    // come without id. Null: there is no session yet.
    const std::vector<KeptBreakpoint>& replace(const std::string& group,
                                               std::vector<KeptBreakpoint> wanted,
                                               Session* session);
    // Sets up what is not there and may be now. Never throws.
    void set_up(Session& session);
    // One that was set otherwise becomes one of the group.
    const KeptBreakpoint& adopt(const std::string& group, KeptBreakpoint kept);
    // Those that are no longer in the session, though they were, are forgotten. Their ids.
    std::vector<int> forget_dropped(const Session& session);
    std::map<std::string, std::vector<KeptBreakpoint>>& groups() { return groups_; }
    const std::map<std::string, std::vector<KeptBreakpoint>>& groups() const { return groups_; }
    // Of the session's number; null for one that was set otherwise.
    const KeptBreakpoint* numbered(unsigned number) const;

  private:
    std::map<std::string, std::vector<KeptBreakpoint>> groups_;
    int next_id_ = 1;
};

// "5", ">= 5", "> 5", "== 5", "% 5": which of the hits stop. Throws RequestError.
void take_hit_condition(const std::string& text, BreakpointWish& wish);
// "level is {level_cm} of {full}": what is noted, and the message with "{}" in its places; "{{" and
// "}}" stand for braces. Throws RequestError.
std::string take_message(const std::string& text, BreakpointWish& wish);
// The message with the values in.
std::string message_with(const KeptBreakpoint& kept, const NoteRow& row);

}  // namespace lantern::cli
