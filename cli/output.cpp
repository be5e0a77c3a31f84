#include "cli/output.h"

#include <fmt/format.h>
#include <signal.h>

#include <cerrno>
#include <cstring>

#include "cli/views/fold.h"
#include "cli/views/json.h"
#include "cli/views/text.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/event_loop.h"

namespace lantern::cli {
namespace {

// A new file: whatever a link of that name leads to stays as it is.
std::FILE* open_record(const std::filesystem::path& path) {
    std::error_code ignored;
    std::filesystem::remove(path, ignored);
    std::FILE* file = std::fopen(path.c_str(), "wxe");
    if (!file)
        throw FileError(
            fmt::format("the record {} cannot be written: {}", path.string(), std::strerror(errno)),
            "choose another folder with --out");
    return file;
}

}  // namespace

Output::~Output() {
    if (record_json_) std::fclose(record_json_);
    if (record_text_) std::fclose(record_text_);
    if (record_terminal_) std::fclose(record_terminal_);
}

void Output::keep_record(const std::filesystem::path& folder) {
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    if (error)
        throw FileError(
            fmt::format("the folder {} cannot be made: {}", folder.string(), error.message()),
            "choose another folder with --out");
    record_folder_ = folder;
    record_json_ = open_record(folder / "session.jsonl");
    record_text_ = open_record(folder / "session.txt");
}

void Output::show_terminal(std::string_view bytes) {
    std::FILE* shown = format_ == Format::json ? stderr : stdout;
    std::fwrite(bytes.data(), 1, bytes.size(), shown);
    std::fflush(shown);
    if (!record_terminal_ && !record_folder_.empty())
        record_terminal_ = open_record(record_folder_ / "terminal.txt");
    if (!record_terminal_) return;
    std::fwrite(bytes.data(), 1, bytes.size(), record_terminal_);
    std::fflush(record_terminal_);
}

void Output::write(const std::string& text) {
    std::string shown = ascii_ ? to_ascii(text) : text;
    std::fwrite(shown.data(), 1, shown.size(), stdout);
    if (std::fflush(stdout) != 0 && errno == EPIPE) throw EndRequested{SIGPIPE};
}

void Output::show(const View& view) {
    static const Style plain;
    if (capturing_) {
        captured_.text += text_of(view, plain);
        captured_.json += json_of(view) + "\n";
        return;
    }
    if (format_ == Format::json)
        write(json_of(view) + "\n");
    else
        write(style_.folds ? folded_to(text_of(view, style_), style_.width)
                           : text_of(view, style_));
    // The record is complete up to here even if we are killed next.
    if (record_json_) {
        fmt::print(record_json_, "{}\n", json_of(view));
        std::fflush(record_json_);
    }
    if (record_text_) {
        fmt::print(record_text_, "{}", text_of(view, plain));
        std::fflush(record_text_);
    }
    // The transcript of the program's own terminal says where it was stopped.
    if (const auto* stop = std::get_if<StopReport>(&view); stop && record_terminal_) {
        fmt::print(record_terminal_, "\n[{}{}{}]\n", stop->why,
                   stop->function.empty() ? "" : " in " + stop->function,
                   stop->line ? fmt::format(", line {}", stop->line) : "");
        std::fflush(record_terminal_);
    }
}

void Output::show_command(const std::string& prompt, const std::string& line) {
    if (!capturing_ && format_ == Format::text)
        write(style_.faint(prompt) + style_.strong(escape_for_display(line)) + "\n");
    record_command(prompt, line);
}

void Output::record_command(const std::string& prompt, const std::string& line) {
    if (capturing_) return;
    if (record_json_) fmt::print(record_json_, "{}\n", json_of_command(line));
    if (record_text_) fmt::print(record_text_, "{}{}\n", prompt, escape_for_display(line));
}

void Output::show_answer(unsigned number, const std::string& line, bool worked) {
    if (format_ == Format::json) write(json_of_answer(number, line, worked) + "\n");
}

void Output::start_capture() {
    capturing_ = true;
    captured_ = {};
}

Output::Captured Output::end_capture() {
    capturing_ = false;
    return std::move(captured_);
}

}  // namespace lantern::cli
