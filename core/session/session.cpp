#include "core/session/session.h"

#include <fmt/format.h>

#include <utility>

#include "core/session/events.h"
#include "core/session/meanwhile.h"
#include "core/session/watching.h"
#include "core/support/error.h"
#include "core/target/core_file.h"
#include "core/target/live_process.h"

namespace lantern {

Session::Session(LaunchOptions launch, std::vector<SourceMapping> mappings, SymbolSearch search) : parts_(std::move(launch), std::move(mappings), std::move(search)) {}

Session::Session(pid_t process, std::vector<SourceMapping> mappings, SymbolSearch search) : parts_(process, std::move(mappings), std::move(search)) {
    LiveProcess& live = parts_.debuggee.process();
    ThreadId thread = live.thread_number(process) ? process : live.threads().front();
    parts_.selection.select_thread(thread);
    parts_.last_stop.reason = StopReason::attached;
    parts_.last_stop.thread = thread;
    parts_.selection.select_users_code(parts_.libraries);
}

Session::Session(const CoreRequest& request, std::vector<SourceMapping> mappings, SymbolSearch search) : parts_(request, std::move(mappings), std::move(search)) {
    const CoreImage& image = core()->image();
    ThreadId thread = image.threads.front().id;
    parts_.selection.select_thread(thread);
    Stop& stop = parts_.last_stop;
    stop.reason = image.signal ? StopReason::signal : StopReason::kept;
    stop.thread = thread;
    stop.signal = image.signal;
    stop.is_fault = image.fault_address.has_value();
    stop.fault_address = image.fault_address.value_or(RunAddress());
    stop.origin = image.origin;
    stop.knows_origin = image.has_signal_information;
    if (image.signal == SIGABRT) stop.facts = facts_of_giving_up(moment(), thread);
    parts_.selection.select_users_code(parts_.libraries);
}

Session::~Session() = default;

pid_t Session::process_id() {
    return process().id();
}

void Session::set_arguments(std::vector<std::string> arguments) {
    parts_.debuggee.launch_options().arguments = std::move(arguments);
}

void Session::set_redirections(std::string input_file, std::string output_file) {
    parts_.debuggee.launch_options().input_file = std::move(input_file);
    parts_.debuggee.launch_options().output_file = std::move(output_file);
}

void Session::kill() {
    parts_.selection.forget_stack();
    going_.reset();
    parts_.debuggee.end();
    parts_.sites.forget();
}

void Session::release() {
    if (is_moving()) pause();
    process();
    parts_.sites.take_out_all();
    parts_.selection.forget_stack();
    going_.reset();
    parts_.debuggee.release();
    parts_.sites.forget();
    parts_.last_stop = Stop{};
    parts_.last_stop.reason = StopReason::released;
}

void Session::select_thread(unsigned number) {
    if (!core()) process();
    auto id = target().thread_numbered(number);
    parts_.debuggee.refuse_while_moving();
    if (!id) throw RequestError(fmt::format("there is no thread {}", number), "threads lists them");
    parts_.selection.select_thread(*id);
    parts_.selection.select_users_code(parts_.libraries);
}

void Session::select_process(unsigned number) {
    Debuggee& debuggee = parts_.debuggee;
    debuggee.refuse_while_moving();
    if (debuggee.is_selected(number)) return;
    debuggee.require_held(number);
    if (debuggee.is_running()) parts_.sites.take_out_all_and_watches();  // what stays behind may be released or end at any time
    debuggee.change_to(number);
    ++parts_.life;
    LiveProcess& process = debuggee.process();
    parts_.selection.select_thread(process.threads().empty() ? process.id() : process.threads().front());
    parts_.look_at_program_anew();
    parts_.last_stop = Stop{};
    parts_.last_stop.reason = StopReason::selected;
    parts_.last_stop.thread = parts_.selection.thread();
    parts_.selection.select_users_code(parts_.libraries);
    ++parts_.movements;
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
    Assigned result = Watching(parts_).by_us([&] { return lantern::assign(left, right, context()); });
    parts_.selection.forget_stack();
    return result;
}

void Session::write_memory(RunAddress address, ByteSpan bytes) {
    Watching(parts_).by_us([&] {
        process().write_memory(address, bytes);
        return true;
    });
    parts_.selection.forget_stack();
}

void Session::allow_calls(std::function<bool(const std::string&)> may_call) {
    may_call_ = std::move(may_call);
    parts_.call = nullptr;
    if (may_call_) parts_.call = [this](const FunctionCall& call) { return call_function(call); };
}

}  // namespace lantern
