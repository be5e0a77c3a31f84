// continue, next, stepIn, stepOut, goto, pause, and what a step or a jump can aim at
#include <fmt/format.h>

#include <algorithm>

#include "cli/protocol/request.h"
#include "cli/protocol/sources.h"
#include "core/code/kept_code.h"
#include "core/support/error.h"
#include "core/target/linkage.h"
#include "core/target/live_process.h"

namespace lantern::cli {
namespace {

// A step is one of the thread's innermost code, whichever frame has been looked at.
Session& on_thread(Conversation& conversation, const Arguments& arguments) {
    std::int64_t number = arguments.needed_number("threadId");
    Session& session = conversation.standing();
    conversation.look_at_thread(number);
    session.select_thread(static_cast<unsigned>(number));
    return session;
}

StepOptions wish_of(const Arguments& arguments) {
    StepOptions wish;
    wish.alone = arguments.is_true("singleThread");
    return wish;
}

bool is_by_instruction(const Arguments& arguments) {
    std::string granularity = arguments.text_or("granularity", "statement");
    if (granularity != "statement" && granularity != "line" && granularity != "instruction")
        throw RequestError(fmt::format("there are no steps by {}", granularity));
    return granularity == "instruction";
}

// The function that a call leads to, where it has lines to stop at; through the table of a library.
const Function* function_called(Session& session, const Module& from, FileAddress target) {
    RunAddress callee = behind_linkage_table(session.process(), from.to_run(target));
    const Module* module = session.target().module_at(callee);
    if (!module || module->is_system_library()) return nullptr;
    const Function* function = module->symbols().function_at(module->to_file(callee));
    return function && module->symbols().line_at(function->low()) ? function : nullptr;
}

struct CallAhead {
    FileAddress at;
    std::string name;
};

void add_calls(Session& session, const Frame& frame, std::vector<CallAhead>& calls) {
    const ModuleSymbols& symbols = frame.module->symbols();
    for (const FlowGraph::Node& node : kept_code(symbols, *frame.function).flow().nodes()) {
        bool is_call = node.kind == Instruction::Kind::call || node.leaves();
        if (!is_call || !node.target) continue;
        auto line = symbols.line_at(node.address);
        if (!line || line->line != frame.line->line || line->file != frame.line->file) continue;
        if (const Function* called = function_called(session, *frame.module, *node.target))
            calls.push_back({node.address, called->name});
    }
}

// Those whose code was put in the place of the call, of the frame's own line; not what they call in
// turn.
void add_inlined_calls(Session& session, const Frame& frame, const Scope& scope,
                       std::vector<CallAhead>& calls) {
    for (const auto& inner : scope.inner) {
        if (!inner->inlined) {
            add_inlined_calls(session, frame, *inner, calls);
            continue;
        }
        const InlinedCall& call = *inner->inlined;
        bool is_here = call.call_line == frame.line->line && call.call_file == frame.line->file &&
                       !inner->ranges.empty();
        if (!is_here) continue;
        FileAddress entry =
            call.entry.value_or(std::ranges::min(inner->ranges, {}, &FileRange::low).low);
        auto own = frame.module->symbols().line_at(entry);
        if (own && session.libraries().is_library_source(own->file)) continue;
        calls.push_back({entry, call.name});
    }
}

// The functions that are called in the rest of the frame's line, in the order of the code.
std::vector<std::string> calls_ahead(Session& session, const Frame& frame) {
    std::vector<std::string> names;
    if (!frame.function || !frame.line || !frame.module) return names;
    std::vector<CallAhead> calls;
    add_calls(session, frame, calls);
    if (!frame.scopes.empty()) add_inlined_calls(session, frame, *frame.scopes.back(), calls);
    FileAddress here = frame.module->to_file(frame.program_counter);
    std::erase_if(calls, [here](const CallAhead& call) { return call.at < here; });
    std::ranges::stable_sort(calls, {}, &CallAhead::at);
    for (const CallAhead& call : calls)
        if (std::ranges::find(names, call.name) == names.end()) names.push_back(call.name);
    return names;
}

template <class Known>
const auto& target_of(const Known& known, std::int64_t id) {
    if (id <= 0 || id > static_cast<std::int64_t>(known.size()))
        throw RequestError(fmt::format("the target {} is of an earlier stop, or never was", id));
    return known[static_cast<std::size_t>(id - 1)];
}

}  // namespace

Json answer_continue(Conversation& conversation, const Arguments& arguments) {
    StepOptions wish = wish_of(arguments);
    Session& session = on_thread(conversation, arguments);
    conversation.move([&session, wish] { return session.continue_running(wish); }, "breakpoint");
    return {{"allThreadsContinued", !wish.alone}};
}

Json answer_next(Conversation& conversation, const Arguments& arguments) {
    StepOptions wish = wish_of(arguments);
    bool by_instruction = is_by_instruction(arguments);
    Session& session = on_thread(conversation, arguments);
    if (by_instruction)
        conversation.move([&session, wish] { return session.over_instruction(wish); }, "step");
    else
        conversation.move([&session, wish] { return session.over_line(wish); }, "step");
    return nullptr;
}

Json answer_step_in(Conversation& conversation, const Arguments& arguments) {
    StepOptions wish = wish_of(arguments);
    bool by_instruction = is_by_instruction(arguments);
    Session& session = on_thread(conversation, arguments);
    if (auto target = arguments.number("targetId"))
        wish.into = target_of(conversation.calls_offered, *target);
    if (by_instruction)
        conversation.move([&session] { return session.into_instruction(); }, "step");
    else
        conversation.move([&session, wish] { return session.into_line(wish); }, "step");
    return nullptr;
}

Json answer_step_out(Conversation& conversation, const Arguments& arguments) {
    is_by_instruction(arguments);
    Session& session = on_thread(conversation, arguments);
    conversation.move([&session] { return session.out(); }, "step");
    return nullptr;
}

Json answer_step_in_targets(Conversation& conversation, const Arguments& arguments) {
    const Frame& frame = conversation.look_at_frame(arguments.needed_number("frameId"));
    Json targets = Json::array();
    Session& session = conversation.session();
    if (!session.core() && frame.level == session.selected_level())
        for (std::string& name : calls_ahead(session, frame)) {
            conversation.calls_offered.push_back(std::move(name));
            targets.push_back({{"id", conversation.calls_offered.size()},
                               {"label", conversation.calls_offered.back()}});
        }
    return {{"targets", std::move(targets)}};
}

Json answer_goto_targets(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.standing();
    RecordedSource source =
        recorded_source(conversation, path_of_source(conversation, arguments.object("source")));
    std::int64_t line = conversation.client.line_in(arguments.needed_number("line"));
    Place place = parse_place(fmt::format("{}:{}", source.file, line), "");
    Json targets = Json::array();
    const Frame* frame = session.selected_frame();
    for (const PlaceSite& site : resolve_place(place, session.context())) {
        // Only in the function that runs is it known what is left out.
        bool is_here = frame && frame->function && frame->module == site.module &&
                       site.module->symbols().function_at(site.code.address) == frame->function;
        if (!is_here) continue;
        conversation.places_offered.push_back(
            parse_place(fmt::format("address {:#x}", site.address.value), ""));
        targets.push_back({{"id", conversation.places_offered.size()},
                           {"label", fmt::format("line {}", site.code.line)},
                           {"line", conversation.client.line_out(site.code.line)},
                           {"instructionPointerReference", reference_to(site.address)}});
    }
    return {{"targets", std::move(targets)}};
}

Json answer_goto(Conversation& conversation, const Arguments& arguments) {
    Place place = target_of(conversation.places_offered, arguments.needed_number("targetId"));
    Session& session = on_thread(conversation, arguments);
    std::string warning = session.divert(place);
    conversation.then([&conversation, warning] {
        if (!warning.empty()) conversation.say("take care: " + warning + "\n", "important");
        conversation.tell_stop(conversation.session().last_stop());
    });
    return nullptr;
}

Json answer_pause(Conversation& conversation, const Arguments&) {
    Session& session = conversation.session();
    bool is_paused = session.has_threads() && session.last_stop().reason == StopReason::paused;
    if (!session.is_moving() && is_paused) return nullptr;  // it has been, and that was told
    if (!session.is_moving()) throw RequestError("the program does not run now");
    // All threads stop: which one was asked for makes no difference.
    Stop stop = session.pause();
    conversation.then([&conversation, stop = std::move(stop)] { conversation.tell_stop(stop); });
    return nullptr;
}

}  // namespace lantern::cli
