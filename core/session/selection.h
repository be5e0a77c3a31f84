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
    struct Looked {
        ThreadId thread = 0;
        unsigned level = 0;
        std::unique_ptr<Unwinder> stack;
        std::unique_ptr<Heap> heap;  // goes with the stack; null also where it cannot be read
        bool has_looked_for_heap = false;
    };

  public:
    explicit Selection(Debuggee& debuggee) : debuggee_(debuggee) {}
    // While one lives, other threads and frames may be looked at; then it is as it was before. The
    // stack and the heap that were handed out before stay valid. Nothing may move meanwhile.
    class Detour {
      public:
        explicit Detour(Selection& selection)
            : selection_(selection), kept_(std::move(selection.looked_)) {
            selection.looked_ = {kept_.thread, kept_.level, nullptr, nullptr, false};
        }
        ~Detour() { selection_.looked_ = std::move(kept_); }
        Detour(const Detour&) = delete;
        Detour& operator=(const Detour&) = delete;

      private:
        Selection& selection_;
        Looked kept_;
    };

    ThreadId thread() const { return looked_.thread; }
    unsigned thread_number() const;       // 0: there is none
    void select_thread(ThreadId thread);  // at its innermost frame
    // Of the thread. Throws RequestError when the program is not running, or moves.
    Unwinder& stack();
    const Frame* frame();  // null when the program is not running, or moves
    unsigned level() const { return looked_.level; }
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
    Looked looked_;
    std::optional<Standing> standing_;
    std::optional<RegisterSnapshot> registers_before_, registers_now_;
};

}  // namespace lantern
