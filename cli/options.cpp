#include "cli/options.h"

#include <fmt/format.h>

#include <algorithm>
#include <cxxopts.hpp>
#include <sstream>

#include "cli/heap_options.h"
#include "cli/views/schema.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr const char* kUsage =
    "elm-lantern debug PROGRAM [options] [-- ARGUMENTS]\n"
    "elm-lantern attach PID [options]\n"
    "elm-lantern postmortem CORE [PROGRAM] [options]\n"
    "elm-lantern diagnose PROGRAM [--confirm N] [--hang-after SECONDS] [--out DIR] [options] [-- "
    "ARGUMENTS]\n"
    "elm-lantern diagnose --core CORE [PROGRAM] [--out DIR]\n"
    "elm-lantern heap PROGRAM [--guard WHICH] [--page WHERE] [--keep-freed BYTES] [--out DIR] "
    "[options] [-- "
    "ARGUMENTS]\n"
    "elm-lantern compare BUILD BUILD [--functions PATTERN] [--out DIR] [options] [-- ARGUMENTS]\n"
    "elm-lantern compare PROGRAM --with A:stdin=FILE --with B:stdin=FILE [options]\n"
    "elm-lantern disassembly PROGRAM [PLACE …]\n"
    "elm-lantern became PROGRAM FUNCTION …\n"
    "elm-lantern survey PROGRAM [PROGRAM] [--out DIR]\n"
    "elm-lantern serve [--listen PORT]\n"
    "elm-lantern settings\n"
    "elm-lantern schema\n"
    "\n"
    "debug starts a session on a program compiled from C, C++ or Rust with -g. Commands come from "
    "--script and --do,\n"
    "else from the terminal. Type help there. attach does the same on a process that runs, "
    "postmortem on what a core file\n"
    "kept of one that died. diagnose runs a program until it fails, reports why, and ends with 1; "
    "with 0 where it ends\n"
    "well. heap puts a library of ours in front of the program's allocator, runs it to its end and "
    "reports blocks that\n"
    "were written past, used after they were freed, freed twice, or lost; debug --heap stops at "
    "each. "
    "\n"
    "compare shows two builds of a program side by side; with --, --run, --stdin or --with it runs "
    "both, up to five\n"
    "times each, and tells the first call, value or line written in which they differ, and ends "
    "with 1 where they do.\n"
    "disassembly shows a program's code without running it, became what the compiler has "
    "made "
    "of a function. survey tells "
    "what a program offers a\n"
    "debugger; --out keeps the report as text, JSON and a page; of two programs it shows what "
    "differs. serve speaks\n"
    "the Debug Adapter Protocol to an editor, on standard input and output or on a port of this "
    "machine. settings lists what\n"
    "can be set, and where. schema writes the JSON Schema of what --format json writes.\n";

cxxopts::Options description() {
    cxxopts::Options options("elm-lantern", "A debugger for compiled programs");
    options.add_options()("script", "play the session commands in FILE (may repeat)",
                          cxxopts::value<std::vector<std::string>>(),
                          "FILE")("do", "run one session command (may repeat; after the scripts)",
                                  cxxopts::value<std::vector<std::string>>(),
                                  "COMMAND")("stay", "go on at the prompt after --script and --do")(
        "confirm", "diagnose: run it again so often, and see who wrote or returned the value",
        cxxopts::value<unsigned>(),
        "N")("hang-after", "diagnose: a program that still runs then has failed",
             cxxopts::value<double>(), "SECONDS")("core", "diagnose what that core file kept",
                                                  cxxopts::value<std::string>(), "FILE")(
        "out", "keep a record of the session, the survey or the diagnosis in DIR",
        cxxopts::value<std::string>(),
        "DIR")("format", "text or json", cxxopts::value<std::string>()->default_value("text"),
               "FORM")("stdin", "the program reads FILE", cxxopts::value<std::string>(), "FILE")(
        "stdout", "the program writes to FILE", cxxopts::value<std::string>(), "FILE")(
        "env", "set a variable for the program (may repeat)",
        cxxopts::value<std::vector<std::string>>(),
        "NAME=VALUE")("cwd", "the program starts in DIR", cxxopts::value<std::string>(), "DIR")(
        "source-map", "look for sources recorded under FROM under TO (may repeat)",
        cxxopts::value<std::vector<std::string>>(),
        "FROM=TO")("symbols", "look for separate debug files in DIR (may repeat)",
                   cxxopts::value<std::vector<std::string>>(), "DIR")(
        "records",
        "became: what the compiler wrote with -fsave-optimization-record, a file or a folder",
        cxxopts::value<std::string>(),
        "PATH")("ask-servers", "fetch missing debug files from the symbol servers of the settings")(
        "heap", "debug: put the library in front of the allocator that knows each block's life")(
        "guard",
        "heap: which blocks get a page behind them that nobody may touch: all, none, first N, "
        "every N, size N..M, at PLACE of birth (may repeat)",
        cxxopts::value<std::vector<std::string>>(), "WHICH")(
        "page",
        "heap: where that page is: behind (up to 15 bytes between), end (none between; then "
        "addresses are no multiples of 16), before",
        cxxopts::value<std::vector<std::string>>(),
        "WHERE")("keep-freed", "heap: give freed memory out again after so many bytes (8M)",
                 cxxopts::value<std::vector<std::string>>(),
                 "BYTES")("run", "compare: run both, without arguments")(
        "with",
        "compare: what one side alone gets: A:NAME=VALUE, A:stdin=FILE or A:arguments=WORDS (may "
        "repeat)",
        cxxopts::value<std::vector<std::string>>(),
        "SIDE:…")("within", "compare: only while this function runs", cxxopts::value<std::string>(),
                  "FUNCTION")("functions", "compare: only these functions",
                              cxxopts::value<std::string>(), "PATTERN")(
        "thread", "compare: only the thread of this number or name", cxxopts::value<std::string>(),
        "N|NAME")("once", "compare: run each build once, and leave open what differs by itself")(
        "allow-calls", "expressions may run functions of the program")(
        "terminal", "own: the program gets a terminal of its own", cxxopts::value<std::string>(),
        "own")("listen", "serve: on this port of the loopback address", cxxopts::value<unsigned>(),
               "PORT")("random-addresses", "leave address randomisation on")(
        "log", "write what Elm Lantern does to FILE", cxxopts::value<std::string>(), "FILE")(
        "help", "this text")("version", "the version");
    return options;
}

Answer wrong(const std::string& what, const std::string& next) {
    return {2, fmt::format("elm-lantern: {}\n    next: {}\n", what, next)};
}

std::optional<std::pair<std::string, std::string>> split_at_equals(const std::string& text) {
    std::size_t at = text.find('=');
    if (at == std::string::npos || at == 0) return std::nullopt;
    return std::pair{text.substr(0, at), text.substr(at + 1)};
}

// cxxopts cuts lists at commas; commands and values may hold them. Repeated options are therefore
// collected here.
std::vector<std::string> all_of(const cxxopts::ParseResult& parsed, const std::string& name) {
    std::vector<std::string> values;
    for (const auto& argument : parsed.arguments())
        if (argument.key() == name) values.push_back(argument.value());
    return values;
}

// The options that only compare knows.
std::optional<Answer> read_compare(const cxxopts::ParseResult& parsed, bool compares,
                                   bool has_arguments, CompareWish& wish) {
    for (const char* name : {"run", "with", "within", "functions", "thread", "once"})
        if (parsed.count(name) && !compares)
            return wrong(fmt::format("--{} goes with compare", name),
                         fmt::format("elm-lantern compare BUILD BUILD --{} …", name));
    for (const std::string& text : all_of(parsed, "with"))
        if (!take_with(text, wish))
            return wrong(fmt::format("--with {} gives nothing to a side", quote(text)),
                         "--with A:NAME=VALUE, --with B:stdin=FILE, --with \"A:arguments=5 day\"");
    auto take = [&](const char* name, std::string& into) {
        if (parsed.count(name)) into = parsed[name].as<std::string>();
    };
    take("within", wish.within);
    take("functions", wish.functions);
    take("thread", wish.thread);
    wish.once = parsed.count("once") != 0;
    bool asks_for_a_run = parsed.count("run") || parsed.count("with") || parsed.count("within") ||
                          parsed.count("stdin") || parsed.count("thread") || wish.once;
    wish.runs = compares && (has_arguments || asks_for_a_run);
    return std::nullopt;
}

}  // namespace

std::optional<Answer> read_options(int count, char** arguments, Options& options) {
    // What stands behind "--" belongs to the program.
    int own = count;
    for (int i = 1; i < count; ++i) {
        if (std::string_view(arguments[i]) != "--") continue;
        own = i;
        break;
    }
    for (int i = own + 1; i < count; ++i) options.arguments.emplace_back(arguments[i]);

    cxxopts::Options rules = description();
    rules.custom_help("").positional_help("");
    rules.add_options()("words", "", cxxopts::value<std::vector<std::string>>());
    rules.add_options()("hold-terminal", "", cxxopts::value<std::string>());  // ours alone
    rules.parse_positional({"words"});
    cxxopts::ParseResult parsed;
    try {
        parsed = rules.parse(own, arguments);
    } catch (const cxxopts::exceptions::exception& error) {
        return wrong(error.what(), "elm-lantern --help lists the options");
    }
    if (parsed.count("help")) {
        cxxopts::Options shown = description();
        std::string text = shown.custom_help("").positional_help("").help();
        return Answer{0, std::string(kUsage) + "\n" + text.substr(text.find("      --"))};
    }
    if (parsed.count("version")) return Answer{0, "elm-lantern " LANTERN_VERSION "\n"};

    std::string format = parsed["format"].as<std::string>();
    if (format != "text" && format != "json")
        return wrong(fmt::format("there is no format {}", quote(format)),
                     "--format text or --format json");
    options.format = format == "json" ? Format::json : Format::text;
    std::vector<std::string> words = all_of(parsed, "words");
    if (words.empty())
        return wrong("what is to be done is missing",
                     "elm-lantern debug PROGRAM starts a session; --help tells more");
    if (parsed.count("log")) options.log_file = parsed["log"].as<std::string>();
    if (parsed.count("listen") && words[0] != "serve")
        return wrong("--listen goes with serve", "elm-lantern serve --listen 4711");
    if (words[0] == "serve") {
        if (words.size() > 1)
            return wrong(fmt::format("{} is one word too many", quote(words[1])),
                         "the editor names the program when it launches it");
        if (parsed.count("listen")) options.port = parsed["listen"].as<unsigned>();
        if (parsed.count("listen") && (options.port == 0 || options.port > 65535))
            return wrong("--listen takes the number of a port", "elm-lantern serve --listen 4711");
        if (parsed.count("hold-terminal"))
            options.hold_terminal = parsed["hold-terminal"].as<std::string>();
        options.work = Options::Work::serve;
        return std::nullopt;
    }
    if (words[0] == "settings") {
        if (words.size() > 1)
            return wrong(fmt::format("{} is one word too many", quote(words[1])),
                         "elm-lantern settings");
        options.work = Options::Work::settings;
        return std::nullopt;
    }
    if (words[0] == "schema") {
        if (words.size() > 1)
            return wrong(fmt::format("{} is one word too many", quote(words[1])),
                         "elm-lantern schema");
        return Answer{0, json_schema()};
    }
    bool surveys = words[0] == "survey", attaches = words[0] == "attach",
         looks_back = words[0] == "postmortem", diagnoses = words[0] == "diagnose",
         runs_for_heap = words[0] == "heap", disassembles = words[0] == "disassembly",
         tells_of_functions = words[0] == "became", compares = words[0] == "compare";
    bool takes_places = disassembles || tells_of_functions;
    if (words[0] != "debug" && !surveys && !attaches && !looks_back && !diagnoses &&
        !runs_for_heap && !takes_places && !compares)
        return wrong(fmt::format("{} is nothing elm-lantern can do", quote(words[0])),
                     fmt::format("did you mean elm-lantern debug {}?", words[0]));
    if (words.size() < 2 && attaches)
        return wrong("the process is missing", "elm-lantern attach PID; ps -e lists the processes");
    if (words.size() < 2 && looks_back)
        return wrong("the core file is missing", "elm-lantern postmortem CORE [PROGRAM]");
    if (parsed.count("hang-after")) {
        options.hang_after = parsed["hang-after"].as<double>();
        if (!diagnoses || !(options.hang_after > 0))
            return wrong("--hang-after goes with diagnose, and takes seconds",
                         "elm-lantern diagnose PROGRAM --hang-after 10");
    }
    if (parsed.count("confirm")) {
        options.confirm = parsed["confirm"].as<unsigned>();
        if (!diagnoses || parsed.count("core"))
            return wrong("--confirm goes with diagnose, on a program that can be run",
                         "elm-lantern diagnose PROGRAM --confirm 2");
    }
    bool is_of_core = diagnoses && parsed.count("core");
    if (parsed.count("core") && !diagnoses)
        return wrong("--core goes with diagnose", "elm-lantern postmortem CORE [PROGRAM]");
    if (is_of_core) words.insert(words.begin() + 1, parsed["core"].as<std::string>());
    if (words.size() < 2)
        return wrong("the program is missing", fmt::format("elm-lantern {} PROGRAM", words[0]));
    if (words.size() == 2 && tells_of_functions)
        return wrong("the function is missing", "elm-lantern became PROGRAM FUNCTION");
    if (words.size() > 2 && !surveys && !compares && !looks_back && !is_of_core && !takes_places)
        return wrong(fmt::format("{} is one word too many", quote(words[2])),
                     "the program's own arguments come after --");
    if (words.size() > 3 && (looks_back || is_of_core))
        return wrong(fmt::format("{} is one word too many", quote(words[3])),
                     "elm-lantern postmortem CORE [PROGRAM]");
    if (words.size() > 3 && (surveys || compares))
        return wrong(fmt::format("{} is one word too many", quote(words[3])),
                     surveys ? "survey takes one program, or two to compare"
                             : "the programs' own arguments come after --");
    if (auto problem = read_compare(parsed, compares, own != count, options.compare))
        return problem;
    if (compares && words.size() == 2 && !options.compare.runs)
        return wrong("the second build is missing",
                     "elm-lantern compare BUILD BUILD; one build is run with two inputs by "
                     "--with A:stdin=FILE --with B:stdin=FILE");
    if (attaches) {
        bool is_number =
            words[1].size() < 10 && words[1].find_first_not_of("0123456789") == std::string::npos;
        if (!is_number)
            return wrong(fmt::format("{} is no number of a process", quote(words[1])),
                         "elm-lantern attach PID; ps -e lists the processes");
        options.work = Options::Work::attach;
        options.process = std::stoi(words[1]);
    }
    options.program = words[1];
    if (diagnoses) options.work = Options::Work::diagnose;
    if (runs_for_heap) options.work = Options::Work::heap;
    if (parsed.count("heap") && words[0] != "debug")
        return wrong("--heap goes with debug", "elm-lantern debug PROGRAM --heap");
    if (runs_for_heap || parsed.count("heap")) options.heap.emplace();
    for (const HeapOption& option : heap_options()) {
        if (!parsed.count(option.name)) continue;
        if (!options.heap)
            return wrong(fmt::format("--{} goes with heap", option.name),
                         fmt::format("elm-lantern heap PROGRAM --{} …", option.name));
        for (const auto& text : parsed[option.name].as<std::vector<std::string>>())
            if (!option.take(text, *options.heap))
                return wrong(fmt::format("--{} does not know {}", option.name, quote(text)),
                             option.example);
    }
    if (looks_back || is_of_core) {
        if (looks_back) options.work = Options::Work::postmortem;
        options.core = words[1];
        options.program = words.size() > 2 ? words[2] : "";
    }
    if (takes_places) {
        options.work = disassembles ? Options::Work::disassembly : Options::Work::became;
        options.places.assign(words.begin() + 2, words.end());
    }
    if (compares) options.work = Options::Work::compare;
    if (surveys || compares) {
        if (surveys) options.work = Options::Work::survey;
        options.surveyed.assign(words.begin() + 1, words.end());
    }
    options.symbol_folders = all_of(parsed, "symbols");
    options.allow_calls = parsed.count("allow-calls") != 0;
    options.ask_servers = parsed.count("ask-servers") != 0;

    options.scripts = all_of(parsed, "script");
    options.commands = all_of(parsed, "do");
    options.stay = parsed.count("stay") != 0;
    if (parsed.count("terminal")) {
        std::string which = parsed["terminal"].as<std::string>();
        if (which != "own")
            return wrong(fmt::format("--terminal takes the word own, not {}", quote(which)),
                         "--terminal own; without it the program shares this terminal");
        options.own_terminal = true;
    }
    options.randomise = parsed.count("random-addresses") != 0;
    auto take = [&](const char* name, std::string& into) {
        if (parsed.count(name)) into = parsed[name].as<std::string>();
    };
    take("out", options.record_folder);
    take("records", options.records);
    take("stdin", options.input_file);
    take("stdout", options.output_file);
    take("cwd", options.folder);
    take("log", options.log_file);
    for (const std::string& setting : all_of(parsed, "env")) {
        if (!split_at_equals(setting))
            return wrong(fmt::format("--env {} sets nothing", quote(setting)), "--env NAME=VALUE");
        options.environment.push_back(setting);
    }
    for (const std::string& mapping : all_of(parsed, "source-map")) {
        auto parts = split_at_equals(mapping);
        if (!parts)
            return wrong(fmt::format("--source-map {} maps nothing", quote(mapping)),
                         "--source-map FROM=TO");
        options.source_map.push_back({parts->first, parts->second});
    }
    return std::nullopt;
}

}  // namespace lantern::cli
