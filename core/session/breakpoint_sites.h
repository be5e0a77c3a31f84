// Where the breakpoints stand in the program that runs: places are looked up, libraries that come
// bring theirs, a rebuild moves them.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "core/session/breakpoint.h"

namespace lantern {

struct SessionParts;

class BreakpointSites {
  public:
    // The parts are borrowed, and used only while the session has them all.
    explicit BreakpointSites(SessionParts& parts) : parts_(parts) {}

    // Takes the wish as it is (without a number) and sets it up. A place that is nowhere is refused
    // unless `may_wait`; then it waits for a library that brings it. Throws RequestError, and
    // ExpressionError for a condition that does not parse.
    const Breakpoint& add(Breakpoint wish, bool may_wait);
    void switch_to(unsigned number, bool on);  // throws RequestError for an unknown number
    void drop(unsigned number);

    // The program has been started anew and stands before its first instruction: places are looked
    // up again. Those in libraries wait until the libraries are loaded.
    void resolve_all_for_start();
    void take_out_all();  // the process goes on without us
    // The process is a copy of the other one, as `thread` has forked it: all stands where it stands
    // there.
    void stand_as_in(const BreakpointSites& parent, ThreadId thread);
    void forget();  // the program is gone, and its memory with it
    // The loader has told of a change: what came and what went, by their paths; breakpoints in them
    // are put in or wait again.
    struct LibraryChange {
        std::vector<std::string> loaded, unloaded;
    };
    LibraryChange look_at_libraries();
    // The program was built anew: a breakpoint on a line stays with what the line said. After a
    // start of it they are resolved anyway.
    void find_all_again();
    // A sentence for each that has moved or is gone for now.
    std::vector<std::string> resolve_all_again();

  private:
    void resolve(Breakpoint& breakpoint);
    void resolve_place(Breakpoint& breakpoint);
    // What the library in front of the allocator is to look for.
    void tell_of_heap(const Breakpoint& breakpoint);
    void follow_address(Breakpoint& breakpoint);
    void insert(Breakpoint& breakpoint);
    void remove(Breakpoint& breakpoint);
    void watch_anew(Breakpoint& breakpoint);
    void require_of_program(Breakpoint& wish);
    void remember_source(Breakpoint& breakpoint);
    void find_again(Breakpoint& breakpoint);
    void want_loader_hook();
    bool is_waiting_for_libraries() const;

    SessionParts& parts_;
    std::optional<RunAddress> loader_hook_;  // where the loader tells that libraries came or went
    std::set<std::string> known_libraries_;
};

}  // namespace lantern
