#include "core/session/selection.h"

#include <fmt/format.h>

#include <utility>

#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/live_process.h"

namespace lantern {

unsigned Selection::thread_number() const {
    return debuggee_.has_threads() ? debuggee_.target().thread_number(looked_.thread) : 0;
}

void Selection::select_thread(ThreadId thread) {
    looked_.thread = thread;
    leave_stack();
}

void Selection::leave_stack() {
    forget_stack();
    looked_.level = 0;
}

void Selection::forget_stack() {
    looked_.stack.reset();
    forget_heap();
}

void Selection::forget_heap() {
    looked_.heap.reset();
    looked_.has_looked_for_heap = false;
}

const Heap* Selection::heap() {
    if (!debuggee_.has_threads() || debuggee_.is_moving()) return nullptr;
    if (!std::exchange(looked_.has_looked_for_heap, true))
        if (auto heap = read_small_heap(debuggee_.target()))
            looked_.heap = std::make_unique<Heap>(std::move(*heap));
    return looked_.heap.get();
}

Unwinder& Selection::stack() {
    if (!debuggee_.core()) debuggee_.process();
    debuggee_.refuse_while_moving();
    if (!looked_.stack)
        looked_.stack = std::make_unique<Unwinder>(debuggee_.target(), looked_.thread, standing());
    return *looked_.stack;
}

const Frame* Selection::frame() {
    if (!debuggee_.has_threads() || debuggee_.is_moving()) return nullptr;
    return stack().frame(looked_.level);
}

void Selection::select_frame(unsigned level) {
    if (!stack().frame(level)) {
        unsigned count = 0;
        while (stack().frame(count)) ++count;
        throw RequestError(
            fmt::format("there is no frame {}: the stack has {}", level, counted(count, "frame")),
            Next::list_frames);
    }
    looked_.level = level;
}

void Selection::select_users_code(const LibraryRules& libraries) {
    constexpr unsigned kFramesLookedAt = 64;
    looked_.level = 0;
    for (unsigned level = 0; level < kFramesLookedAt; ++level) {
        const Frame* frame = stack().frame(level);
        if (!frame) break;
        bool is_users = frame->line && frame->module && !libraries.is_library(*frame->module) &&
                        !libraries.is_library_source(frame->line->file);
        if (!is_users) continue;
        looked_.level = level;
        break;
    }
}

const CodePosition* Selection::standing() const {
    LiveProcess* process = debuggee_.process_if_any();
    bool holds = standing_ && process && standing_->thread == looked_.thread &&
                 process->registers(looked_.thread).program_counter() == standing_->at;
    return holds ? &standing_->position : nullptr;
}

void Selection::stand_at(const CodePosition& position) {
    standing_ = Standing{looked_.thread,
                         debuggee_.process().registers(looked_.thread).program_counter(), position};
    forget_stack();
}

void Selection::keep_registers() {
    registers_before_ = std::exchange(registers_now_, std::nullopt);
    if (!debuggee_.is_running()) return;
    LiveProcess& process = debuggee_.process();
    if (process.thread_number(looked_.thread) == 0) return;
    try {
        registers_now_ = RegisterSnapshot{looked_.thread, process.registers(looked_.thread),
                                          process.extended_state(looked_.thread)};
    } catch (const TargetError&) {  // it was killed while it stood
    }
}

const RegisterSnapshot* Selection::registers_before() const {
    return registers_before_ && registers_before_->thread == looked_.thread ? &*registers_before_
                                                                            : nullptr;
}

}  // namespace lantern
