// Runs the commands of a session, wherever they come from: the prompt, a script, --do.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "cli/commands/short_words.h"
#include "cli/output.h"
#include "core/analysis/change_tracker.h"
#include "core/analysis/compiler_records.h"
#include "core/analysis/heap_report.h"
#include "core/analysis/memory_report.h"
#include "core/analysis/structure_report.h"
#include "core/machine/disassembler.h"
#include "core/session/session.h"

namespace lantern::cli {

class Shell {
  public:
    // Both are borrowed.
    Shell(Session& session, Output& output) : session_(session), output_(output) {}

    Session& session() { return session_; }
    Output& output() { return output_; }
    void show(const View& view) { output_.show(view); }
    void show_stop(const Stop& stop);
    // What happened besides the stops. While a line is typed it is held back, for whoever may write
    // over that line.
    void tell(const SessionEvent& event);
    void hold_news() { holds_news_ = true; }
    std::vector<Notice> take_news();  // from here on they are shown at once
    // A stop on the way, in one line.
    void show_step(const Stop& stop);

    // Runs one command. False if it failed; the failure has been shown. Never throws for what a
    // user can cause.
    bool execute(std::string_view line);
    // The same, for a command at a line of a script: a failure names it.
    bool execute_from(std::string_view line, const std::string& script, unsigned number);
    // Says how many commands of `where` are not played because of one that failed; nothing if none
    // are left.
    void tell_unplayed(std::size_t commands, const std::string& where);
    // Plays a script; stops at the first command that fails, unless its line starts with '-'.
    // Throws FileError when the script cannot be read.
    bool play(const std::string& path);

    bool wants_to_quit() const { return quits_; }
    void quit() { quits_ = true; }
    std::string prompt();
    // The last movement typed ("over", "into insn" …): what an empty line repeats. Empty when there
    // is none.
    const std::string& last_movement() const { return last_movement_; }
    // Where `source` goes on when it is asked again without a place.
    std::string listed_file;
    std::uint32_t listed_to = 0;
    // Whoever runs the commands cannot wait for a movement: each is set going, and its stop is
    // told by whoever looks after the session.
    bool moves_meanwhile = false;
    // The user's own short words, from the settings.
    OwnWords own_words;
    // How instructions are written.
    Syntax syntax = Syntax::intel;
    // What the compiler wrote about its work: of the file or folder of that name, read when it is
    // first asked for. Throws FileError, FormatError.
    std::string records_path;
    const std::vector<CompilerRecord>& records();
    // Memory as it was, by the names the user gave it.
    std::map<std::string, KeptMemory> kept_memory;
    // Structures as they were drawn, by the names the user gave them.
    std::map<std::string, StructureReport> kept_drawings;
    // The heap as it was, in the order in which it was kept.
    std::vector<KeptHeap> kept_heaps;

  private:
    void add_stack();
    Failure failure_of(const std::exception& error, std::string_view line) const;

    Session& session_;
    Output& output_;
    ChangeTracker tracker_;
    bool quits_ = false, holds_news_ = false;
    std::vector<Notice> news_;
    std::string last_movement_;
    std::optional<std::vector<CompilerRecord>> records_;
    unsigned depth_ = 0;  // scripts that play scripts
};

// What is known before anything has been typed and should be said: no symbols, damaged ones, stale
// source.
void show_first_notices(Shell& shell);
// Of a core file: what does not match, what is missing, what was read from elsewhere.
void show_what_a_core_lacks(Shell& shell);

}  // namespace lantern::cli
