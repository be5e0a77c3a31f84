// heap, heap blocks, heap types, heap check, heap leaks, heap path, heap keep, heap since, heap
// life, heap places
#include <fmt/format.h>

#include <algorithm>

#include "cli/commands/command.h"
#include "cli/figures/path_figure.h"
#include "cli/figures/places_figure.h"
#include "cli/progress.h"
#include "core/analysis/figure_caption.h"
#include "core/analysis/heap_history_report.h"
#include "core/analysis/heap_report.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kHeapRowsShown = 40;

std::uint64_t number_of(std::string_view text, const char* example) {
    auto number = whole_number(trimmed(text));
    if (!number) throw RequestError(fmt::format("{} is no number", quote(trimmed(text))), example);
    return *number;
}

// "24" or "100..4000", in bytes
void take_sizes(std::string_view text, HeapBlocksQuery& query) {
    constexpr const char* kExample = "heap blocks size 24, or heap blocks size 100..4000";
    std::size_t dots = text.find("..");
    query.least = number_of(text.substr(0, dots), kExample);
    query.most =
        dots == std::string_view::npos ? query.least : number_of(text.substr(dots + 2), kExample);
}

// The words of a type's name, up to the next word of the command.
std::string type_words(std::string_view& text) {
    std::string type;
    while (!text.empty()) {
        std::string_view rest = text, word = take_word(rest);
        if (word == "size" || word == "limit" || word == "free") break;
        type += (type.empty() ? "" : " ") + std::string(word);
        text = rest;
    }
    if (type.empty()) throw RequestError("a type is missing", "heap blocks of canal::Barge");
    return type;
}

HeapBlocksQuery blocks_query(Session& session, std::string_view text) {
    HeapBlocksQuery query;
    query.limit = kHeapRowsShown;
    while (!text.empty()) {
        std::string_view word = take_word(text);
        if (word == "free") {
            query.with_free = true;
        } else if (word == "size") {
            take_sizes(take_word(text), query);
        } else if (word == "of") {
            query.type = type_words(text);
        } else if (word == "limit") {
            query.limit = number_of(take_word(text), "heap blocks limit 100");
        } else if (word == "at") {
            query.at = address_meant(session, text);
            return query;
        } else {
            throw RequestError(fmt::format("heap blocks does not know {}", quote(word)),
                               "heap blocks [free] [of TYPE] [size N..M] [limit N] [at ADDRESS]");
        }
    }
    return query;
}

// Nothing, or "limit N".
std::size_t limit_of(std::string_view text, const char* command) {
    if (text.empty()) return kHeapRowsShown;
    if (take_word(text) != "limit")
        throw RequestError(fmt::format("{} takes the word limit and a number", command),
                           fmt::format("{} limit 100", command));
    return number_of(take_word(text), "limit 100");
}

Progress heap_progress() {
    return work_progress("reading the heap");
}

HeapBlocksReport blocks(Session& session, std::string_view text) {
    HeapBlocksQuery query = blocks_query(session, text);
    HeapBlocksReport report = report_heap_blocks(session.moment(), query, heap_progress());
    if (!query.type.empty() && report.total == 0)
        throw RequestError(fmt::format("no block is known to hold {}", quote(query.type)),
                           "heap types tells what they hold");
    return report;
}

HeapPathReport path(Session& session, std::string_view text) {
    if (text.empty())
        throw RequestError("heap path needs an address", "heap path barge, for example");
    return report_heap_path(session.moment(), address_meant(session, text), heap_progress());
}

HeapLifeReport life(Session& session, std::string_view text) {
    if (text.empty())
        throw RequestError("heap life needs an address", "heap life barge, for example");
    return report_heap_life(session.moment(), address_meant(session, text), heap_progress());
}

void keep_whole_heap(Shell& shell, std::string_view text) {
    std::string name(take_word(text));
    if (name.empty() || !text.empty())
        throw RequestError("heap keep takes one name", "heap keep before, for example");
    KeptHeap kept = keep_heap(shell.session().moment(), name, heap_progress());
    clear_progress();
    std::string said = fmt::format("the heap with {} is kept as {}; heap since {} tells what grew",
                                   counted(kept.in_use.blocks, "block"), name, name);
    std::erase_if(shell.kept_heaps, [&](const KeptHeap& each) { return each.name == name; });
    shell.kept_heaps.push_back(std::move(kept));
    shell.show(Notice{Notice::Kind::done, said});
}

// Since the name, else since it was kept last.
HeapGrowthReport growth(Shell& shell, std::string_view text) {
    const std::vector<KeptHeap>& kept = shell.kept_heaps;
    if (kept.empty())
        throw RequestError("the heap was not kept yet", "heap keep NAME, then heap since NAME");
    std::string name(text.starts_with("limit ") ? "" : take_word(text));
    if (name.empty()) name = kept.back().name;
    auto since = std::ranges::find(kept, name, &KeptHeap::name);
    if (since == kept.end()) {
        std::vector<std::string> names;
        for (const KeptHeap& each : kept) names.push_back(each.name);
        throw RequestError(fmt::format("no heap was kept as {}", quote(name)),
                           fmt::format("there is {}", join_with(names, "and")));
    }
    return report_heap_growth(shell.session().moment(), kept, *since,
                              limit_of(text, "heap since NAME"), heap_progress());
}

}  // namespace

void save_heap_figure(Shell& shell, std::string_view arguments, const std::filesystem::path& file) {
    std::string_view what = take_word(arguments);
    if (what == "places") {
        refuse_arguments(trimmed(arguments), "save heap places as FILE");
        draw_places(report_heap_places(shell.session().moment(), kHeapRowsShown, heap_progress()),
                    caption_of(shell.session().moment()), file);
        clear_progress();
        shell.show(Notice{Notice::Kind::done,
                          fmt::format("what lived, and when, is drawn in {}", file.string())});
        return;
    }
    if (what != "path")
        throw RequestError(
            "of the heap the way to a block is drawn, and the places of birth",
            "save heap path ADDRESS as FILE.svg, save heap places as FILE.svg; other "
            "views end in .txt or .json");
    HeapPathReport report = path(shell.session(), trimmed(arguments));
    clear_progress();
    draw_path(report, caption_of(shell.session().moment()), file);
    shell.show(Notice{Notice::Kind::done,
                      fmt::format("the way to the block is drawn in {}", file.string())});
}

void run_heap(Shell& shell, std::string_view arguments) {
    Session& session = shell.session();
    session.stack();  // throws where nothing can be looked at
    std::string_view text = trimmed(arguments);
    std::string_view what = take_word(text);
    Progress progress = heap_progress();
    auto show = [&shell](const auto& report) {
        clear_progress();
        shell.show(report);
    };
    if (what.empty()) return show(report_heap(session.moment(), progress));
    if (what == "blocks") return show(blocks(session, text));
    if (what == "path") return show(path(session, text));
    if (what == "keep") return keep_whole_heap(shell, text);
    if (what == "since") return show(growth(shell, text));
    if (what == "leaks")
        return show(report_heap_leaks(session.moment(), shell.kept_heaps,
                                      limit_of(text, "heap leaks"), progress));
    if (what == "life") return show(life(session, text));
    if (what == "places")
        return show(report_heap_places(session.moment(), limit_of(text, "heap places"), progress));
    if (what == "types")
        return show(report_heap_types(session.moment(), limit_of(text, "heap types"), progress));
    if (what == "check") {
        refuse_arguments(text, "heap check");
        return show(report_heap_check(session.moment(), progress));
    }
    throw RequestError(
        fmt::format("heap does not know {}", quote(what)),
        "heap, heap blocks, heap types, heap check, heap leaks, heap path ADDRESS, heap keep "
        "NAME, heap since NAME, heap life ADDRESS, heap places");
}

}  // namespace lantern::cli
