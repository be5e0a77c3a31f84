// setBreakpoints and its kin, breakpointLocations, dataBreakpointInfo
#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "cli/protocol/breakpoint_json.h"
#include "cli/protocol/request.h"
#include "cli/protocol/sources.h"
#include "core/code/sites.h"
#include "core/session/signal_rules.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::uint32_t kMostLines = 50'000'000;

std::uint32_t line_of(Conversation& conversation, std::int64_t asked) {
    std::int64_t line = conversation.client.line_in(asked);
    return line > 0 && line < kMostLines ? static_cast<std::uint32_t>(line) : 0;
}

// The next line that has code, where this one has none.
std::uint32_t line_with_code(Session& session, const std::string& file, std::uint32_t line) {
    constexpr std::uint32_t kFarthest = 25;
    for (const Module& module : session.target().modules()) {
        if (module.is_system_library()) continue;
        LineSites found = find_line(module.symbols(), file, line);
        if (found.files.empty()) continue;
        if (!found.sites.empty()) return line;
        for (std::uint32_t near : found.lines_with_code)
            if (near > line && near - line <= kFarthest) return near;
    }
    return line;
}

// What is wrong with one is its own matter: it is kept, and told.
template <class Take>
void take_or_tell(KeptBreakpoint& kept, Take take) {
    try {
        take();
    } catch (const Error& error) {
        kept.problem = error.what();
        kept.is_place_known = false;
    }
}

void take_limits(const Arguments& asked, KeptBreakpoint& kept) {
    kept.asked = asked.json().dump();
    take_or_tell(kept, [&] {
        kept.wish.condition = std::string(trimmed(asked.text_or("condition", "")));
        take_hit_condition(asked.text_or("hitCondition", ""), kept.wish);
    });
}

Place place_on_line(const std::string& file, std::uint32_t line) {
    Place place;
    place.kind = Place::Kind::line;
    place.file = file;
    place.line = line;
    place.text = fmt::format("{}:{}", file, line);
    return place;
}

// All of a group, as they stand now.
Json set_group(Conversation& conversation, const std::string& group,
               std::vector<KeptBreakpoint> wanted) {
    bool sets = conversation.has_session() && !conversation.only_runs;
    Session* session = sets ? &conversation.session() : nullptr;
    Json all = Json::array();
    for (const KeptBreakpoint& kept :
         conversation.breakpoints.replace(group, std::move(wanted), session)) {
        all.push_back(breakpoint_json(conversation, kept));
        conversation.remember_told(kept);
    }
    return {{"breakpoints", std::move(all)}};
}

KeptBreakpoint on_line(Conversation& conversation, const RecordedSource& source,
                       const Arguments& asked) {
    KeptBreakpoint kept;
    take_limits(asked, kept);
    take_or_tell(kept, [&] {
        kept.asked_line = line_of(conversation, asked.needed_number("line"));
        if (!kept.asked_line) throw RequestError("that is no line");
        std::string message = asked.text_or("logMessage", "");
        if (!message.empty()) kept.message = take_message(message, kept.wish);
        std::uint32_t line = kept.asked_line;
        if (conversation.has_session())
            line = line_with_code(conversation.session(), source.file, line);
        kept.wish.place = place_on_line(source.file, line);
    });
    return kept;
}

struct DataPlace {
    FrameMeant frame;
    std::string expression;
};

// "2/7ffe0010/0/121c/level_cm": in the frame of that address of that function and thread;
// "0/0/0/0/turns": anywhere.
std::string data_id(const DataPlace& place) {
    return fmt::format("{}/{:x}/{:x}/{:x}/{}", place.frame.thread, place.frame.address,
                       place.frame.inside, place.frame.function, place.expression);
}

DataPlace data_place(const std::string& id) {
    DataPlace place;
    std::istringstream in(id);
    char slashes[4] = {};
    in >> place.frame.thread >> slashes[0] >> std::hex >> place.frame.address >> slashes[1] >>
        place.frame.inside >> slashes[2] >> place.frame.function >> slashes[3];
    if (!in || std::string_view(slashes, 4) != "////")
        throw RequestError("the data id is none that was given out here");
    std::getline(in, place.expression, '\0');
    return place;
}

Breakpoint watch_wish(const Arguments& asked, const std::string& expression) {
    Breakpoint wish;
    std::string access = asked.text_or("accessType", "write");
    if (access != "write" && access != "read" && access != "readWrite")
        throw RequestError(fmt::format("there is no access {}", quote(access)));
    wish.cause = access == "write" ? Cause::write : access == "read" ? Cause::read : Cause::access;
    wish.subject = expression;
    return wish;
}

bool lies_in_program(Session& session, RunAddress address) {
    return session.target().module_at(address) != nullptr;
}

struct ExceptionWish {
    std::string filter, condition;
};

void add_exception_wishes(const ExceptionWish& asked, std::vector<KeptBreakpoint>& wanted) {
    auto add = [&](Cause cause, const std::string& subject) {
        KeptBreakpoint kept;
        kept.wish.cause = cause;
        kept.wish.subject = subject;
        kept.asked = fmt::format("{} {}", asked.filter, subject);
        if (cause == Cause::signal && !signal_numbered(subject)) {
            kept.problem = subject.empty() ? "the condition names the signals, such as SIGUSR1"
                                           : fmt::format("{} is no signal", quote(subject));
            kept.is_place_known = false;
        }
        wanted.push_back(std::move(kept));
    };
    if (asked.filter == "throw") return add(Cause::thrown, asked.condition);
    if (asked.filter == "catch") return add(Cause::caught, asked.condition);
    if (asked.filter == "panic") return add(Cause::panic, "");
    if (asked.filter == "signal") return add(Cause::signal, asked.condition);
    KeptBreakpoint unknown;
    unknown.asked = asked.filter;
    unknown.problem = fmt::format("there is no filter {}", quote(asked.filter));
    unknown.is_place_known = false;
    wanted.push_back(std::move(unknown));
}

// Each signal of "SIGUSR1 SIGALRM" is a breakpoint of its own; the protocol has one for the filter.
std::vector<ExceptionWish> one_by_one(const ExceptionWish& asked) {
    std::vector<ExceptionWish> all;
    std::istringstream words(asked.filter == "signal" ? asked.condition : "");
    for (std::string word; words >> word;) {
        while (!word.empty() && word.back() == ',') word.pop_back();
        all.push_back({asked.filter, word});
    }
    if (all.empty()) all.push_back(asked);
    return all;
}

}  // namespace

void find_lines(Conversation& conversation) {
    constexpr std::string_view kGroup = "source:";
    for (auto& [group, all] : conversation.breakpoints.groups()) {
        if (!group.starts_with(kGroup)) continue;
        RecordedSource source = recorded_source(conversation, group.substr(kGroup.size()));
        for (KeptBreakpoint& kept : all) {
            if (kept.number || !kept.is_place_known) continue;
            kept.wish.place = place_on_line(
                source.file, line_with_code(conversation.session(), source.file, kept.asked_line));
        }
    }
}

Json answer_set_breakpoints(Conversation& conversation, const Arguments& arguments) {
    std::string path = path_of_source(conversation, arguments.object("source"));
    RecordedSource source{path, {}};
    if (conversation.has_session()) source = recorded_source(conversation, path);
    std::vector<KeptBreakpoint> wanted;
    for (const Arguments& asked : arguments.objects("breakpoints"))
        wanted.push_back(on_line(conversation, source, asked));
    Json lines = arguments.json().value("lines", Json::array());
    if (!arguments.has("breakpoints") && lines.is_array())
        for (const Json& line : lines) {
            Json as_object{{"line", line}};
            wanted.push_back(on_line(conversation, source, Arguments(as_object)));
        }
    Json body = set_group(conversation, "source:" + path, std::move(wanted));
    if (!source.remark.empty())
        for (Json& each : body["breakpoints"])
            if (!each.contains("message")) each["message"] = source.remark;
    return body;
}

Json answer_set_function_breakpoints(Conversation& conversation, const Arguments& arguments) {
    std::vector<KeptBreakpoint> wanted;
    for (const Arguments& asked : arguments.objects("breakpoints")) {
        KeptBreakpoint kept;
        take_limits(asked, kept);
        take_or_tell(kept, [&] { kept.wish.place = parse_place(trimmed(asked.text("name")), ""); });
        wanted.push_back(std::move(kept));
    }
    return set_group(conversation, "function", std::move(wanted));
}

Json answer_set_instruction_breakpoints(Conversation& conversation, const Arguments& arguments) {
    std::vector<KeptBreakpoint> wanted;
    for (const Arguments& asked : arguments.objects("breakpoints")) {
        KeptBreakpoint kept;
        take_limits(asked, kept);
        take_or_tell(kept, [&] {
            RunAddress address = address_of_reference(asked, "instructionReference");
            kept.wish.place = parse_place(fmt::format("address {:#x}", address.value), "");
        });
        wanted.push_back(std::move(kept));
    }
    return set_group(conversation, "instruction", std::move(wanted));
}

Json answer_set_exception_breakpoints(Conversation& conversation, const Arguments& arguments) {
    std::vector<ExceptionWish> asked;
    for (const std::string& filter : arguments.texts("filters")) asked.push_back({filter, ""});
    for (const Arguments& option : arguments.objects("filterOptions"))
        asked.push_back(
            {option.text("filterId"), std::string(trimmed(option.text_or("condition", "")))});
    std::vector<KeptBreakpoint> wanted;
    std::vector<std::size_t> firsts;
    for (const ExceptionWish& each : asked) {
        firsts.push_back(wanted.size());
        for (const ExceptionWish& one : one_by_one(each)) add_exception_wishes(one, wanted);
    }
    Json all = set_group(conversation, "exception", std::move(wanted));
    Json answered = Json::array();
    for (std::size_t first : firsts) answered.push_back(all["breakpoints"][first]);
    return {{"breakpoints", std::move(answered)}};
}

Json answer_data_breakpoint_info(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.standing();
    DataPlace place;
    std::string name = arguments.text("name");
    std::int64_t bytes = arguments.number("bytes").value_or(0);
    if (bytes < 0 || bytes > 1 << 20) throw RequestError("so many bytes cannot be watched");
    if (arguments.is_true("asAddress")) {
        RunAddress address = address_of_reference(arguments, "name");
        place.expression =
            fmt::format("((char*){:#x})[0..{}]", address.value, std::max<std::int64_t>(1, bytes));
    } else if (auto reference = arguments.number("variablesReference"); reference && *reference) {
        conversation.look_at(conversation.references.holder(*reference).frame);
        place.expression = expression_of_variable(conversation, *reference, name);
    } else {
        if (auto frame = arguments.number("frameId")) conversation.look_at_frame(*frame);
        place.expression = name;
    }
    auto refused = [](const std::string& why) {
        return Json{{"dataId", nullptr}, {"description", why}};
    };
    if (place.expression.empty()) return refused(name + " has no place that can be watched");
    Value value;
    try {
        value = evaluate(place.expression, session.context());
    } catch (const Error& error) {
        return refused(error.what());
    }
    if (!value.address) return refused(name + " does not lie in memory here");
    bool is_static = lies_in_program(session, *value.address);
    const Frame* frame = session.selected_frame();
    if (!is_static && frame && !arguments.is_true("asAddress"))
        place.frame = frame_meant(session, *frame);
    return {{"dataId", data_id(place)},
            {"description",
             fmt::format("{}, {} at {:#x}", place.expression,
                         counted(plain(*value.type).size, "byte"), value.address->value)},
            {"accessTypes", Json::array({"write", "read", "readWrite"})},
            {"canPersist", is_static}};
}

Json answer_set_data_breakpoints(Conversation& conversation, const Arguments& arguments) {
    std::vector<KeptBreakpoint> wanted;
    for (const Arguments& asked : arguments.objects("breakpoints")) {
        KeptBreakpoint kept;
        take_or_tell(kept, [&] {
            DataPlace place = data_place(asked.text("dataId"));
            kept.frame = place.frame;
            kept.wish = watch_wish(asked, place.expression);
        });
        take_limits(asked, kept);
        wanted.push_back(std::move(kept));
    }
    return set_group(conversation, "data", std::move(wanted));
}

Json answer_breakpoint_locations(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.session();
    RecordedSource source =
        recorded_source(conversation, path_of_source(conversation, arguments.object("source")));
    std::uint32_t first = line_of(conversation, arguments.needed_number("line"));
    std::uint32_t last = line_of(
        conversation, arguments.number("endLine").value_or(arguments.needed_number("line")));
    std::set<std::uint32_t> lines;
    for (const Module& module : session.target().modules()) {
        if (module.is_system_library()) continue;
        for (const dwarf::Unit* unit : units_mentioning(module.symbols(), source.file))
            lines.merge(lines_with_code_in(module.symbols(), *unit, source.file, first, last));
    }
    Json all = Json::array();
    for (std::uint32_t line : lines) all.push_back({{"line", conversation.client.line_out(line)}});
    return {{"breakpoints", std::move(all)}};
}

}  // namespace lantern::cli
