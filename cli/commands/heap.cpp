// heap, heap blocks, heap types, heap check, heap leaks, heap path
#include <fmt/format.h>

#include "cli/commands/command.h"
#include "cli/progress.h"
#include "core/analysis/heap_report.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kRowsShown = 40;

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

HeapBlocksQuery blocks_query(Session& session, std::string_view text) {
    HeapBlocksQuery query;
    query.limit = kRowsShown;
    while (!text.empty()) {
        std::string_view word = take_word(text);
        if (word == "free") {
            query.with_free = true;
        } else if (word == "size") {
            take_sizes(take_word(text), query);
        } else if (word == "limit") {
            query.limit = number_of(take_word(text), "heap blocks limit 100");
        } else if (word == "at") {
            query.at = address_meant(session, text);
            return query;
        } else {
            throw RequestError(fmt::format("heap blocks does not know {}", quote(word)),
                               "heap blocks [free] [size N..M] [limit N] [at ADDRESS]");
        }
    }
    return query;
}

// Nothing, or "limit N".
std::size_t limit_of(std::string_view text, const char* command) {
    if (text.empty()) return kRowsShown;
    if (take_word(text) != "limit")
        throw RequestError(fmt::format("{} takes the word limit and a number", command),
                           fmt::format("{} limit 100", command));
    return number_of(take_word(text), "limit 100");
}

}  // namespace

void run_heap(Shell& shell, std::string_view arguments) {
    Session& session = shell.session();
    session.stack();  // throws where nothing can be looked at
    std::string_view text = trimmed(arguments);
    std::string_view what = take_word(text);
    auto progress = work_progress("reading the heap");
    auto show = [&shell](const auto& report) {
        clear_progress();
        shell.show(report);
    };
    if (what.empty()) return show(report_heap(session.moment(), progress));
    if (what == "blocks")
        return show(report_heap_blocks(session.moment(), blocks_query(session, text), progress));
    if (what == "path") {
        if (text.empty())
            throw RequestError("heap path needs an address", "heap path barge, for example");
        return show(report_heap_path(session.moment(), address_meant(session, text), progress));
    }
    if (what == "leaks")
        return show(report_heap_leaks(session.moment(), limit_of(text, "heap leaks"), progress));
    if (what == "types")
        return show(report_heap_types(session.moment(), limit_of(text, "heap types"), progress));
    if (what == "check") {
        refuse_arguments(text, "heap check");
        return show(report_heap_check(session.moment(), progress));
    }
    throw RequestError(fmt::format("heap does not know {}", quote(what)),
                       "heap, heap blocks, heap types, heap check, heap leaks, heap path ADDRESS");
}

}  // namespace lantern::cli
