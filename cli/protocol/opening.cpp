// initialize, launch, attach, configurationDone, restart, terminate, disconnect, cancel
#include <fmt/format.h>
#include <signal.h>

#include <filesystem>

#include "cli/heap_options.h"
#include "cli/launching.h"
#include "cli/protocol/capabilities.h"
#include "cli/protocol/long_work.h"
#include "cli/protocol/request.h"
#include "core/analysis/doubtful_names.h"
#include "core/session/heap_launch.h"
#include "core/session/sanitizer_reports.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

std::vector<std::string> environment_asked(const Arguments& arguments) {
    std::vector<std::string> settings;
    Arguments asked = arguments.object("env");
    for (const auto& [name, value] : asked.json().items()) {
        if (name.empty() || name.find('=') != std::string::npos)
            throw RequestError(fmt::format("env: {} is no name of a variable", quote(name)));
        if (value.is_string())
            settings.push_back(name + "=" + value.get<std::string>());
        else if (value.is_null())
            settings.push_back(name);  // it is taken out
        else
            throw RequestError(fmt::format("env: the value of {} is no text", name),
                               "\"env\": {\"LEVEL\": \"3\"}");
    }
    return environment_with(settings);
}

std::vector<SourceMapping> sources_asked(const Arguments& arguments) {
    std::vector<SourceMapping> mappings;
    for (const auto& [from, to] : arguments.object("sources").json().items()) {
        if (!to.is_string())
            throw RequestError(
                fmt::format("sources: where {} is to be looked for is no text", from),
                "\"sources\": {\"/build/canal\": \"/home/me/canal\"}");
        mappings.push_back({from, to.get<std::string>()});
    }
    return mappings;
}

SymbolSearch search_asked(Conversation& conversation, const Arguments& arguments) {
    const Settings& settings = conversation.settings();
    SymbolSearch search;
    for (const std::string& folder : arguments.texts("symbols")) {
        if (!std::filesystem::is_directory(folder))
            throw FileError(fmt::format("symbols: there is no folder {}", folder),
                            "name the folder that holds debug files");
        search.folders.push_back(std::filesystem::absolute(folder));
    }
    search.folders.insert(search.folders.end(), settings.symbol_folders.begin(),
                          settings.symbol_folders.end());
    if (settings.keep_indexes) search.index_folder = cache_folder();
    search.index_limit = settings.index_limit;
    search.progress = long_work(conversation, "reading names");
    return search;
}

LaunchOptions launch_asked(const Arguments& arguments) {
    LaunchOptions launch;
    launch.program = arguments.text("program");
    launch.arguments = arguments.texts("args");
    launch.environment = environment_asked(arguments);
    launch.folder = absolute(arguments.text_or("cwd", ""));
    launch.input_file = absolute(arguments.text_or("stdin", ""));
    launch.output_file = absolute(arguments.text_or("stdout", ""));
    // A program that is let run on outlives us, and our terminal with us.
    launch.terminal_controls = false;
    launch.randomise_addresses = arguments.is_true("randomAddresses");
    if (arguments.is_true("heap")) {
        HeapWish wish;
        wish.library = heap_library();
        put_heap_library_in_front(launch, wish);
    }
    return launch;
}

// Where the client has a terminal to give, and it was asked for.
void borrow_terminal(Conversation& conversation, const Arguments& arguments,
                     LaunchOptions& launch) {
    std::string console = arguments.text_or("console", "internalConsole");
    if (console == "internalConsole") return;
    if (console != "integratedTerminal" && console != "externalTerminal")
        throw RequestError(fmt::format("there is no console {}", quote(console)),
                           "internalConsole, integratedTerminal or externalTerminal");
    if (!conversation.client.runs_in_terminal) {
        conversation.say("this client has no terminal to give: what the program writes is told\n");
        return;
    }
    conversation.terminal = std::make_unique<BorrowedTerminal>(
        conversation, console == "integratedTerminal" ? "integrated" : "external", launch.folder);
    for (std::string* file : {&launch.input_file, &launch.output_file, &launch.error_file})
        if (file->empty()) *file = conversation.terminal->path();
}

void refuse_second(const Conversation& conversation) {
    if (conversation.has_session())
        throw RequestError("something is debugged already", "disconnect, and connect again");
}

void take_and_tell(Conversation& conversation, std::unique_ptr<Session> session, bool is_ours) {
    session->ask_for_doubts(doubt_of_what_is_read);
    conversation.take(std::move(session), is_ours);
    conversation.set_up_breakpoints();
    conversation.then([&conversation, is_ours] {
        Session& taken = conversation.session();
        Json body{{"name", taken.program()},
                  {"isLocalProcess", true},
                  {"startMethod", is_ours ? "launch" : "attach"},
                  {"pointerSize", 64}};
        if (taken.is_running()) body["systemProcessId"] = taken.process_id();
        conversation.wire().tell("process", std::move(body));
        conversation.tell_breakpoints();
        conversation.begin_if_ready();
    });
}

void open_core(Conversation& conversation, const Arguments& arguments) {
    CoreRequest request{arguments.text("core"), arguments.text_or("program", "")};
    take_and_tell(conversation,
                  std::make_unique<Session>(request, sources_asked(arguments),
                                            search_asked(conversation, arguments)),
                  false);
}

// An editor asks nobody before a function of the program is called: it is said beforehand.
void allow_calls_asked(Session& session, const Arguments& arguments) {
    if (arguments.is_true("allowCalls"))
        session.allow_calls([](const std::string&) { return true; });
}

// What a child's session is to know of the parent's.
Json configuration_of_children(const Arguments& arguments) {
    Json configuration{{"type", arguments.text_or("type", "elm-lantern")},
                       {"request", "attach"},
                       {"standing", true}};
    for (const char* name : {"sources", "symbols", "allowCalls", "children", "stopOnEntry"})
        if (arguments.has(name)) configuration[name] = arguments.json()[name];
    return configuration;
}

void take_children_asked(Conversation& conversation, const Arguments& arguments) {
    std::string what = arguments.text_or("children", "leave");
    if (what == "leave") return;
    if (what != "debug")
        throw RequestError(fmt::format("children cannot be {}", quote(what)), "leave, or debug");
    if (conversation.client.starts_debugging)
        return conversation.debug_children(configuration_of_children(arguments));
    conversation.say("this client begins no sessions of their own for children: they run on\n");
}

void watch_heap_of(Session& session) {
    Breakpoint faults;
    faults.cause = Cause::heap;
    session.add_breakpoint(faults, true);
}

void say_what_is_built_in(Conversation& conversation, Session& session) {
    if (std::string news = heed_sanitizer(session); !news.empty()) conversation.say(news + "\n");
}

}  // namespace

Json answer_initialize(Conversation& conversation, const Arguments& arguments) {
    Client& client = conversation.client;
    if (client.has_initialized) throw RequestError("initialize is sent once");
    client.has_initialized = true;
    auto is_not_false = [&](const char* name) {
        return !arguments.has(name) || arguments.is_true(name);
    };
    client.lines_start_at_1 = is_not_false("linesStartAt1");
    client.columns_start_at_1 = is_not_false("columnsStartAt1");
    client.paths_are_uris = arguments.text_or("pathFormat", "path") == "uri";
    client.runs_in_terminal = arguments.is_true("supportsRunInTerminalRequest");
    client.reports_progress = arguments.is_true("supportsProgressReporting");
    client.takes_invalidated = arguments.is_true("supportsInvalidatedEvent");
    client.takes_memory_events = arguments.is_true("supportsMemoryEvent");
    client.starts_debugging = arguments.is_true("supportsStartDebuggingRequest");
    conversation.then([&conversation] { conversation.wire().tell("initialized", Json(nullptr)); });
    return capabilities();
}

Json answer_launch(Conversation& conversation, const Arguments& arguments) {
    refuse_second(conversation);
    conversation.stops_at_entry = arguments.is_true("stopOnEntry");
    conversation.only_runs = arguments.is_true("noDebug");
    if (arguments.has("core")) {
        open_core(conversation, arguments);
        return nullptr;
    }
    LaunchOptions launch = launch_asked(arguments);
    borrow_terminal(conversation, arguments, launch);
    auto session = std::make_unique<Session>(std::move(launch), sources_asked(arguments),
                                             search_asked(conversation, arguments));
    Session& opened = *session;
    take_and_tell(conversation, std::move(session), true);
    allow_calls_asked(opened, arguments);
    take_children_asked(conversation, arguments);
    if (arguments.is_true("heap")) watch_heap_of(opened);
    say_what_is_built_in(conversation, opened);
    try {
        opened.start();
    } catch (...) {  // it cannot be started: the client may try another
        conversation.leave_program(true);
        throw;
    }
    return nullptr;
}

Json answer_attach(Conversation& conversation, const Arguments& arguments) {
    refuse_second(conversation);
    conversation.stops_at_entry = arguments.is_true("stopOnEntry");
    if (arguments.has("core")) {
        open_core(conversation, arguments);
        return nullptr;
    }
    std::int64_t process = arguments.needed_number("pid");
    if (process <= 0 || process > INT32_MAX)
        throw RequestError(fmt::format("{} is no number of a process", process));
    take_and_tell(conversation,
                  std::make_unique<Session>(static_cast<pid_t>(process), sources_asked(arguments),
                                            search_asked(conversation, arguments)),
                  false);
    say_what_is_built_in(conversation, conversation.session());
    allow_calls_asked(conversation.session(), arguments);
    take_children_asked(conversation, arguments);
    // It was let go standing still: with this it runs, once we let it.
    if (arguments.is_true("standing")) kill(static_cast<pid_t>(process), SIGCONT);
    return nullptr;
}

Json answer_configuration_done(Conversation& conversation, const Arguments&) {
    if (conversation.is_configured) throw RequestError("configurationDone is sent once");
    conversation.is_configured = true;
    conversation.then([&conversation] { conversation.begin_if_ready(); });
    return nullptr;
}

Json answer_restart(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.session();
    if (!conversation.is_ours())
        throw RequestError("only a program that was launched here can be started again");
    Arguments anew = arguments.object("arguments");
    if (anew.has("args")) session.set_arguments(anew.texts("args"));
    if (anew.has("stopOnEntry")) conversation.stops_at_entry = anew.is_true("stopOnEntry");
    conversation.forget_run();
    for (const std::string& news : session.reload()) conversation.say(news + "\n");
    session.start();
    conversation.then([&conversation] { conversation.begin_if_ready(); });
    return nullptr;
}

Json answer_terminate(Conversation& conversation, const Arguments&) {
    Session& session = conversation.session();
    if (!session.is_running()) throw RequestError("nothing runs");
    // The program may want to end in order; where it does not, disconnect ends it.
    if (kill(session.process_id(), SIGTERM) != 0)
        throw TargetError("the program cannot be asked to end", "disconnect ends it");
    session.signals().set(SIGTERM, SignalRule::pass);
    if (!session.is_moving())
        conversation.move([&session] { return session.continue_running(); }, "");
    return nullptr;
}

Json answer_disconnect(Conversation& conversation, const Arguments& arguments) {
    bool ends_it = arguments.has("terminateDebuggee") ? arguments.is_true("terminateDebuggee")
                                                      : conversation.is_ours();
    conversation.then([&conversation, ends_it] {
        conversation.leave_program(ends_it);
        conversation.end();
    });
    return nullptr;
}

// One that still waits has been marked when this came in, one that is under way has been
// interrupted (conversation.cpp); what has been answered before is not cancelled any more.
Json answer_cancel(Conversation& conversation, const Arguments& arguments) {
    if (auto request = arguments.number("requestId")) conversation.forget_cancel(*request);
    if (arguments.has("progressId")) arguments.text("progressId");
    return nullptr;
}

}  // namespace lantern::cli
