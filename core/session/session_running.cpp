// Starting the program and the movements that need no source: on to the next stop, by instruction,
// to a place.
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <utility>

#include "core/machine/instruction.h"
#include "core/session/line_step.h"
#include "core/session/movement.h"
#include "core/session/session.h"
#include "core/session/watching.h"
#include "core/support/error.h"
#include "core/target/code_at.h"

namespace lantern {
namespace {

Stop stepped_by_instruction(Stop stop) {
    stop.by_instruction = stop.reason == StopReason::stepped;
    return stop;
}

}  // namespace

// Wraps every movement: the other processes go with it, and how it ended is remembered.
Stop Session::moved(const std::function<Stop(Movement&)>& move, const StepOptions& wish) {
    here().debuggee.refuse_while_moving();
    if (auto told = processes_->take_told()) return told_of(*told);
    Stop stop;
    try {
        std::uint64_t stops_before = process().stops();
        here().selection.leave_stack();
        Movement movement(here(), wish.alone ? thread() : 0);
        if (!wish.alone) processes_->let_others_go();
        stop = here().finished(move(movement), stops_before);
    } catch (...) {
        processes_->hold_others();
        throw;
    }
    processes_->hold_others();
    here().debuggee.come_to_front();
    if (stop.reason == StopReason::paused && !processes_->is_only_one())
        processes_->take_pause_for_all();
    if (stop.reason == StopReason::paused)
        if (auto told = processes_->take_told()) return told_of(*told);
    return told_of(std::move(stop));
}

// The stop is of the process that is looked at. Where that has ended, one that is left is looked at
// from here on.
Stop Session::told_of(Stop stop) {
    if (!processes_->is_only_one()) stop.process = processes_->number();
    here().is_told(stop);
    auto left = processes_->one_that_is_left();
    if (!stop.is_end() || !left) return stop;
    stop.next_process = *left;
    select_process(*left);
    return stop;
}

// What was made of the old build goes with it.
void Session::read_again() {
    here().debuggee.read_program_again();
    here().life = ++shared_.lives;
    here().sources = SourceFiles(here().sources.mappings());
    here().presentation.results.clear();
    here().sites.find_all_again();
}

void Session::start_process() {
    if (core()) process();  // refuses
    kill();
    if (here().debuggee.is_rebuilt()) read_again();
    here().debuggee.start();
    here().life = ++shared_.lives;
    here().selection.select_thread(process_id());
    here().last_stop = Stop{};
    here().last_stop.reason = StopReason::launched;
    here().notes.clear();
    here().sites.resolve_all_for_start();
}

std::vector<std::string> Session::reload() {
    if (!here().debuggee.is_rebuilt()) return {"the program is the same as before"};
    std::vector<std::string> news;
    if (is_running()) {
        kill();
        news.push_back("the running program was of the old build and has been ended");
    }
    read_again();
    news.push_back("the program has been read anew");
    for (std::string& each : here().sites.resolve_all_again()) news.push_back(std::move(each));
    return news;
}

Stop Session::launch(std::vector<std::string> arguments) {
    set_arguments(std::move(arguments));
    return launch_again();
}

Stop Session::start() {
    start_process();
    return last_stop();
}

Stop Session::launch_again() {
    start_process();
    return continue_running();
}

Stop Session::continue_running(const StepOptions& wish) {
    return moved([](Movement& movement) { return movement.run({}, nullptr); }, wish);
}

// The frame that is shown, where that is not the innermost: movements of its lines begin by coming
// back to it.
std::optional<Session::ShownFrame> Session::shown_further_out() {
    const Frame* frame = selected_frame();
    if (!frame || frame->level == 0 || !frame->call_frame_address) return std::nullopt;
    ShownFrame shown;
    shown.identity = *frame->call_frame_address;
    if (frame->line) shown.line = frame->line->line;
    if (stack().frame(frame->level - 1)->origin == FrameOrigin::inlined ||
        frame->origin == FrameOrigin::inlined) {
        const Frame* inner = stack().frame(frame->level - 1);
        bool is_innermost = true;
        for (unsigned level = 0; level < frame->level; ++level)
            is_innermost &= stack().frame(level + 1)->origin == FrameOrigin::inlined;
        if (is_innermost && inner->inlined && !inner->scopes.empty())
            shown.inlined = inner->scopes.back();
    }
    shown.back = frame->program_counter;
    return shown;
}

// Nothing: the shown frame runs now, in the middle of its line.
std::optional<Stop> Session::come_back_to(const ShownFrame& shown, Movement& movement) {
    Stop stop;
    if (shown.inlined) {
        stop = LineStep(here(), movement, {}).out_of_inlined(*shown.inlined);
        if (stop.reason != StopReason::returned || !stop.breakpoints.empty()) return stop;
        stop.reason = StopReason::stepped;
        stop.returned.reset();
    } else {
        movement.set_home(shown.identity);
        stop = movement.run({shown.back}, [&](ThreadId thread) {
            return thread == this->thread() && movement.frame_identity(thread) >= shown.identity;
        });
        if (stop.reason != StopReason::stepped || !stop.breakpoints.empty()) return stop;
    }
    Unwinder walk(process(), thread());
    auto position = stop.position ? stop.position : first_position(walk.innermost());
    std::uint32_t line = position                ? position->line
                         : walk.innermost().line ? walk.innermost().line->line
                                                 : 0;
    if (line == shown.line) return std::nullopt;
    stop.position = position;
    return stop;
}

Stop Session::over_line(const StepOptions& wish) {
    auto shown = shown_further_out();
    return moved(
        [&](Movement& movement) {
            if (shown)
                if (auto stop = come_back_to(*shown, movement)) return *stop;
            return LineStep(here(), movement, wish).over();
        },
        wish);
}

Stop Session::into_line(const StepOptions& wish) {
    auto shown = shown_further_out();
    return moved(
        [&](Movement& movement) {
            if (shown)
                if (auto stop = come_back_to(*shown, movement)) return *stop;
            return LineStep(here(), movement, wish).into();
        },
        wish);
}

Stop Session::into_instruction() {
    return moved(
        [](Movement& movement) { return stepped_by_instruction(movement.step_instruction()); });
}

Stop Session::over_instruction(const StepOptions& wish) {
    return moved(
        [this](Movement& movement) {
            LiveProcess& live = process();
            RunAddress at = live.registers(thread()).program_counter();
            auto instruction = instruction_at(live, at);
            if (!instruction || instruction->kind != Instruction::Kind::call)
                return stepped_by_instruction(movement.step_instruction());
            RunAddress identity = movement.frame_identity(thread());
            return stepped_by_instruction(
                movement.run({instruction->next()}, [&, identity](ThreadId thread) {
                    return thread == this->thread() && movement.frame_identity(thread) >= identity;
                }));
        },
        wish);
}

Stop Session::out_of_loop() {
    return moved(
        [this](Movement& movement) { return LineStep(here(), movement, {}).out_of_loop(); });
}

Stop Session::reach(const Place& place) {
    if (!is_running()) start_process();
    Stop stop = moved([&](Movement& movement) {
        std::set<RunAddress> sites;
        Movement::Positions positions;
        for (const PlaceSite& site : resolve_place(place, context())) {
            sites.insert(site.address);
            if (site.code.position) positions.emplace(site.address, *site.code.position);
        }
        return movement.run(sites, nullptr, &positions);
    });
    if (stop.reason == StopReason::stepped)
        stop.reason = StopReason::reached;
    else
        stop.unreached = place.text;
    here().last_stop = stop;
    return stop;
}

Stop Session::repeat(std::uint64_t times, const std::function<Stop()>& move,
                     const std::function<bool(const Stop&)>& goes_on) {
    Stop stop;
    std::uint64_t target_stops = 0;
    for (std::uint64_t done = 1; done <= times; ++done) {
        stop = move();
        target_stops += stop.target_stops;
        bool has_arrived = stop.reason == StopReason::stepped && stop.breakpoints.empty();
        if (!has_arrived || done == times || !goes_on(stop)) break;
    }
    stop.target_stops = target_stops;
    return stop;
}

// An inlined call has no address to return to: it is left where its code ends.
Stop Session::out_of_inlined(const Frame& frame) {
    // Only what runs now can be left so: nothing but inlined calls lies further in.
    for (unsigned level = 0; level < frame.level; ++level)
        if (!stack().frame(level)->inlined ||
            stack().frame(level + 1)->origin != FrameOrigin::inlined)
            throw RequestError(
                fmt::format("{} was inlined and waits for a call", frame.inlined->name),
                Next::step_out_further_in);
    const Scope* call = frame.scopes.back();
    return moved([this, call](Movement& movement) {
        return LineStep(here(), movement, {}).out_of_inlined(*call);
    });
}

// ---- going on meanwhile

std::optional<Stop> Session::begin_meanwhile(std::function<Stop()> movement) {
    here().debuggee.refuse_while_moving();
    untold_.reset();
    process().lend_terminals(false);
    shared_.host.goes_meanwhile = true;
    going_ = std::make_unique<Fibre>(
        [this, movement = std::move(movement)] { stop_meanwhile_ = movement(); });
    return meanwhile();
}

std::optional<Stop> Session::meanwhile() {
    if (untold_) return std::exchange(untold_, std::nullopt);
    if (!going_) return std::nullopt;
    here().debuggee.drain_terminal();
    bool ends = here().debuggee.events().take_interrupt();
    if (processes_->are_others_going()) ends |= processes_->look_at_others();
    return resume_meanwhile(ends ? Fibre::Word::interrupt : Fibre::Word::go_on);
}

void Session::leave_meanwhile() {
    going_.reset();
    shared_.host.goes_meanwhile = false;
}

void Session::look_after_it() {
    if (!untold_) untold_ = meanwhile();
}

// What the movement threw is the user's to hear once.
std::optional<Stop> Session::resume_meanwhile(Fibre::Word word) {
    try {
        if (!going_->resume(word)) return std::nullopt;
    } catch (...) {
        leave_meanwhile();
        here().debuggee.come_to_front();
        throw;
    }
    leave_meanwhile();
    return std::exchange(stop_meanwhile_, std::nullopt);
}

Stop Session::wait() {
    if (untold_) return *meanwhile();
    if (!is_moving())
        throw RequestError("the program is not running by itself", Next::go_meanwhile);
    for (;;) {
        if (auto stop = meanwhile()) return *stop;
        if (here().debuggee.events().wait() == EventLoop::Event::interrupt) return pause();
    }
}

std::optional<Stop> Session::wait_at_most(double seconds) {
    using Clock = std::chrono::steady_clock;
    if (untold_) return meanwhile();
    if (!is_moving())
        throw RequestError("the program is not running by itself", Next::go_meanwhile);
    auto end = Clock::now() + std::chrono::duration<double>(seconds);
    for (;;) {
        if (auto stop = meanwhile()) return stop;
        auto left =
            std::chrono::duration_cast<std::chrono::milliseconds>(end - Clock::now()).count();
        if (left <= 0) return std::nullopt;
        if (here().debuggee.events().wait_at_most(static_cast<int>(left)) ==
            EventLoop::Event::interrupt)
            return pause();
    }
}

bool Session::sleep(double seconds) {
    using Clock = std::chrono::steady_clock;
    auto end = Clock::now() + std::chrono::duration<double>(seconds);
    for (;;) {
        auto left =
            std::chrono::duration_cast<std::chrono::milliseconds>(end - Clock::now()).count();
        if (left <= 0) return true;
        if (shared_.host.events.wait_at_most(static_cast<int>(left)) == EventLoop::Event::interrupt)
            return false;
    }
}

Stop Session::pause() {
    if (untold_) return *meanwhile();
    if (!is_moving())
        throw RequestError("the program does not run now", Next::pause_by_breakpoint_or_key);
    for (;;)  // a movement of several legs may be between two of them
        if (auto stop = resume_meanwhile(Fibre::Word::interrupt)) return *stop;
}

}  // namespace lantern
