// find, type
#include <fmt/format.h>

#include "cli/commands/command.h"
#include "core/analysis/find_report.h"
#include "core/analysis/type_report.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::string_view kWhat[] = {"functions", "globals", "types", "files", "code",
                                      "address",   "bytes",   "text",  "value"};

std::string_view what_of(std::string_view word) {
    for (std::string_view what : kWhat)
        if (!word.empty() && what.starts_with(word)) return what;
    throw RequestError(
        "find looks for functions, globals, types or files, for the code of a place, for what is "
        "at an address, or for bytes, a text or a value in memory",
        "find functions chamber, find code main, for example");
}

// "… limit 200" and "… in NAME" at the end.
FindQuery query_of(std::string_view what, std::string_view text) {
    FindQuery query;
    query.what = what;
    text = trimmed(text);
    if (std::size_t at = text.rfind("limit ");
        at != std::string_view::npos && (at == 0 || text[at - 1] == ' ')) {
        auto number = whole_number(trimmed(text.substr(at + 6)));
        if (!number || *number == 0)
            throw RequestError("limit needs a number",
                               "find functions chamber limit 200, for example");
        query.limit = *number;
        text = trimmed(text.substr(0, at));
    }
    if (std::size_t at = text.rfind("in ");
        at != std::string_view::npos && (at == 0 || text[at - 1] == ' ')) {
        query.within = trimmed(text.substr(at + 3));
        text = trimmed(text.substr(0, at));
    }
    bool with_library = text == "all" || text.ends_with(" all");
    if (with_library) text = trimmed(text.substr(0, text.size() - 3));
    query.with_library = with_library;
    query.pattern = text;
    return query;
}

}  // namespace

void run_find(Shell& shell, std::string_view arguments) {
    std::string_view rest = arguments;
    std::string_view what = what_of(take_word(rest));
    Session& session = shell.session();
    if (what == "bytes" || what == "text" || what == "value")
        return run_find_memory(shell, what, rest);
    if (what == "code") return shell.show(report_code(session.moment(), session.place(rest)));
    if (what == "address")
        return shell.show(report_address(session.moment(), address_meant(session, rest)));
    shell.show(report_found(session.moment(), query_of(what, rest)));
}

void run_type(Shell& shell, std::string_view arguments) {
    shell.show(report_type(shell.session().moment(), std::string(arguments)));
}

}  // namespace lantern::cli
