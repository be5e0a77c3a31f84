// The table of requests. A new one is one row in requests.cpp and one function in a file beside it.
#pragma once

#include <span>
#include <string_view>

#include "cli/protocol/conversation.h"

namespace lantern::cli {

struct Request {
    std::string_view command;
    // The body of the response; null for one without. Throws Error for what cannot be done.
    Json (*answer)(Conversation&, const Arguments&);
    // It changes nothing but what is looked at: it is answered while another one takes long.
    bool only_looks = false;
};

std::span<const Request> requests();
const Request* request_named(std::string_view command);  // null: there is none

// opening.cpp
Json answer_initialize(Conversation&, const Arguments&);
Json answer_launch(Conversation&, const Arguments&);
Json answer_attach(Conversation&, const Arguments&);
Json answer_configuration_done(Conversation&, const Arguments&);
Json answer_restart(Conversation&, const Arguments&);
Json answer_terminate(Conversation&, const Arguments&);
Json answer_disconnect(Conversation&, const Arguments&);
Json answer_cancel(Conversation&, const Arguments&);
// breakpoints.cpp
Json answer_set_breakpoints(Conversation&, const Arguments&);
Json answer_set_function_breakpoints(Conversation&, const Arguments&);
Json answer_set_instruction_breakpoints(Conversation&, const Arguments&);
Json answer_set_exception_breakpoints(Conversation&, const Arguments&);
Json answer_set_data_breakpoints(Conversation&, const Arguments&);
Json answer_data_breakpoint_info(Conversation&, const Arguments&);
Json answer_breakpoint_locations(Conversation&, const Arguments&);
// moving.cpp
Json answer_continue(Conversation&, const Arguments&);
Json answer_next(Conversation&, const Arguments&);
Json answer_step_in(Conversation&, const Arguments&);
Json answer_step_out(Conversation&, const Arguments&);
Json answer_step_in_targets(Conversation&, const Arguments&);
Json answer_goto_targets(Conversation&, const Arguments&);
Json answer_goto(Conversation&, const Arguments&);
Json answer_pause(Conversation&, const Arguments&);
// looking.cpp
Json answer_threads(Conversation&, const Arguments&);
Json answer_stack_trace(Conversation&, const Arguments&);
Json answer_exception_info(Conversation&, const Arguments&);
Json answer_modules(Conversation&, const Arguments&);
Json answer_loaded_sources(Conversation&, const Arguments&);
Json answer_source(Conversation&, const Arguments&);
Json answer_locations(Conversation&, const Arguments&);
// variables.cpp
Json answer_scopes(Conversation&, const Arguments&);
Json answer_variables(Conversation&, const Arguments&);
Json answer_set_variable(Conversation&, const Arguments&);
// evaluating.cpp
Json answer_evaluate(Conversation&, const Arguments&);
Json answer_set_expression(Conversation&, const Arguments&);
Json answer_completions(Conversation&, const Arguments&);
// machine.cpp
Json answer_read_memory(Conversation&, const Arguments&);
Json answer_write_memory(Conversation&, const Arguments&);
Json answer_disassemble(Conversation&, const Arguments&);

// ---- for the functions that answer
// The expression that stands for a variable of what has that reference, which is looked at; empty
// where it is no place. Throws RequestError where there is no such variable.
std::string expression_of_variable(Conversation&, std::int64_t reference, const std::string& name);
// What a place holds after it has been changed; the client is told.
Json changed_json(Conversation&, FrameAt frame, const std::string& expression, Form form,
                  const char* name);
// A source as the client can open it: where it is found, else as the compiler recorded it.
Json source_json(Conversation&, const std::string& recorded_file);
// The path that a client has given for one.
std::string path_of_source(Conversation&, const Arguments& source);
// "0x…" with an offset, as the client sends it back. Throws RequestError.
RunAddress address_of_reference(const Arguments&, const char* name);
std::string reference_to(RunAddress address);

}  // namespace lantern::cli
