#include "cli/output.h"

#include <fmt/format.h>
#include <signal.h>

#include <cerrno>
#include <cstring>
#include <fstream>
#include <utility>

#include "cli/saved_file.h"
#include "cli/views/fold.h"
#include "cli/views/json.h"
#include "cli/views/text.h"
#include "core/analysis/stack_report.h"
#include "core/analysis/stop_report.h"
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

constexpr std::size_t kMostEntries = 5000;        // kept for a page that is asked for later
constexpr std::size_t kMostOutputRead = 1 << 20;  // bytes of the program's, between two stops

}  // namespace

Output::~Output() {
    end_record();
}

void Output::end_record() {
    if (record_page_) take_program_output();
    if (record_page_) fmt::print(record_page_, "{}", page_->end());
    for (std::FILE** each : {&record_json_, &record_text_, &record_terminal_, &record_page_})
        if (*each) std::fclose(std::exchange(*each, nullptr));
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
    record_page_ = open_record(folder / "session.html");
    page_.emplace(title_);
    fmt::print(record_page_, "{}", page_->begin());
    wants_stacks_ = true;
}

// ---- the page

std::string Output::html_of(SessionPage& page, const Entry& entry) {
    if (entry.view) return page.view(*entry.view);
    if (entry.stack) return page.stack(*entry.stack);
    if (!entry.program_output.empty()) return page.program_output(entry.program_output);
    return page.command(entry.prompt, entry.command);
}

void Output::keep(Entry entry) {
    if (record_page_) {
        fmt::print(record_page_, "{}", html_of(*page_, entry));
        std::fflush(record_page_);
    }
    entries_.push_back(std::move(entry));
    if (entries_.size() <= kMostEntries) return;
    entries_.pop_front();
    ++dropped_;
}

void Output::add_stack(StackReport stack) {
    if (!capturing_) keep({{}, {}, {}, std::move(stack), {}});
}

void Output::pass_on_program_output(const std::filesystem::path& file) {
    follow_program_output(file);
    passes_output_on_ = true;
}

void Output::pass_on(std::istream& in) const {
    std::FILE* to = format_ == Format::json ? stderr : stdout;
    char bytes[1 << 16];
    while (in.read(bytes, sizeof bytes) || in.gcount())
        std::fwrite(bytes, 1, static_cast<std::size_t>(in.gcount()), to);
    std::fflush(to);
}

// What has come to the file since we looked.
void Output::take_program_output() {
    std::error_code error;
    std::uintmax_t size =
        program_output_.empty() ? 0 : std::filesystem::file_size(program_output_, error);
    if (error || program_output_.empty()) return;
    if (size < program_output_read_) program_output_read_ = 0;  // it was started again
    if (size == program_output_read_) return;
    std::ifstream in(program_output_, std::ios::binary);
    if (passes_output_on_) {
        in.seekg(static_cast<std::streamoff>(program_output_read_));
        pass_on(in);
        in.clear();
    }
    std::uintmax_t from = std::max<std::uintmax_t>(
        program_output_read_, size > kMostOutputRead ? size - kMostOutputRead : 0);
    in.seekg(static_cast<std::streamoff>(from));
    std::string bytes(size - from, 0);
    in.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
    bytes.resize(static_cast<std::size_t>(in.gcount()));
    program_output_read_ = size;
    if (!bytes.empty()) keep({{}, {}, {}, {}, std::move(bytes)});
}

void Output::save_page(const std::filesystem::path& file) const {
    SessionPage page(title_);
    std::string out = page.begin();
    if (dropped_)
        out += fmt::format("<p class=quiet>{} views and commands before these are left out.</p>\n",
                           with_thousands(dropped_));
    for (const Entry& entry : entries_) out += html_of(page, entry);
    write_whole_file(file, out + page.end());
}

void Output::show_terminal(std::string_view bytes) {
    std::FILE* shown = format_ == Format::json ? stderr : stdout;
    std::fwrite(bytes.data(), 1, bytes.size(), shown);
    std::fflush(shown);
    bool goes_on = !entries_.empty() && !entries_.back().program_output.empty() && !record_page_;
    if (goes_on)
        entries_.back().program_output.append(bytes);
    else
        keep({{}, {}, {}, {}, std::string(bytes)});
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
        captured_.styled += text_of(view, {true, 100, false});
        return;
    }
    if (view.as<StopReport>()) take_program_output();
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
    keep({{}, {}, view, {}, {}});
    // The transcript of the program's own terminal says where it was stopped.
    if (const auto* stop = view.as<StopReport>(); stop && record_terminal_) {
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
    keep({prompt, line, {}, {}, {}});
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
