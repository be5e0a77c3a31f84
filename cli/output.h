// Where views go: to standard output as text or JSON, and, when the session keeps a record, to its
// two files as well.
#pragma once

#include <cstdio>
#include <deque>
#include <filesystem>
#include <string>

#include "cli/format.h"
#include "cli/views/session_page.h"
#include "cli/views/style.h"
#include "cli/views/view.h"
#include "core/analysis/stack_report.h"

namespace lantern::cli {

class Output {
  public:
    Output(Format format, Style style, bool ascii)
        : format_(format), style_(style), ascii_(ascii) {}
    ~Output();
    Output(const Output&) = delete;
    Output& operator=(const Output&) = delete;

    // From here on session.jsonl, session.txt and session.html in `folder` keep everything. Throws
    // FileError.
    void keep_record(const std::filesystem::path& folder);
    void end_record();  // nothing more comes; the destructor does it too
    // What the program writes to that file belongs to the session's page.
    void follow_program_output(const std::filesystem::path& file) { program_output_ = file; }
    // The same, and with each stop it is passed on to where the program would have written.
    void pass_on_program_output(const std::filesystem::path& file);
    // The program is launched, and writes its file anew.
    void forget_program_output() { program_output_read_ = 0; }
    // Whether each stop's call stack is wanted too.
    bool wants_stacks() const { return wants_stacks_; }
    void want_stacks() { wants_stacks_ = true; }
    void add_stack(StackReport stack);
    // The session so far as a page. Throws FileError.
    void save_page(const std::filesystem::path& file) const;
    void set_title(std::string title) { title_ = std::move(title); }

    void show(const View& view);
    // A command that was typed: everybody has seen it, and the record keeps it.
    void record_command(const std::string& prompt, const std::string& line);
    // A command from a script: shown as if it had been typed, and recorded.
    void show_command(const std::string& prompt, const std::string& line);

    // JSON only: command `number` has been carried out, and everything before this belongs to it.
    void show_answer(unsigned number, const std::string& line, bool worked);

    // What the program wrote to a terminal of its own: shown as it is, and kept apart from the
    // record.
    void show_terminal(std::string_view bytes);

    Format format() const { return format_; }
    const Style& style() const { return style_; }
    bool is_ascii() const { return ascii_; }
    // Collects the text and JSON of what is shown instead of showing it, for `save`.
    struct Captured {
        std::string text, json, styled;
    };
    void start_capture();
    Captured end_capture();

  private:
    // What was shown, for pages: one of these.
    struct Entry {
        std::string prompt, command;
        std::optional<View> view;
        std::optional<StackReport> stack;
        std::string program_output;
    };
    void write(const std::string& text);
    void keep(Entry entry);
    void take_program_output();
    void pass_on(std::istream& in) const;
    static std::string html_of(SessionPage& page, const Entry& entry);

    Format format_;
    Style style_;
    bool ascii_;
    bool capturing_ = false;
    Captured captured_;
    std::FILE* record_json_ = nullptr;
    std::FILE* record_text_ = nullptr;
    std::FILE* record_terminal_ = nullptr;
    std::FILE* record_page_ = nullptr;
    std::string title_ = "A session";
    std::optional<SessionPage> page_;  // of the record
    std::deque<Entry> entries_;        // the last ones
    std::size_t dropped_ = 0;          // entries before them
    std::filesystem::path program_output_;
    std::uintmax_t program_output_read_ = 0;  // bytes
    bool passes_output_on_ = false;
    bool wants_stacks_ = false;
    std::filesystem::path record_folder_;
};

}  // namespace lantern::cli
