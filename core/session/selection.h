// What is looked at of the program: one thread, one frame of its stack, and where it stood before.
#pragma once

#include <memory>
#include <optional>

#include "core/heap/heap.h"
#include "core/session/debuggee.h"
#include "core/session/library_rules.h"
#include "core/session/moment.h"
#include "core/unwind/unwinder.h"

namespace lantern {

class Selection {
  public:
    explicit Selection(Debuggee& debuggee) : debuggee_(debuggee) {}

    ThreadId thread() const { return thread_; }
    unsigned thread_number() const;       // 0: there is none
    void select_thread(ThreadId thread);  // at its innermost frame
    // Of the thread. Throws RequestError when the program is not running, or moves.
    Unwinder& stack();
    const Frame* frame();  // null when the program is not running, or moves
    unsigned level() const { return level_; }
    void select_frame(unsigned level);  // throws RequestError when there is no such frame
    // The innermost frame with source of the user's own; the innermost of all where there is none.
    void select_users_code(const LibraryRules& libraries);
    // The heap for what is shown beside a pointer; null where it is not read, see read_small_heap.
    const Heap* heap();
    void forget_heap();
    // A register, a saved word or the heap may have changed under the frames.
    void forget_stack();
    // The program is about to move: the innermost frame, whichever it will be.
    void leave_stack();

    // The position at which the thread stands, where one is known besides the address; as long as
    // it does not move.
    const CodePosition* standing() const;
    void stand_at(const CodePosition& position);
    void leave_standing() { standing_.reset(); }

    // What the registers of the thread hold now is kept for the next stop.
    void keep_registers();
    const RegisterSnapshot* registers_before()
        const;  // at the stop before this one; null where the thread did not stop then

  private:
    struct Standing {
        ThreadId thread = 0;
        RunAddress at;
        CodePosition position;
    };

    Debuggee& debuggee_;
    ThreadId thread_ = 0;
    unsigned level_ = 0;
    std::unique_ptr<Unwinder> stack_;
    std::optional<Heap> heap_;  // goes with the stack; empty also where it cannot be read
    bool has_looked_for_heap_ = false;
    std::optional<Standing> standing_;
    std::optional<RegisterSnapshot> registers_before_, registers_now_;
};

}  // namespace lantern
