// The child of a vfork runs in its parent's memory until it becomes another program or ends. Our
// bytes stay there, for the parent's other threads are to meet them; so the child is looked after
// for as long: where it meets one, it runs the instruction itself, and nobody is told.
#include <sys/ptrace.h>
#include <sys/wait.h>

#include <algorithm>
#include <utility>

#include "core/target/live_process.h"

namespace lantern {

void LiveProcess::take_in_guest(pid_t child) {
    guests_.insert(child);
    tracer_.hand_over(child, process_);
    kernel_.resume(child, Kernel::Motion::go, 0);
}

void LiveProcess::look_after_guest(ThreadId id, int status) {
    int event = status >> 16;
    if (!WIFSTOPPED(status) || event == PTRACE_EVENT_EXEC) {
        guests_.erase(id);
        tracer_.take_back(id);
        bool is_awaited = std::ranges::any_of(
            threads_, [&](const auto& each) { return each.second.untold_child == id; });
        if (WIFSTOPPED(status) && is_awaited) {
            hold_child(id, kernel_.program_of(id));
            newborn_.at(id)->began_as_another_ = true;
        } else if (WIFSTOPPED(status)) {
            kernel_.detach(id, 0);
        }
        if (guests_.empty())
            for (RunAddress at : std::exchange(lifted_for_guests_, {})) probes_.set_back(at);
        return;
    }
    if (event == PTRACE_EVENT_FORK || event == PTRACE_EVENT_VFORK || event == PTRACE_EVENT_CLONE) {
        auto child = static_cast<pid_t>(kernel_.event_message(id));
        if (tracer_.await_newborn(child)) {
            if (event != PTRACE_EVENT_FORK) {
                take_in_guest(child);
            } else {
                clean_child(child);
                kernel_.detach(child, 0);
            }
        }
    }
    bool is_signal = event == 0 && !(WSTOPSIG(status) & 0x80);
    bool is_ours = is_signal && WSTOPSIG(status) == SIGTRAP && step_back_from_byte(id);
    kernel_.resume(id, Kernel::Motion::go, is_signal && !is_ours ? WSTOPSIG(status) : 0);
}

// Of a guest that has just run into a byte of ours: it goes on with the instruction there, in its
// place or in the copy of it.
bool LiveProcess::step_back_from_byte(ThreadId id) {
    user_regs_struct registers;
    if (!kernel_.read_registers(id, registers)) return false;
    RunAddress at(registers.rip - 1);
    if (!has_trap(at) && !probes_.has_stood(at)) return false;
    registers.rip = at.value;
    if (has_trap(at)) {
        if (const CodeRooms::Copy* copy = moved_copy(id, at)) {
            registers.rip = copy->address.value;
        } else {  // it cannot be moved: until the guest has gone, nobody meets it
            probes_.lift(at);
            probes_.apply(*memory_);
            lifted_for_guests_.insert(at);
        }
    }
    return kernel_.write_registers(id, registers);
}

// The memory they run in is given up by us: they go on with its own bytes.
void LiveProcess::let_guests_go() {
    std::map<ThreadId, int> signals;
    for (ThreadId id : guests_) {
        if (!kernel_.interrupt(id)) continue;
        Tracer::News news = tracer_.wait(process_, id);
        if (!news.has_come() || !WIFSTOPPED(news.status)) continue;
        bool is_signal = news.status >> 16 == 0;
        bool is_ours = is_signal && WSTOPSIG(news.status) == SIGTRAP && step_back_from_byte(id);
        signals[id] = is_signal && !is_ours ? WSTOPSIG(news.status) : 0;
        user_regs_struct registers;
        for (int steps = 0; steps < 8 && kernel_.read_registers(id, registers) &&
                            rooms_.holds(RunAddress(registers.rip));
             ++steps) {
            kernel_.resume(id, Kernel::Motion::one_instruction, 0);
            if (!tracer_.wait(process_, id).has_come()) break;
        }
    }
    if (!guests_.empty()) clean(*memory_);
    for (ThreadId id : std::exchange(guests_, {})) {
        tracer_.take_back(id);
        kernel_.detach(id, signals[id]);
    }
}

}  // namespace lantern
