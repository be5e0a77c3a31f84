#include "core/session/selection.h"

#include <fmt/format.h>

#include <utility>

#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/live_process.h"

namespace lantern {

unsigned Selection::thread_number() const {
    return debuggee_.has_threads() ? debuggee_.target().thread_number(thread_) : 0;
}

void Selection::select_thread(ThreadId thread) {
    thread_ = thread;
    leave_stack();
}

void Selection::leave_stack() {
    forget_stack();
    level_ = 0;
}

void Selection::forget_stack() {
    stack_.reset();
    forget_heap();
}

void Selection::forget_heap() {
    heap_.reset();
    has_looked_for_heap_ = false;
}

const Heap* Selection::heap() {
    if (!debuggee_.has_threads() || debuggee_.is_moving()) return nullptr;
    if (!has_looked_for_heap_) heap_ = read_small_heap(debuggee_.target());
    has_looked_for_heap_ = true;
    return heap_ ? &*heap_ : nullptr;
}

Unwinder& Selection::stack() {
    if (!debuggee_.core()) debuggee_.process();
    debuggee_.refuse_while_moving();
    if (!stack_) stack_ = std::make_unique<Unwinder>(debuggee_.target(), thread_, standing());
    return *stack_;
}

const Frame* Selection::frame() {
    if (!debuggee_.has_threads() || debuggee_.is_moving()) return nullptr;
    return stack().frame(level_);
}

void Selection::select_frame(unsigned level) {
    if (!stack().frame(level)) {
        unsigned count = 0;
        while (stack().frame(count)) ++count;
        throw RequestError(
            fmt::format("there is no frame {}: the stack has {}", level, counted(count, "frame")),
            Next::list_frames);
    }
    level_ = level;
}

void Selection::select_users_code(const LibraryRules& libraries) {
    constexpr unsigned kFramesLookedAt = 64;
    level_ = 0;
    for (unsigned level = 0; level < kFramesLookedAt; ++level) {
        const Frame* frame = stack().frame(level);
        if (!frame) break;
        bool is_users = frame->line && frame->module && !libraries.is_library(*frame->module) &&
                        !libraries.is_library_source(frame->line->file);
        if (!is_users) continue;
        level_ = level;
        break;
    }
}

const CodePosition* Selection::standing() const {
    LiveProcess* process = debuggee_.process_if_any();
    bool holds = standing_ && process && standing_->thread == thread_ &&
                 process->registers(thread_).program_counter() == standing_->at;
    return holds ? &standing_->position : nullptr;
}

void Selection::stand_at(const CodePosition& position) {
    standing_ =
        Standing{thread_, debuggee_.process().registers(thread_).program_counter(), position};
    forget_stack();
}

void Selection::keep_registers() {
    registers_before_ = std::exchange(registers_now_, std::nullopt);
    if (!debuggee_.is_running()) return;
    LiveProcess& process = debuggee_.process();
    if (process.thread_number(thread_) == 0) return;
    try {
        registers_now_ =
            RegisterSnapshot{thread_, process.registers(thread_), process.extended_state(thread_)};
    } catch (const TargetError&) {  // it was killed while it stood
    }
}

const RegisterSnapshot* Selection::registers_before() const {
    return registers_before_ && registers_before_->thread == thread_ ? &*registers_before_
                                                                     : nullptr;
}

}  // namespace lantern
