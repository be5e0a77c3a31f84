// draw: pictures of values and of the process.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "cli/commands/command.h"
#include "cli/figures/numbers_figure.h"
#include "cli/figures/process_figures.h"
#include "cli/figures/structure_figure.h"
#include "cli/progress.h"
#include "cli/views/text.h"
#include "core/analysis/figure_caption.h"
#include "core/analysis/numbers_report.h"
#include "core/analysis/process_drawing.h"
#include "core/analysis/structure_report.h"
#include "core/expressions/syntax.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

struct DrawWish {
    std::string what;
    std::filesystem::path file;  // empty: it is told as text
    std::optional<unsigned> depth, limit;
    std::uint64_t every = 1;
    bool raw = false, histogram = false;
    std::string member, keep, since;
};

bool ends_a_figure(const std::filesystem::path& path) {
    return path.extension() == ".svg" || path.extension() == ".png" || path.extension() == ".dot";
}

// "… as FILE.svg": in Rust, "as" without such a file is a cast.
std::string_view take_file(std::string_view text, std::filesystem::path& file) {
    std::size_t at = text.rfind(" as ");
    if (at == std::string_view::npos) return text;
    auto words = shell_words(text.substr(at + 4));
    bool names_a_file = words.size() == 1 && words[0].find('.') != std::string::npos;
    if (!names_a_file) return text;
    if (!ends_a_figure(words[0]))
        throw RequestError(fmt::format("{} has no ending that picks a form", quote(words[0])),
                           "end it in .svg, .png, .dark.png or .dot");
    file = words[0];
    return trimmed(text.substr(0, at));
}

std::string_view last_word(std::string_view text) {
    std::size_t at = text.find_last_of(' ');
    return at == std::string_view::npos ? text : text.substr(at + 1);
}

// Takes one of the words that may stand behind the expression off its end; false: there is none.
bool take_option(std::string_view& text, DrawWish& wish) {
    std::string_view last = last_word(text);
    if (last.size() == text.size()) return false;
    std::string_view before = trimmed(text.substr(0, text.size() - last.size()));
    if (last == "raw" || last == "histogram") {
        (last == "raw" ? wish.raw : wish.histogram) = true;
        text = before;
        return true;
    }
    std::string_view word = last_word(before);
    if (word.size() == before.size()) return false;
    auto number = whole_number(last);
    if (word == "of")
        wish.member = last;
    else if (word == "keep")
        wish.keep = last;
    else if (word == "since")
        wish.since = last;
    else if (word == "depth" && number)
        wish.depth = static_cast<unsigned>(std::min<std::uint64_t>(*number, 100'000));
    else if (word == "limit" && number)
        wish.limit = static_cast<unsigned>(std::clamp<std::uint64_t>(*number, 1, 20'000));
    else if (word == "every" && number && *number)
        wish.every = *number;
    else
        return false;
    text = trimmed(before.substr(0, before.size() - word.size()));
    return true;
}

DrawWish wish_of(std::string_view arguments) {
    DrawWish wish;
    std::string_view rest = take_file(trimmed(arguments), wish.file);
    while (take_option(rest, wish)) continue;
    wish.what = rest;
    if (wish.what.empty())
        throw RequestError(
            "what is to be drawn?",
            "draw queue as queue.svg; draw stack as stack.svg; help draw tells more");
    return wish;
}

void tell_drawn(Shell& shell, const DrawWish& wish, const std::string& more = {}) {
    shell.show(Notice{Notice::Kind::done,
                      fmt::format("{} drawn as {}{}", wish.what, wish.file.string(), more),
                      wish.file.string()});
}

// ---- the process

void require_no_dot(const DrawWish& wish) {
    if (wish.file.extension() == ".dot")
        throw RequestError(fmt::format("{} is no structure: there is no .dot of it", wish.what),
                           "end it in .svg, .png or .dark.png");
}

// True: it was one of these.
bool draw_of_process(Shell& shell, const DrawWish& wish) {
    std::string_view rest = wish.what;
    std::string_view what = take_word(rest);
    Session& session = shell.session();
    bool is_code = what == "code" && !rest.empty();
    bool is_known = is_code || (rest.empty() && (what == "stack" || what == "threads" ||
                                                 what == "regions" || what == "code"));
    if (!is_known) return false;
    if (wish.file.empty()) {
        if (what == "stack") run_stack(shell, "");
        if (what == "threads") run_threads(shell, "");
        if (what == "regions") run_regions(shell, "");
        if (what == "code") run_became(shell, rest);
        return true;
    }
    require_no_dot(wish);
    if (what == "stack") draw_stack(report_stack_drawing(session.moment()), wish.file);
    if (what == "threads") draw_threads(report_threads_drawing(session.moment()), wish.file);
    if (what == "regions") draw_regions(report_regions_drawing(session.moment()), wish.file);
    if (what == "code") {
        std::optional<Place> place;
        if (is_code) place = session.place(rest);
        draw_code(report_code_drawing(session.moment(), place), wish.file);
    }
    tell_drawn(shell, wish);
    return true;
}

// ---- values

void compare_with_kept(Shell& shell, const DrawWish& wish, StructureReport& report) {
    if (!wish.since.empty()) {
        auto kept = shell.kept_drawings.find(wish.since);
        if (kept == shell.kept_drawings.end()) {
            std::vector<std::string> names;
            for (const auto& [name, each] : shell.kept_drawings) names.push_back(name);
            throw RequestError(fmt::format("no drawing is kept as {}", quote(wish.since)),
                               names.empty() ? "draw EXPR keep NAME keeps one"
                                             : "kept: " + join_with(names, "and"));
        }
        StructureReport plain = report;
        mark_changes(kept->second, report);
        report.since = wish.since;
        if (!wish.keep.empty()) shell.kept_drawings[wish.keep] = std::move(plain);
    } else if (!wish.keep.empty()) {
        shell.kept_drawings[wish.keep] = report;
    }
}

std::string what_leads_nowhere(const StructureReport& report) {
    std::size_t bad = 0;
    for (const StructureBox& box : report.boxes) {
        bad += !box.problem.empty() && &box != &report.boxes.front();  // no pointer leads to that
        for (const StructureRow& row : box.rows)
            bad += row.state == PointerState::nowhere || row.state == PointerState::freed ||
                   row.state == PointerState::too_small;
    }
    std::string out = bad ? fmt::format("; {} wrong", counted(bad, "pointer")) : "";
    if (report.cut)
        out += fmt::format("; {}{} more boxes left out: limit N draws more",
                           report.is_counted ? "" : "at least ", with_thousands(report.cut));
    return out;
}

void draw_value(Shell& shell, const DrawWish& wish) {
    Session& session = shell.session();
    Expression expression(wish.what, session.context());
    Value value = expression.value(session.context());
    Moment moment = session.moment();
    bool is_of_numbers =
        wish.histogram || !wish.member.empty() ||
        (!wish.raw && !is_list(*value.type) && holds_numbers(moment, value, wish.member));
    if (is_of_numbers) {
        ValueView marked;
        marked.assignment = assignment_of_name(moment, wish.what);
        if (is_unset(marked.assignment))
            shell.show(Notice{Notice::Kind::warning, wish.what + " is " + qualification(marked)});
        NumbersReport report =
            report_numbers(moment, {wish.what, wish.member, wish.every, wish.histogram}, value);
        if (wish.file.empty()) return shell.show(report);
        require_no_dot(wish);
        draw_numbers(report, wish.file);
        return tell_drawn(shell, wish);
    }
    StructureWish asked;
    asked.expression = wish.what;
    asked.raw = wish.raw;
    asked.depth = wish.depth.value_or(asked.depth);
    asked.limit = wish.limit.value_or(asked.limit);
    asked.progress = work_progress("reading the heap");
    StructureReport report = report_structure(moment, asked, value);
    clear_progress();
    compare_with_kept(shell, wish, report);
    if (wish.file.empty()) return shell.show(report);
    draw_structure(report, wish.file);
    tell_drawn(shell, wish, what_leads_nowhere(report));
}

}  // namespace

void run_draw(Shell& shell, std::string_view arguments) {
    DrawWish wish = wish_of(arguments);
    if (!draw_of_process(shell, wish)) draw_value(shell, wish);
}

}  // namespace lantern::cli
