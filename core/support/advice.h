// What the user can do about an error. Where the front end has a way to do it there is a code,
// which each front end words for itself: a prompt names a command, an editor shows a button. What
// holds everywhere is a sentence.
#pragma once

#include <string>
#include <vector>

namespace lantern {

enum class Next {
    as_said,  // the sentence
    // ---- running
    launch,
    launch_and_stop_in_scope,
    restart,
    restart_by_launch,
    go_meanwhile,
    run_to_the_end,
    pause,
    pause_or_wait,
    pause_by_breakpoint_or_key,
    go_on_first,
    step_out,
    step_over_or_out,
    step_out_further_in,
    divert,
    go_on_in_process /* its number */,
    go_on_to_handler,
    go_on_to_the_end_by_signal,
    without_meanwhile,
    leave_without_value,
    leave_and_set_result_register,
    leave_and_set_memory,
    // ---- lists
    list_breakpoints,
    list_threads,
    list_processes,
    list_processes_left,
    list_frames,
    list_frames_and_threads,
    list_locals,
    list_regions,
    list_heap_blocks,
    list_keys,
    list_elements_from,
    list_lines_with_code,
    find_files,
    find_files_of_module,
    find_functions /* a pattern */,
    find_functions_by_pattern,
    find_types,
    find_types_by_pattern,
    // ---- words
    name_region,
    name_registers,
    name_place,
    name_pattern_to_find,
    name_in_file /* a place */,
    select_innermost_frame,
    select_innermost_frame_or_memory,
    show_value,
    show_whole_value,
    make_result,
    save_memory,
    set_breakpoint,
    set_place_later,
    wait_for_library,
    watch_part_or_by_steps,
    allow_calls,
    // ---- how it is started
    check_folder,
    check_input,
    check_output,
    without_own_terminal,
    run_live /* the program */,
    run_with_heap,
    attach_to /* a process */,
    open_core,
    open_core_with_program,
    open_core_with_copy /* the core */,
    name_symbol_folder,
    reach_address /* in hexadecimal */,
    map_sources,
    map_sources_from /* a folder */,
};

struct Hint {
    Next next = Next::as_said;
    std::string text;  // the sentence, or what the code is about; may be empty
};

// One thing to do, or several.
class Advice {
  public:
    Advice() = default;
    Advice(const char* sentence) : Advice(std::string(sentence)) {}
    Advice(std::string sentence) {
        if (!sentence.empty()) hints_.push_back({Next::as_said, std::move(sentence)});
    }
    Advice(Next next, std::string about = {}) : hints_{{next, std::move(about)}} {}

    const std::vector<Hint>& hints() const { return hints_; }
    bool empty() const { return hints_.empty(); }
    Advice and_also(Next next, std::string about = {}) const {
        Advice more = *this;
        more.hints_.push_back({next, std::move(about)});
        return more;
    }

  private:
    std::vector<Hint> hints_;
};

// What was found in a file that is not as it should be, though nothing failed; and what to do.
struct Finding {
    std::string what;
    Advice next = {};
};

// The names that resemble what was asked for; where there are none, the other thing to do.
Advice did_you_mean(const std::vector<std::string>& names, Next otherwise);

}  // namespace lantern
