// threads, stackTrace, exceptionInfo, modules, loadedSources, source, locations
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>

#include "cli/protocol/breakpoint_json.h"
#include "cli/protocol/request.h"
#include "cli/views/text.h"
#include "core/analysis/diagnosis.h"
#include "core/analysis/library_code.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/stop_report.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern::cli {
namespace {

constexpr unsigned kMostFramesTold = 10'000;  // of one answer

// A part of a list: what is asked for of it, within what there is.
struct Page {
    std::size_t first = 0, end = 0;
};
Page page_asked(const Arguments& arguments, const char* start, const char* count,
                std::size_t total) {
    std::int64_t first = arguments.number(start).value_or(0);
    std::int64_t wanted = arguments.number(count).value_or(0);  // 0: all
    if (first < 0 || wanted < 0)
        throw RequestError(fmt::format("{} and {} count from 0 on", start, count));
    std::size_t begin = std::min<std::size_t>(static_cast<std::size_t>(first), total);
    std::size_t length = wanted ? static_cast<std::size_t>(wanted) : total;
    return {begin, begin + std::min(length, total - begin)};
}

std::string how_it_was_found(const Frame& frame) {
    switch (frame.origin) {
        case FrameOrigin::tail_call:
        case FrameOrigin::one_of_tail_calls:
            return " [left nothing on the stack: told by its caller]";
        case FrameOrigin::stack_scan: return " [likely: found by looking through the stack]";
        case FrameOrigin::return_address: return " [likely: by the word on top of the stack]";
        default: return frame.is_inlined() ? " [inlined]" : "";
    }
}

bool is_of_library(Session& session, const Frame& frame) {
    if (!frame.module || !frame.line) return true;
    return session.libraries().is_library(*frame.module) ||
           session.libraries().is_library_source(frame.line->file);
}

std::string parameters_text(Session& session, const Frame& frame, const Arguments& format) {
    if (!format.is_true("parameters")) return {};
    bool names = format.is_true("parameterNames"), types = format.is_true("parameterTypes"),
         values = format.is_true("parameterValues");
    if (!names && !types && !values) names = values = true;
    ViewLimits brief = session.moment().view_limits();
    brief.children = 8;
    brief.depth = 2;
    brief.text = 40;
    std::vector<std::string> all;
    for (const LocalVariable& each : local_variables(session.moment(), frame, brief)) {
        if (!each.view.is_parameter) continue;
        std::string text = types ? each.view.type : "";
        if (names) text += (text.empty() ? "" : " ") + each.view.name;
        bool has_value = each.view.unavailable.empty() && qualification(each.view).empty();
        if (values)
            text += (text.empty() ? "" : " = ") +
                    (has_value ? one_line(each.view, 40) : std::string("?"));
        all.push_back(std::move(text));
    }
    return fmt::format("({})", fmt::join(all, ", "));
}

Json frame_json(Conversation& conversation, const Frame& frame, const Arguments& format) {
    Session& session = conversation.session();
    std::string name = frame_function_name(frame) + parameters_text(session, frame, format);
    if (format.is_true("module") && frame.module)
        name = std::filesystem::path(frame.module->path()).filename().string() + "!" + name;
    if (format.is_true("line") && frame.line) name += fmt::format(" line {}", frame.line->line);
    Json json{{"id", conversation.references.add_frame({session.thread(), frame.level})},
              {"name", name + how_it_was_found(frame)},
              {"line", 0},
              {"column", 0},
              {"instructionPointerReference", reference_to(frame.program_counter)}};
    if (frame.line) {
        json["source"] = source_json(conversation, frame.line->file);
        json["line"] = conversation.client.line_out(frame.line->line);
        json["column"] =
            conversation.client.column_out(std::max<std::uint16_t>(1, frame.line->column));
    }
    if (frame.module) json["moduleId"] = frame.module->path();
    if (is_of_library(session, frame)) json["presentationHint"] = "subtle";
    return json;
}

// What to say first of a failure, and the rest of what is known of it.
Json details_of(const Diagnosis& diagnosis) {
    std::string text = diagnosis.what;
    if (!diagnosis.part.empty()) {
        text += fmt::format("\n{} {}", diagnosis.part, diagnosis.part_is);
        if (diagnosis.part_certainty != Certainty::certain)
            text += fmt::format(" (likely{}{})", diagnosis.part_because.empty() ? "" : ": ",
                                diagnosis.part_because);
    }
    if (!diagnosis.at_address.empty()) text += "\n" + diagnosis.at_address;
    if (!diagnosis.heap.empty()) text += "\n" + diagnosis.heap;
    std::string stack;
    for (const DiagnosisFrame& frame : diagnosis.stack)
        stack += fmt::format("{} {}{}\n", frame.level, frame.function,
                             frame.line ? fmt::format(" ({}:{})", frame.file, frame.line) : "");
    return {{"message", text}, {"stackTrace", stack}};
}

const StopFact* fact_of(const StopReport& report, std::string_view label) {
    auto found = std::ranges::find(report.stop.facts, label, &StopFact::label);
    return found == report.stop.facts.end() ? nullptr : &*found;
}

}  // namespace

Json answer_threads(Conversation& conversation, const Arguments&) {
    Session& session = conversation.session();
    Json all = Json::array();
    Target& target = session.target();
    for (ThreadId id : target.threads()) {
        unsigned number = target.thread_number(id);
        std::string name = target.thread_name(id);
        all.push_back({{"id", number},
                       {"name", name.empty() ? fmt::format("thread {}", number)
                                             : fmt::format("{} {}", number, name)}});
    }
    return {{"threads", std::move(all)}};
}

Json answer_stack_trace(Conversation& conversation, const Arguments& arguments) {
    conversation.look_at_thread(arguments.needed_number("threadId"));
    Unwinder& stack = conversation.session().stack();
    std::int64_t first = arguments.number("startFrame").value_or(0);
    std::int64_t levels = arguments.number("levels").value_or(0);
    if (first < 0 || levels < 0) throw RequestError("startFrame and levels count from 0 on");
    if (first > kMostFramesWalked) throw RequestError("no stack is so deep");
    unsigned begin = static_cast<unsigned>(first);
    unsigned wanted = levels
                          ? static_cast<unsigned>(std::min<std::int64_t>(levels, kMostFramesTold))
                          : kMostFramesTold;
    Arguments format = arguments.object("format");
    Json frames = Json::array();
    unsigned level = begin;
    for (; level < begin + wanted; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        frames.push_back(frame_json(conversation, *frame, format));
    }
    // How many there are is known where the end has been seen; else there is at least one more.
    bool is_end = !stack.frame(level);
    unsigned known = level;
    while (is_end && known > 0 && !stack.frame(known - 1)) --known;
    if (is_end && level > begin && !stack.why_it_ended().empty())
        frames.push_back({{"id", conversation.references.add_frame(
                                     {conversation.session().thread(), level - 1})},
                          {"name", "the stack ends here in disorder: " + stack.why_it_ended()},
                          {"line", 0},
                          {"column", 0},
                          {"presentationHint", "label"}});
    std::size_t total = is_end ? known + (frames.size() > level - begin ? 1 : 0) : level + 1;
    return {{"stackFrames", std::move(frames)}, {"totalFrames", total}};
}

Json answer_exception_info(Conversation& conversation, const Arguments& arguments) {
    conversation.look_at_thread(arguments.needed_number("threadId"));
    Session& session = conversation.session();
    const auto& report = conversation.stop_report();
    if (!report) throw RequestError("the program has not stopped for an exception");
    const StopFacts& stop = report->stop;
    bool is_of_signal = stop.reason == StopReason::signal || stop.reason == StopReason::kept;
    bool is_of_event = stop.reason == StopReason::event &&
                       (stop.cause == Cause::thrown || stop.cause == Cause::caught ||
                        stop.cause == Cause::panic || stop.cause == Cause::signal ||
                        stop.cause == Cause::heap || stop.cause == Cause::sanitizer);
    if ((!is_of_signal && !is_of_event) || stop.thread != session.thread())
        throw RequestError("this thread has not stopped for an exception");
    Json body{{"exceptionId",
               is_of_signal ? signal_name(stop.signal) : std::string(cause_word(stop.cause))},
              {"description", report->why},
              {"breakMode", is_of_signal && !stop.has_handler ? "unhandled" : "always"}};
    if (is_of_signal) {
        Diagnosis diagnosis = diagnose(session.moment());
        body["description"] = diagnosis.what;
        body["details"] = details_of(diagnosis);
        return body;
    }
    std::string text = report->why;
    for (const StopFact& fact : stop.facts) text += "\n" + fact.label + ": " + fact.text;
    body["details"] = {{"message", text}};
    if (const StopFact* thrown = fact_of(*report, "threw")) {
        body["exceptionId"] = thrown->text.substr(0, thrown->text.find(':'));
        body["details"]["fullTypeName"] = body["exceptionId"];
    }
    return body;
}

Json answer_modules(Conversation& conversation, const Arguments& arguments) {
    const auto& modules = conversation.session().target().modules();
    Page page = page_asked(arguments, "startModule", "moduleCount", modules.size());
    Json all = Json::array();
    std::size_t index = 0;
    for (const Module& module : modules) {
        if (index >= page.first && index < page.end)
            all.push_back(module_json(conversation, module));
        ++index;
    }
    return {{"modules", std::move(all)}, {"totalModules", modules.size()}};
}

// Those of the program and of its own libraries.
Json answer_loaded_sources(Conversation& conversation, const Arguments&) {
    Session& session = conversation.session();
    std::set<std::string> files;
    for (const Module& module : session.target().modules()) {
        if (session.libraries().is_library(module)) continue;
        for (const auto& unit : module.symbols().debug_info().units())
            for (const dwarf::LineFile& file : module.symbols().files_of(*unit))
                if (!file.path.empty() && !file.path.starts_with('<')) files.insert(file.path);
    }
    Json all = Json::array();
    for (const std::string& file : files) all.push_back(source_json(conversation, file));
    return {{"sources", std::move(all)}};
}

Json answer_source(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.session();
    std::string path = path_of_source(conversation, arguments.object("source"));
    const SourceText* text = session.sources().find(path);
    if (!text)
        throw FileError(fmt::format("the source file {} is not here", path),
                        "\"sources\" of the launch configuration says where it lies now");
    return {{"content", fmt::format("{}\n", fmt::join(text->lines, "\n"))}};
}

Json answer_locations(Conversation& conversation, const Arguments& arguments) {
    Location location =
        conversation.references.location(arguments.needed_number("locationReference"));
    return {{"source", source_json(conversation, location.file)},
            {"line", conversation.client.line_out(location.line)}};
}

}  // namespace lantern::cli
