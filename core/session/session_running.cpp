// Starting the program and the movements that need no source: on to the next stop, by instruction, to a place.
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <utility>

#include "core/machine/instruction.h"
#include "core/session/line_step.h"
#include "core/session/meanwhile.h"
#include "core/session/movement.h"
#include "core/session/watching.h"
#include "core/support/error.h"

namespace lantern {
namespace {

constexpr int kLongestSleep = 20;  // milliseconds; see LiveProcess::run

Stop stepped_by_instruction(Stop stop) {
    stop.by_instruction = stop.reason == StopReason::stepped;
    return stop;
}

}  // namespace

// Wraps every movement: remembers how it ended and forgets what was known about the stack before it.
template <class Move>
Stop Session::moved(Move move, const StepWish& wish) {
    parts_.debuggee.refuse_while_moving();
    std::uint64_t stops_before = process().stops();
    parts_.selection.leave_stack();
    Movement movement(parts_, wish.alone ? thread() : 0);
    Stop stop = move(movement);
    return finished(std::move(stop), stops_before);
}

Stop Session::finished(Stop stop, std::uint64_t stops_before) {
    Debuggee& debuggee = parts_.debuggee;
    Selection& selection = parts_.selection;
    LiveProcess& process = *debuggee.process_if_any();
    stop.target_stops = process.stops() - stops_before;
    process.lend_terminals(true);
    selection.leave_stack();
    if (stop.is_end()) {
        debuggee.forget_what_ended();
        parts_.sites.forget();
        if (auto others = debuggee.processes(); !others.empty()) stop.waiting_process = others.front().number;
    } else if (stop.thread) {
        selection.select_thread(stop.thread);
        if (stop.position) selection.stand_at(*stop.position);
        // What happens in a library's code is looked at from the user's own.
        bool is_no_step = stop.reason == StopReason::event || stop.reason == StopReason::paused || stop.reason == StopReason::signal || !stop.facts.empty();
        if (is_no_step) selection.select_users_code(parts_.libraries);
    }
    if (is_running() && std::ranges::any_of(breakpoints(), [](const Breakpoint& b) { return b.watched && b.watched->follows; }))
        Watching(parts_).follow_all();
    selection.keep_registers();
    if (LiveProcess* still = debuggee.process_if_any()) still->rest();
    parts_.last_stop = stop;
    ++parts_.movements;
    return stop;
}

// What was made of the old build goes with it.
void Session::read_again() {
    parts_.debuggee.read_program_again();
    ++parts_.life;
    parts_.sources = SourceFiles(parts_.sources.mappings());
    parts_.presentation.results.clear();
    parts_.sites.find_all_again();
}

void Session::start_process() {
    if (core()) process();  // refuses
    kill();
    if (parts_.debuggee.is_rebuilt()) read_again();
    parts_.debuggee.start();
    ++parts_.life;
    parts_.selection.select_thread(process_id());
    parts_.last_stop = Stop{};
    parts_.last_stop.reason = StopReason::launched;
    parts_.notes.clear();
    parts_.sites.resolve_all_for_start();
}

std::vector<std::string> Session::reload() {
    if (!parts_.debuggee.is_rebuilt()) return {"the program is the same as before"};
    std::vector<std::string> news;
    if (is_running()) {
        kill();
        news.push_back("the running program was of the old build and has been ended");
    }
    read_again();
    news.push_back("the program has been read anew");
    for (std::string& each : parts_.sites.resolve_all_again()) news.push_back(std::move(each));
    return news;
}

Stop Session::launch(std::vector<std::string> arguments) {
    set_arguments(std::move(arguments));
    return launch_again();
}

Stop Session::launch_again() {
    start_process();
    return continue_running();
}

Stop Session::continue_running(const StepWish& wish) {
    return moved([](Movement& movement) { return movement.run({}, [](ThreadId) { return false; }); }, wish);
}

// The frame that is shown, where that is not the innermost: movements of its lines begin by coming back to it.
std::optional<Session::ShownFrame> Session::shown_further_out() {
    const Frame* frame = selected_frame();
    if (!frame || frame->level == 0 || !frame->call_frame_address) return std::nullopt;
    ShownFrame shown;
    shown.identity = *frame->call_frame_address;
    if (frame->line) shown.line = frame->line->line;
    if (stack().frame(frame->level - 1)->origin == FrameOrigin::inlined || frame->origin == FrameOrigin::inlined) {
        const Frame* inner = stack().frame(frame->level - 1);
        bool is_innermost = true;
        for (unsigned level = 0; level < frame->level; ++level) is_innermost &= stack().frame(level + 1)->origin == FrameOrigin::inlined;
        if (is_innermost && inner->inlined && !inner->scopes.empty()) shown.inlined = inner->scopes.back();
    }
    shown.back = frame->program_counter;
    return shown;
}

// Nothing: the shown frame runs now, in the middle of its line.
std::optional<Stop> Session::come_back_to(const ShownFrame& shown, Movement& movement) {
    Stop stop;
    if (shown.inlined) {
        stop = LineStep(parts_, movement, {}).out_of_inlined(*shown.inlined);
        if (stop.reason != StopReason::returned || !stop.breakpoints.empty()) return stop;
        stop.reason = StopReason::stepped;
        stop.returned.reset();
    } else {
        movement.set_home(shown.identity);
        stop = movement.run({shown.back}, [&](ThreadId thread) { return thread == this->thread() && movement.frame_identity(thread) >= shown.identity; });
        if (stop.reason != StopReason::stepped || !stop.breakpoints.empty()) return stop;
    }
    Unwinder walk(process(), thread());
    auto position = stop.position ? stop.position : first_position(walk.innermost());
    std::uint32_t line = position ? position->line : walk.innermost().line ? walk.innermost().line->line : 0;
    if (line == shown.line) return std::nullopt;
    stop.position = position;
    return stop;
}

Stop Session::over_line(const StepWish& wish) {
    auto shown = shown_further_out();
    return moved([&](Movement& movement) {
        if (shown)
            if (auto stop = come_back_to(*shown, movement)) return *stop;
        return LineStep(parts_, movement, wish).over();
    }, wish);
}

Stop Session::into_line(const StepWish& wish) {
    auto shown = shown_further_out();
    return moved([&](Movement& movement) {
        if (shown)
            if (auto stop = come_back_to(*shown, movement)) return *stop;
        return LineStep(parts_, movement, wish).into();
    }, wish);
}

Stop Session::into_instruction() {
    return moved([](Movement& movement) { return stepped_by_instruction(movement.step_instruction()); });
}

Stop Session::over_instruction(const StepWish& wish) {
    return moved([this](Movement& movement) {
        LiveProcess& live = process();
        RunAddress at = live.registers(thread()).program_counter();
        std::byte bytes[kLongestInstruction];
        auto instruction = decode_instruction(ByteSpan(bytes, live.read_available(at, bytes)), at);
        if (!instruction || instruction->kind != Instruction::Kind::call) return stepped_by_instruction(movement.step_instruction());
        RunAddress identity = movement.frame_identity(thread());
        return stepped_by_instruction(movement.run({instruction->next()}, [&, identity](ThreadId thread) {
            return thread == this->thread() && movement.frame_identity(thread) >= identity;
        }));
    }, wish);
}

Stop Session::out_of_loop() {
    return moved([this](Movement& movement) { return LineStep(parts_, movement, {}).out_of_loop(); });
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
        return movement.run(sites, [](ThreadId) { return true; }, &positions);
    });
    if (stop.reason == StopReason::stepped) stop.reason = StopReason::reached;
    else stop.unreached = place.text;
    parts_.last_stop = stop;
    return stop;
}

Stop Session::repeat(std::uint64_t times, const std::function<Stop()>& move, const std::function<bool(const Stop&)>& goes_on) {
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
        if (!stack().frame(level)->inlined || stack().frame(level + 1)->origin != FrameOrigin::inlined)
            throw RequestError(fmt::format("{} was inlined and waits for a call", frame.inlined->name), "out in the frame further in comes back to it first");
    const Scope* call = frame.scopes.back();
    return moved([this, call](Movement& movement) { return LineStep(parts_, movement, {}).out_of_inlined(*call); });
}

// ---- going on meanwhile ----------------------------------------------------------------------------------------------

std::optional<Stop> Session::begin_meanwhile(std::function<Stop()> movement) {
    parts_.debuggee.refuse_while_moving();
    untold_.reset();
    process().lend_terminals(false);
    going_ = std::make_unique<Meanwhile>(parts_.debuggee.events(), std::move(movement));
    return meanwhile();
}

std::optional<Stop> Session::meanwhile() {
    if (untold_) return std::exchange(untold_, std::nullopt);
    if (!going_) return std::nullopt;
    parts_.debuggee.drain_terminal();
    return ended_meanwhile([this] { return going_->look(); });
}

void Session::look_after_it() {
    if (!untold_) untold_ = meanwhile();
}

// What the movement threw is the user's to hear once.
template <class Look>
std::optional<Stop> Session::ended_meanwhile(Look look) {
    std::optional<Stop> stop;
    try {
        stop = look();
    } catch (...) {
        going_.reset();
        if (LiveProcess* still = parts_.debuggee.process_if_any()) still->lend_terminals(true);
        throw;
    }
    if (stop) going_.reset();
    return stop;
}

Stop Session::wait() {
    if (untold_) return *meanwhile();
    if (!is_moving()) throw RequestError("the program is not running by itself", "continue meanwhile sets it going");
    for (;;) {
        if (auto stop = meanwhile()) return *stop;
        if (parts_.debuggee.events().wait_at_most(kLongestSleep) == EventLoop::Event::interrupt) return pause();
    }
}

std::optional<Stop> Session::wait_at_most(double seconds) {
    using Clock = std::chrono::steady_clock;
    if (untold_) return meanwhile();
    if (!is_moving()) throw RequestError("the program is not running by itself", "continue meanwhile sets it going");
    auto end = Clock::now() + std::chrono::duration<double>(seconds);
    for (;;) {
        if (auto stop = meanwhile()) return stop;
        auto left = std::chrono::duration_cast<std::chrono::milliseconds>(end - Clock::now()).count();
        if (left <= 0) return std::nullopt;
        if (parts_.debuggee.events().wait_at_most(static_cast<int>(std::min<long>(left, kLongestSleep))) == EventLoop::Event::interrupt) return pause();
    }
}

Stop Session::pause() {
    if (untold_) return *meanwhile();
    if (!is_moving()) throw RequestError("the program does not run now", "pause at PLACE sets a breakpoint; Ctrl-C pauses a running program");
    for (;;)  // a movement of several legs may be between two of them
        if (auto stop = ended_meanwhile([this] { return going_->interrupt(); })) return *stop;
}

}  // namespace lantern
