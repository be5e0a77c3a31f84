#include "cli/advice_text.h"

#include <fmt/format.h>

namespace lantern::cli {
namespace {

std::string hint_text(const Hint& hint) {
    const std::string& about = hint.text;
    switch (hint.next) {
        case Next::as_said: return hint.text;
        case Next::launch: return "launch starts it";
        case Next::launch_and_stop_in_scope: return "launch first, and stop where it is in scope";
        case Next::restart: return "restart runs it again";
        case Next::restart_by_launch: return "launch starts it again";
        case Next::go_meanwhile: return "continue meanwhile sets it going";
        case Next::run_to_the_end: return "continue runs on to the end";
        case Next::pause: return "pause stops it";
        case Next::pause_or_wait: return "pause stops it; wait waits until something else does";
        case Next::pause_by_breakpoint_or_key:
            return "pause at PLACE sets a breakpoint; Ctrl-C pauses a running program";
        case Next::go_on_first: return "go on first, by an instruction or a line";
        case Next::step_out: return "out runs to the caller";
        case Next::step_over_or_out: return "over runs this line; out runs to the caller";
        case Next::step_out_further_in: return "out in the frame further in comes back to it first";
        case Next::divert: return "divert PLACE goes on elsewhere";
        case Next::go_on_in_process:
            return fmt::format("process {} is looked at now, and continue lets it go on", about);
        case Next::go_on_to_handler: return "continue runs the program's own handler for it";
        case Next::go_on_to_the_end_by_signal: return "continue lets it end the program";
        case Next::without_meanwhile: return "the same without meanwhile needs none";
        case Next::leave_without_value: return "leave without a value";
        case Next::leave_and_set_result_register: return "leave without a value, and change %rax";
        case Next::leave_and_set_memory: return "change it there, and leave without a value";
        case Next::list_breakpoints: return "breakpoints lists them";
        case Next::list_threads: return "threads lists them";
        case Next::list_processes: return "processes lists them";
        case Next::list_processes_left: return "processes lists those that are left";
        case Next::list_frames: return "stack lists them";
        case Next::list_heap_blocks: return "heap blocks lists them";
        case Next::run_with_heap:
            return "elm-lantern debug PROGRAM --heap puts a library in front that does";
        case Next::list_frames_and_threads:
            return "stack shows how it came here, threads the others";
        case Next::list_locals: return "locals lists what this frame has";
        case Next::list_regions:
            return "regions lists what there is; memory that a library maps by itself is anonymous";
        case Next::list_keys: return "value of it alone lists the keys";
        case Next::list_elements_from: return "value EXPR from N lists it from there on";
        case Next::list_lines_with_code: return "source shows the lines that have some";
        case Next::find_files: return "find files lists the source files";
        case Next::find_files_of_module: return "find files lists its source files";
        case Next::find_functions:
            return fmt::format("find functions {} lists them; make it narrower", about);
        case Next::find_functions_by_pattern: return "find functions PATTERN lists what there is";
        case Next::find_types: return "find types PATTERN lists them";
        case Next::find_types_by_pattern: return "find types PATTERN lists what there is";
        case Next::name_region:
            return "heap, stack, all, the name of a module, or ADDRESS count N; regions lists them";
        case Next::name_registers:
            return "registers all shows every one; the groups are general, flags, segments, "
                   "vectors, floating, masks and debug";
        case Next::name_place: return "FILE:LINE, LINE, a function's name, or address EXPR";
        case Next::name_pattern_to_find:
            return "find bytes de ad in heap, find text \"Wren\" in all, find value 214 in stack";
        case Next::name_in_file: return fmt::format("name it: FILE:{}", about);
        case Next::select_innermost_frame: return "frame 0 has all registers";
        case Next::select_innermost_frame_or_memory:
            return "go to frame 0, or change a value that lives in memory";
        case Next::show_value: return "value EXPR without the call shows it";
        case Next::show_whole_value: return "value EXPR without the call shows all of it";
        case Next::make_result: return "value EXPR makes one";
        case Next::save_memory: return "memory save ADDRESS count N as FILE writes any amount";
        case Next::set_breakpoint: return "pause at PLACE sets one";
        case Next::set_place_later:
            return "with the word later at the end it is looked for when the place is met";
        case Next::wait_for_library:
            return "with the word later it waits for a library that brings it";
        case Next::watch_part_or_by_steps:
            return "watch a part of it of at most 32 bytes; pause on write EXPR by steps "
                   "single-steps the program, some 10 000 times slower";
        case Next::allow_calls:
            return "start with --allow-calls, or look at the values the function would use";
        case Next::check_folder: return "check --cwd";
        case Next::check_input: return "check --stdin";
        case Next::check_output: return "check --stdout";
        case Next::without_own_terminal: return "leave --terminal out";
        case Next::run_live: return fmt::format("elm-lantern debug {} runs the program", about);
        case Next::attach_to: return fmt::format("elm-lantern attach {}", about);
        case Next::open_core: return "elm-lantern postmortem CORE [PROGRAM]";
        case Next::open_core_with_program: return "name it: elm-lantern postmortem CORE PROGRAM";
        case Next::open_core_with_copy:
            return fmt::format("name a copy of it: elm-lantern postmortem {} PROGRAM", about);
        case Next::name_symbol_folder: return "--symbols DIR names the folder that has it";
        case Next::reach_address: return fmt::format("reach address {} goes there", about);
        case Next::map_sources: return "--source-map FROM=TO says where they are";
        case Next::map_sources_from:
            return fmt::format("--source-map {}=FOLDER, where FOLDER has them now", about);
    }
    return {};
}

}  // namespace

std::string advice_text(const Advice& advice) {
    std::string text;
    for (const Hint& hint : advice.hints()) text += (text.empty() ? "" : "; ") + hint_text(hint);
    return text;
}

std::string finding_text(const Finding& finding) {
    return finding.next.empty() ? finding.what
                                : fmt::format("{}; {}", finding.what, advice_text(finding.next));
}

}  // namespace lantern::cli
