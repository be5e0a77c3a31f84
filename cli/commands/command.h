// The table of commands. A new command is one row here and one function in a file beside it.
#pragma once

#include <filesystem>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "cli/shell.h"

namespace lantern::cli {

// What Tab offers after the command's word.
enum class Completes {
    nothing,
    place,
    expression,
    command,
    number,
    find,
    save,
    file,
    pause,
    note,
    signal
};

struct Command {
    std::string_view word;
    std::string_view usage;    // "over [N]"
    std::string_view summary;  // one line
    std::string_view group;
    std::string_view details;  // for `help WORD`
    void (*run)(Shell& shell, std::string_view arguments);
    Completes completes = Completes::nothing;
    bool is_movement = false;  // an empty line repeats it
};

std::span<const Command> commands();
// By its word or an unambiguous part from the start. Throws RequestError with near words.
const Command& find_command(std::string_view word);

// ---- for the functions that run commands
// Takes the first word off `text`.
std::string_view take_word(std::string_view& text);
std::optional<std::uint64_t> whole_number(std::string_view text);
void refuse_arguments(std::string_view arguments, std::string_view usage);
// "a b 'c d'" as a shell would cut it. Throws RequestError for an open quote.
std::vector<std::string> shell_words(std::string_view text);
// "EXPR as hex", "EXPR raw", "EXPR from 100", "EXPR all": the expression and what stands behind it.
// In Rust a type behind "as" is a cast, and stays. Throws RequestError for an unknown form.
struct Formed {
    std::string expression;
    std::optional<Form> form;
    bool raw = false, all = false;
    std::uint64_t from = 0;
};
Formed split_form(std::string_view text, Language language = Language::c);
// A number or a pointer is the address; anything else that lies in memory, a function too, stands
// for where it lies. Throws RequestError, and what evaluating throws.
RunAddress address_meant(Session& session, std::string_view text);

void run_launch(Shell&, std::string_view);
void run_restart(Shell&, std::string_view);
void run_continue(Shell&, std::string_view);
void run_wait(Shell&, std::string_view);
void run_divert(Shell&, std::string_view);
void run_leave(Shell&, std::string_view);
void run_release(Shell&, std::string_view);
void run_reload(Shell&, std::string_view);
void run_follow(Shell&, std::string_view);
void run_processes(Shell&, std::string_view);
void run_process(Shell&, std::string_view);
void run_registers(Shell&, std::string_view);
void run_disassembly(Shell&, std::string_view);
void run_memory(Shell&, std::string_view);
void run_heap(Shell&, std::string_view);
void run_diagnose(Shell&, std::string_view);
void run_regions(Shell&, std::string_view);
void run_words(Shell&, std::string_view);
void run_find_memory(Shell&, std::string_view what, std::string_view arguments);
void save_core(Shell&, const std::string& path);
void save_words_figure(Shell&, std::string_view arguments, const std::filesystem::path& path);
void save_life_figure(Shell&, std::string_view arguments, const std::filesystem::path& path);
void save_heap_figure(Shell&, std::string_view arguments, const std::filesystem::path& path);
void run_note(Shell&, std::string_view);
void run_notes(Shell&, std::string_view);
void run_plot(Shell&, std::string_view);
void run_draw(Shell&, std::string_view);
void run_signals(Shell&, std::string_view);
void run_threads(Shell&, std::string_view);
void run_thread(Shell&, std::string_view);
void run_over(Shell&, std::string_view);
void run_into(Shell&, std::string_view);
void run_out(Shell&, std::string_view);
void run_reach(Shell&, std::string_view);
void run_pause(Shell&, std::string_view);
void run_breakpoints(Shell&, std::string_view);
void run_off(Shell&, std::string_view);
void run_on(Shell&, std::string_view);
void run_drop(Shell&, std::string_view);
void run_source(Shell&, std::string_view);
void run_stack(Shell&, std::string_view);
void run_caller(Shell&, std::string_view);
void run_callee(Shell&, std::string_view);
void run_frame(Shell&, std::string_view);
void run_locals(Shell&, std::string_view);
void run_globals(Shell&, std::string_view);
void run_value(Shell&, std::string_view);
void run_became(Shell&, std::string_view);
void run_explain(Shell&, std::string_view);
void run_form(Shell&, std::string_view);
void run_change(Shell&, std::string_view);
void run_keep(Shell&, std::string_view);
void run_pin(Shell&, std::string_view);
void run_unpin(Shell&, std::string_view);
void run_find(Shell&, std::string_view);
void run_type(Shell&, std::string_view);
void run_save(Shell&, std::string_view);
void run_play(Shell&, std::string_view);
void run_help(Shell&, std::string_view);
void run_quit(Shell&, std::string_view);

}  // namespace lantern::cli
