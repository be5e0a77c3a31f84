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
    refuse_while_moving();
    std::uint64_t stops_before = process().stops();
    stack_.reset();
    selected_level_ = 0;
    Movement movement(*this, wish.alone ? thread_ : 0);
    Stop stop = move(movement);
    return finished(std::move(stop), stops_before);
}

Stop Session::finished(Stop stop, std::uint64_t stops_before) {
    stop.target_stops = process_->stops() - stops_before;
    process_->lend_terminals(true);
    stack_.reset();
    selected_level_ = 0;
    if (stop.is_end()) {
        process_.reset();
        forget_sites();
    } else if (stop.thread) {
        thread_ = stop.thread;
        if (stop.position) stand_at(*stop.position);
        // What happens in a library's code is looked at from the user's own.
        bool is_no_step = stop.reason == StopReason::event || stop.reason == StopReason::paused || stop.reason == StopReason::signal || !stop.facts.empty();
        if (is_no_step) selected_level_ = level_of_users_code();
    }
    if (is_running() && std::ranges::any_of(breakpoints_.all(), [](const Breakpoint& b) { return b.watched && b.watched->follows; }))
        Watching(*this).follow_all();
    keep_registers();
    if (process_) process_->rest();
    last_stop_ = stop;
    ++movements_;
    return stop;
}

void Session::keep_registers() {
    registers_before_ = std::exchange(registers_now_, std::nullopt);
    if (!is_running() || process_->thread_number(thread_) == 0) return;
    try {
        registers_now_ = RegisterSnapshot{thread_, process_->registers(thread_), process_->extended_state(thread_)};
    } catch (const TargetError&) {  // it was killed while it stood
    }
}

// The old tables stay for the values that point into them.
void Session::read_again() {
    retired_.push_back(symbols_);
    symbols_ = std::make_shared<ModuleSymbols>(launch_.program, search_);
    open_[launch_.program] = symbols_;
    file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
    sources_ = SourceFiles(sources_.mappings());
    presentation_.results.clear();
    for (Breakpoint& breakpoint : breakpoints_.all()) find_again(breakpoint);
}

// It became another program: its symbols are read, and what was set is looked for in it.
void Session::program_was_replaced() {
    stack_.reset();
    thread_ = process_->id();
    look_at_program_anew();
}

void Session::look_at_program_anew() {
    forget_sites();
    if (process_->program() != launch_.program && !process_->program().empty()) {
        retired_.push_back(symbols_);
        try {
            symbols_ = open_symbols(process_->program());
            launch_.program = process_->program();
            file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
        } catch (const Error&) {  // a program we cannot read: it goes on without names
        }
    }
    resolve_all_for_start();
    want_loader_hook();
}

void Session::start_process() {
    if (core_) process();  // refuses
    kill();
    kept_open_.clear();
    if (stamp_of(launch_.program) != symbols_->elf().stamp()) read_again();
    attached_to_ = 0;
    process_number_ = processes_met_ = 1;
    own_terminal_.reset();
    if (terminal_output_) own_terminal_ = std::make_unique<OwnTerminal>(events_, keyboard_, terminal_output_);
    launch_.terminal = own_terminal_ ? own_terminal_->path() : "";
    process_ = std::make_unique<LiveProcess>(launch_, events_, tracer_, [this](const std::string& path) { return open_symbols(path); });
    process_->set_own_terminal(own_terminal_.get());
    process_->follow(follow_);
    thread_ = process_->id();
    has_run_ = true;
    last_stop_ = Stop{};
    last_stop_.reason = StopReason::launched;
    notes_.clear();
    resolve_all_for_start();
    want_loader_hook();
}

std::vector<std::string> Session::reload() {
    std::vector<std::string> news;
    bool is_new = stamp_of(launch_.program) != symbols_->elf().stamp();
    if (!is_new) return {"the program is the same as before"};
    if (is_running()) {
        kill();
        news.push_back("the running program was of the old build and has been ended");
    }
    read_again();
    news.push_back("the program has been read anew");
    for (Breakpoint& breakpoint : breakpoints_.all()) {
        if (!breakpoint.moved.empty()) news.push_back(fmt::format("breakpoint {}: {}", breakpoint.number, breakpoint.moved));
        if (!breakpoint.has_sites()) continue;
        try {
            resolve_breakpoint(breakpoint);
        } catch (const Error& error) {
            breakpoint.sites.clear();
            news.push_back(fmt::format("breakpoint {} is gone for now: {}", breakpoint.number, error.what()));
        }
    }
    return news;
}

Stop Session::launch(std::vector<std::string> arguments) {
    launch_.arguments = std::move(arguments);
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
        stop = LineStep(*this, movement, {}).out_of_inlined(*shown.inlined);
        if (stop.reason != StopReason::returned || !stop.breakpoints.empty()) return stop;
        stop.reason = StopReason::stepped;
        stop.returned.reset();
    } else {
        movement.set_home(shown.identity);
        stop = movement.run({shown.back}, [&](ThreadId thread) { return thread == thread_ && movement.frame_identity(thread) >= shown.identity; });
        if (stop.reason != StopReason::stepped || !stop.breakpoints.empty()) return stop;
    }
    Unwinder walk(*process_, thread_);
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
        return LineStep(*this, movement, wish).over();
    }, wish);
}

Stop Session::into_line(const StepWish& wish) {
    auto shown = shown_further_out();
    return moved([&](Movement& movement) {
        if (shown)
            if (auto stop = come_back_to(*shown, movement)) return *stop;
        return LineStep(*this, movement, wish).into();
    }, wish);
}

Stop Session::into_instruction() {
    return moved([](Movement& movement) { return stepped_by_instruction(movement.step_instruction()); });
}

Stop Session::over_instruction(const StepWish& wish) {
    return moved([this](Movement& movement) {
        RunAddress at = process_->registers(thread_).program_counter();
        std::byte bytes[kLongestInstruction];
        auto instruction = decode_instruction(ByteSpan(bytes, process_->read_available(at, bytes)), at);
        if (!instruction || instruction->kind != Instruction::Kind::call) return stepped_by_instruction(movement.step_instruction());
        RunAddress identity = movement.frame_identity(thread_);
        return stepped_by_instruction(movement.run({instruction->next()}, [&, identity](ThreadId thread) {
            return thread == thread_ && movement.frame_identity(thread) >= identity;
        }));
    }, wish);
}

Stop Session::out_of_loop() {
    return moved([this](Movement& movement) { return LineStep(*this, movement, {}).out_of_loop(); });
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
    last_stop_ = stop;
    return stop;
}

// An inlined call has no address to return to: it is left where its code ends.
Stop Session::out_of_inlined(const Frame& frame) {
    // Only what runs now can be left so: nothing but inlined calls lies further in.
    for (unsigned level = 0; level < frame.level; ++level)
        if (!stack().frame(level)->inlined || stack().frame(level + 1)->origin != FrameOrigin::inlined)
            throw RequestError(fmt::format("{} was inlined and waits for a call", frame.inlined->name), "out in the frame further in comes back to it first");
    const Scope* call = frame.scopes.back();
    return moved([this, call](Movement& movement) { return LineStep(*this, movement, {}).out_of_inlined(*call); });
}

// ---- going on meanwhile ----------------------------------------------------------------------------------------------

std::optional<Stop> Session::begin_meanwhile(std::function<Stop()> movement) {
    refuse_while_moving();
    process().lend_terminals(false);
    going_ = std::make_unique<Meanwhile>(events_, std::move(movement));
    return meanwhile();
}

std::optional<Stop> Session::meanwhile() {
    if (!going_) return std::nullopt;
    if (own_terminal_) own_terminal_->drain();
    return ended_meanwhile([this] { return going_->look(); });
}

// What the movement threw is the user's to hear once.
template <class Look>
std::optional<Stop> Session::ended_meanwhile(Look look) {
    std::optional<Stop> stop;
    try {
        stop = look();
    } catch (...) {
        going_.reset();
        if (process_) process_->lend_terminals(true);
        throw;
    }
    if (stop) going_.reset();
    return stop;
}

Stop Session::wait() {
    if (!is_moving()) throw RequestError("the program is not running by itself", "continue meanwhile sets it going");
    for (;;) {
        if (auto stop = meanwhile()) return *stop;
        if (events_.wait_at_most(kLongestSleep) == EventLoop::Event::interrupt) return pause();
    }
}

std::optional<Stop> Session::wait_at_most(double seconds) {
    using Clock = std::chrono::steady_clock;
    if (!is_moving()) throw RequestError("the program is not running by itself", "continue meanwhile sets it going");
    auto end = Clock::now() + std::chrono::duration<double>(seconds);
    for (;;) {
        if (auto stop = meanwhile()) return stop;
        auto left = std::chrono::duration_cast<std::chrono::milliseconds>(end - Clock::now()).count();
        if (left <= 0) return std::nullopt;
        if (events_.wait_at_most(static_cast<int>(std::min<long>(left, kLongestSleep))) == EventLoop::Event::interrupt) return pause();
    }
}

Stop Session::pause() {
    if (!is_moving()) throw RequestError("the program does not run now", "pause at PLACE sets a breakpoint; Ctrl-C pauses a running program");
    for (;;)  // a movement of several legs may be between two of them
        if (auto stop = ended_meanwhile([this] { return going_->interrupt(); })) return *stop;
}

}  // namespace lantern
