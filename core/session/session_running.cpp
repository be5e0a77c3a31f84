// Starting the program and the movements that need no source: on to the next stop, by instruction, to a place.
#include <fmt/format.h>

#include <algorithm>

#include "core/machine/instruction.h"
#include "core/session/line_step.h"
#include "core/session/movement.h"
#include "core/support/error.h"

namespace lantern {

// Wraps every movement: remembers how it ended and forgets what was known about the stack before it.
template <class Move>
Stop Session::moved(Move move) {
    std::uint64_t stops_before = process().stops();
    stack_.reset();
    selected_level_ = 0;
    Movement movement(*this);
    Stop stop = move(movement);
    return finished(std::move(stop), stops_before);
}

Stop Session::finished(Stop stop, std::uint64_t stops_before) {
    stop.target_stops = process_->stops() - stops_before;
    stack_.reset();
    selected_level_ = 0;
    if (stop.is_end()) {
        process_.reset();
        for (Breakpoint& breakpoint : breakpoints_)
            for (Breakpoint::Site& site : breakpoint.sites) site.inserted = false;
    } else if (stop.thread) {
        thread_ = stop.thread;
    }
    last_stop_ = stop;
    ++movements_;
    return stop;
}

void Session::start_process() {
    kill();
    // A rebuilt program is read anew; the old tables stay for the values that point into them.
    if (stamp_of(launch_.program) != symbols_->elf().stamp()) {
        auto fresh = std::make_shared<ModuleSymbols>(launch_.program);
        retired_.push_back(symbols_);
        symbols_ = fresh;
        open_[launch_.program] = fresh;
        file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
        sources_ = SourceFiles(sources_.mappings());
        results_.clear();
    }
    process_ = std::make_unique<LiveProcess>(launch_, events_, [this](const std::string& path) { return open_symbols(path); });
    thread_ = process_->id();
    has_run_ = true;
    last_stop_ = Stop{};
    last_stop_.reason = StopReason::launched;
    resolve_all_for_start();
    bool waiting = std::any_of(breakpoints_.begin(), breakpoints_.end(), [](const Breakpoint& b) { return b.sites.empty(); });
    if (!waiting) return;
    // At the program's own entry the loader has brought in the libraries that the rest may be in.
    const Module& main = process_->main_module();
    Movement(*this).run({main.to_run(main.symbols().elf().entry())}, [](ThreadId) { return true; });
    if (!is_running()) return;
    for (Breakpoint& breakpoint : breakpoints_) {
        if (!breakpoint.sites.empty()) continue;
        try {
            resolve_breakpoint(breakpoint);
            insert_sites(breakpoint);
        } catch (const Error&) {  // it stays without a site, and the list of breakpoints says so
        }
    }
}

Stop Session::launch(std::vector<std::string> arguments) {
    launch_.arguments = std::move(arguments);
    return launch_again();
}

Stop Session::launch_again() {
    start_process();
    return continue_running();
}

Stop Session::continue_running() {
    return moved([](Movement& movement) { return movement.run({}, [](ThreadId) { return false; }); });
}

Stop Session::over_line() {
    return moved([this](Movement& movement) { return LineStep(*this, movement).over(); });
}

Stop Session::into_line() {
    return moved([this](Movement& movement) { return LineStep(*this, movement).into(); });
}

Stop Session::into_instruction() {
    return moved([](Movement& movement) { return movement.step_instruction(); });
}

Stop Session::over_instruction() {
    return moved([this](Movement& movement) {
        RunAddress at = process_->registers(thread_).program_counter();
        std::byte bytes[kLongestInstruction];
        auto instruction = decode_instruction(ByteSpan(bytes, process_->read_available(at, bytes)), at);
        if (!instruction || instruction->kind != Instruction::Kind::call) return movement.step_instruction();
        RunAddress identity = movement.frame_identity(thread_);
        return movement.run({instruction->next()}, [&, identity](ThreadId thread) {
            return thread == thread_ && movement.frame_identity(thread) >= identity;
        });
    });
}

Stop Session::reach(const Place& place) {
    if (!is_running()) start_process();
    Stop stop = moved([&](Movement& movement) {
        std::set<RunAddress> sites;
        for (const PlaceSite& site : resolve_place(place, context())) sites.insert(site.address);
        return movement.run(sites, [](ThreadId) { return true; });
    });
    if (stop.reason == StopReason::stepped) stop.reason = StopReason::reached;
    else stop.unreached = place.text;
    last_stop_ = stop;
    return stop;
}

}  // namespace lantern
