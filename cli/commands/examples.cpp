#include "cli/commands/examples.h"

#include <algorithm>

namespace lantern::cli {
namespace {

struct Example {
    std::string_view command, line;
};

constexpr Example kExamples[] = {
    {"launch", "launch day-sheet.txt"},
    {"restart", "restart"},
    {"continue", "continue"},
    {"wait", "wait 0.5"},
    {"over", "over 2"},
    {"into", "into toll_for"},
    {"out", "out"},
    {"reach", "reach toll_for"},
    {"divert", "divert lockflow.c:52"},
    {"leave", "leave 12.5"},
    {"release", "release"},
    {"reload", "reload"},
    {"follow", "follow child"},
    {"processes", "processes"},
    {"heap", "heap leaks"},
    {"diagnose", "diagnose"},
    {"process", "process 2"},
    {"pause", "pause at pass_chamber when barge->draught_cm > 100"},
    {"note", "note at toll_for barge->name, barge->draught_cm"},
    {"notes", "notes all"},
    {"draw", "draw queue as queue.svg"},
    {"plot", "plot barge->draught_cm as draughts.svg"},
    {"signals", "signals SIGUSR1 pass"},
    {"breakpoints", "breakpoints"},
    {"off", "off 1"},
    {"on", "on 1"},
    {"drop", "drop 1"},
    {"threads", "threads"},
    {"thread", "thread 2"},
    {"source", "source toll_for"},
    {"stack", "stack"},
    {"caller", "caller"},
    {"callee", "callee"},
    {"frame", "frame 1"},
    {"locals", "locals"},
    {"globals", "globals flight"},
    {"find", "find functions *chamber*"},
    {"type", "type struct barge"},
    {"registers", "registers general"},
    {"disassembly", "disassembly toll_for"},
    {"memory", "memory &flight[0] count 3 as i32"},
    {"words", "words"},
    {"regions", "regions"},
    {"value", "value barge->draught_cm * 20.0 / chamber->depth_cm"},
    {"became", "became wait_minutes"},
    {"explain", "explain change_cm"},
    {"form", "form barge->draught_cm as hex"},
    {"change", "change change_cm = 40"},
    {"keep", "keep first = flight[0]"},
    {"pin", "pin chamber->level_cm"},
    {"unpin", "unpin 1"},
    {"save", "save stack as stack.txt"},
    {"play", "play demo/unset-level.lantern"},
    {"help", "help pause"},
    {"quit", "quit"},
};

}  // namespace

std::string_view example_of(std::string_view command) {
    auto found = std::ranges::find(kExamples, command, &Example::command);
    return found == std::end(kExamples) ? std::string_view() : found->line;
}

}  // namespace lantern::cli
