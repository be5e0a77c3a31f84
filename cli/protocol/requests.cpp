#include <algorithm>

#include "cli/protocol/request.h"

namespace lantern::cli {
namespace {

constexpr Request kRequests[] = {
    {"initialize", answer_initialize},
    {"launch", answer_launch},
    {"attach", answer_attach},
    {"configurationDone", answer_configuration_done},
    {"restart", answer_restart},
    {"terminate", answer_terminate},
    {"disconnect", answer_disconnect},
    {"cancel", answer_cancel},
    {"setBreakpoints", answer_set_breakpoints},
    {"setFunctionBreakpoints", answer_set_function_breakpoints},
    {"setInstructionBreakpoints", answer_set_instruction_breakpoints},
    {"setExceptionBreakpoints", answer_set_exception_breakpoints},
    {"setDataBreakpoints", answer_set_data_breakpoints},
    {"dataBreakpointInfo", answer_data_breakpoint_info},
    {"breakpointLocations", answer_breakpoint_locations},
    {"continue", answer_continue},
    {"next", answer_next},
    {"stepIn", answer_step_in},
    {"stepOut", answer_step_out},
    {"stepInTargets", answer_step_in_targets},
    {"gotoTargets", answer_goto_targets},
    {"goto", answer_goto},
    {"pause", answer_pause},
    {"threads", answer_threads, true},
    {"stackTrace", answer_stack_trace, true},
    {"exceptionInfo", answer_exception_info},
    {"modules", answer_modules, true},
    {"loadedSources", answer_loaded_sources, true},
    {"source", answer_source, true},
    {"locations", answer_locations, true},
    {"scopes", answer_scopes, true},
    {"variables", answer_variables, true},
    {"setVariable", answer_set_variable},
    {"evaluate", answer_evaluate},
    {"setExpression", answer_set_expression},
    {"completions", answer_completions},
    {"readMemory", answer_read_memory, true},
    {"writeMemory", answer_write_memory},
    {"disassemble", answer_disassemble, true},
};

}  // namespace

std::span<const Request> requests() {
    return kRequests;
}

const Request* request_named(std::string_view command) {
    auto found = std::ranges::find(kRequests, command, &Request::command);
    return found == std::end(kRequests) ? nullptr : &*found;
}

}  // namespace lantern::cli
