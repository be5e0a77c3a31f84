#include "core/session/session.h"

#include <fmt/format.h>

#include <utility>

#include "core/session/events.h"
#include "core/session/heap_guards.h"
#include "core/session/watching.h"
#include "core/support/error.h"
#include "core/target/core_file.h"
#include "core/target/live_process.h"

namespace lantern {

Session::Session(std::vector<SourceMapping> mappings, SymbolSearch search)
    : shared_(std::move(mappings), std::move(search)) {
    shared_.keep = [this](const SessionParts& parent, ThreadId thread,
                          std::unique_ptr<LiveProcess> child) {
        return processes_->keep(parent, thread, std::move(child));
    };
    shared_.switch_off = [this](unsigned breakpoint) { switch_breakpoint(breakpoint, false); };
}

Session::Session(LaunchOptions launch, std::vector<SourceMapping> mappings, SymbolSearch search)
    : Session(std::move(mappings), std::move(search)) {
    processes_ = std::make_unique<Processes>(shared_, launch);
}

Session::Session(pid_t process, std::vector<SourceMapping> mappings, SymbolSearch search)
    : Session(std::move(mappings), std::move(search)) {
    processes_ = std::make_unique<Processes>(shared_, process);
    LiveProcess& live = here().debuggee.process();
    ThreadId thread = live.thread_number(process) ? process : live.threads().front();
    here().selection.select_thread(thread);
    here().last_stop.reason = StopReason::attached;
    here().last_stop.thread = thread;
    here().selection.select_users_code(shared_.libraries);
}

Session::Session(const CoreRequest& request, std::vector<SourceMapping> mappings,
                 SymbolSearch search)
    : Session(std::move(mappings), std::move(search)) {
    processes_ = std::make_unique<Processes>(shared_, request);
    const CoreImage& image = core()->image();
    ThreadId thread = image.threads.front().id;
    here().selection.select_thread(thread);
    Stop& stop = here().last_stop;
    stop.reason = image.signal ? StopReason::signal : StopReason::kept;
    stop.thread = thread;
    stop.signal = image.signal;
    stop.is_fault = image.fault_address.has_value();
    stop.fault_address = image.fault_address.value_or(RunAddress());
    stop.origin = image.origin;
    stop.knows_origin = image.has_signal_information;
    if (image.signal == SIGABRT) stop.facts = facts_of_giving_up(moment(), thread);
    here().selection.select_users_code(shared_.libraries);
}

Session::~Session() = default;

std::vector<std::string> Session::guard_births_at(std::span<const std::string> places) {
    shared_.guarded_births.clear();
    for (const std::string& text : places) shared_.guarded_births.push_back(place(text));
    return guarded_places_not_met(target(), shared_.guarded_births);
}

pid_t Session::process_id() {
    return process().id();
}

void Session::set_arguments(std::vector<std::string> arguments) {
    here().debuggee.launch_options().arguments = std::move(arguments);
}

void Session::set_redirections(std::string input_file, std::string output_file) {
    here().debuggee.launch_options().input_file = std::move(input_file);
    here().debuggee.launch_options().output_file = std::move(output_file);
}

void Session::kill() {
    here().selection.forget_stack();
    leave_meanwhile();
    processes_->hold_others();
    processes_->end_others();
    here().debuggee.end();
    here().sites.forget();
}

void Session::release() {
    if (is_moving()) pause();
    process();
    processes_->for_each_other([](SessionParts& other) {
        try {
            other.sites.take_out_all();
            other.debuggee.release();
        } catch (const TargetError&) {  // it has come to its end by itself
        } catch (const RequestError&) {
        }
    });
    here().sites.take_out_all();
    here().selection.forget_stack();
    leave_meanwhile();
    here().debuggee.release();
    processes_->end_others();
    here().sites.forget();
    here().last_stop = Stop{};
    here().last_stop.reason = StopReason::released;
}

void Session::let_go(unsigned process) {
    here().debuggee.refuse_while_moving();
    processes_->let_go(process);
}

void Session::follow(Follow whom) {
    shared_.host.follow = whom;
    auto tell = [whom](SessionParts& parts) {
        if (LiveProcess* live = parts.debuggee.process_if_any()) live->follow(whom);
    };
    tell(here());
    processes_->for_each_other(tell);
}

std::shared_ptr<SessionListener> Session::subscribe(SessionListener listener) {
    auto kept = std::make_shared<SessionListener>(std::move(listener));
    shared_.listeners.push_back(kept);
    return kept;
}

void Session::give_own_terminal(int keyboard, OwnTerminal::Output output) {
    shared_.host.keyboard = keyboard;
    shared_.host.terminal_output = std::move(output);
}

void Session::select_thread(unsigned number) {
    if (!core()) process();
    auto id = target().thread_numbered(number);
    here().debuggee.refuse_while_moving();
    if (!id) throw RequestError(fmt::format("there is no thread {}", number), Next::list_threads);
    here().selection.select_thread(*id);
    here().selection.select_users_code(here().libraries);
}

void Session::select_process(unsigned number) {
    here().debuggee.refuse_while_moving();
    if (number == processes_->number() && is_running()) return;
    processes_->look_at(number);
    SessionParts& parts = here();
    if (!parts.debuggee.process().thread_number(parts.selection.thread()))
        parts.selection.select_thread(parts.debuggee.process().threads().front());
    parts.last_stop = Stop{};
    parts.last_stop.reason = StopReason::selected;
    parts.last_stop.thread = parts.selection.thread();
    parts.is_seen = true;
    parts.selection.select_users_code(shared_.libraries);
    ++shared_.movements;
}

// The one that is looked at says whether it can be done; the others do it as far as they can. A
// watchpoint is its process' alone.
const Breakpoint& Session::add_breakpoint(Breakpoint wish, bool may_wait) {
    const Breakpoint& added = here().sites.add(wish, may_wait);
    wish.number = added.number;
    wish.counts = added.counts;
    processes_->for_each_other([&](SessionParts& other) {
        if (wish.is_watch())
            other.breakpoints.pass_over(wish.number);
        else
            other.sites.add(wish, true);
    });
    return added;
}

void Session::for_each_with(unsigned breakpoint, const std::function<void(SessionParts&)>& change) {
    bool is_anywhere = false;
    auto change_there = [&](SessionParts& parts) {
        if (!parts.breakpoints.has(breakpoint)) return;
        is_anywhere = true;
        change(parts);
    };
    change_there(here());
    processes_->for_each_other(change_there);
    if (!is_anywhere) here().breakpoints.numbered(breakpoint);  // refuses
}

void Session::switch_breakpoint(unsigned number, bool on) {
    for_each_with(number, [=](SessionParts& parts) { parts.sites.switch_to(number, on); });
}

void Session::drop_breakpoint(unsigned number) {
    for_each_with(number, [=](SessionParts& parts) { parts.sites.drop(number); });
}

const Breakpoint& Session::add_breakpoint(const Place& place, std::string condition) {
    Breakpoint wish;
    wish.place = place;
    wish.condition = std::move(condition);
    return add_breakpoint(std::move(wish));
}

std::string Session::current_file() {
    if (const Frame* frame = selected_frame(); frame && frame->line) return frame->line->file;
    if (has_threads() && !is_moving())
        for (unsigned level = 0; const Frame* frame = stack().frame(level); ++level) {
            if (frame->line) return frame->line->file;
            if (level > 50) break;
        }
    for (const Function* function : symbols().functions_named("main"))
        if (function->has_code())
            if (auto line = symbols().line_at(function->low())) return line->file;
    return {};
}

Assigned Session::assign(std::string_view left, std::string_view right) {
    process();
    Assigned result =
        Watching(here()).by_us([&] { return lantern::assign(left, right, context()); });
    if (result.place.address) presentation().written_by_hand.push_back(*result.place.address);
    here().selection.forget_stack();
    return result;
}

void Session::write_memory(RunAddress address, ByteSpan bytes) {
    Watching(here()).by_us([&] {
        process().write_memory(address, bytes);
        return true;
    });
    presentation().written_by_hand.push_back(address);
    here().selection.forget_stack();
}

void Session::allow_calls(std::function<bool(const std::string&)> may_call) {
    shared_.may_call = std::move(may_call);
}

void Session::ask_for_doubts(std::function<std::string(const Moment&, const std::string&)> doubts) {
    shared_.doubts = std::move(doubts);
}

}  // namespace lantern
