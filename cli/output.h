// Where views go: to standard output as text or JSON, and, when the session keeps a record, to its
// two files as well.
#pragma once

#include <cstdio>
#include <filesystem>
#include <string>

#include "cli/views/style.h"
#include "cli/views/view.h"

namespace lantern::cli {

enum class Format { text, json };

class Output {
  public:
    Output(Format format, Style style, bool ascii)
        : format_(format), style_(style), ascii_(ascii) {}
    ~Output();
    Output(const Output&) = delete;
    Output& operator=(const Output&) = delete;

    // From here on session.jsonl and session.txt in `folder` keep everything. Throws FileError.
    void keep_record(const std::filesystem::path& folder);

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
        std::string text, json;
    };
    void start_capture();
    Captured end_capture();

  private:
    void write(const std::string& text);

    Format format_;
    Style style_;
    bool ascii_;
    bool capturing_ = false;
    Captured captured_;
    std::FILE* record_json_ = nullptr;
    std::FILE* record_text_ = nullptr;
    std::FILE* record_terminal_ = nullptr;
    std::filesystem::path record_folder_;
};

}  // namespace lantern::cli
