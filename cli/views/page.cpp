#include "cli/views/page.h"

#include <fmt/format.h>

#include <array>

#include "core/support/text.h"

namespace lantern::cli {
namespace {

void append_html(std::string& out, std::string_view text) {
    for (char c : text) {
        switch (c) {
            case '<': out += "&lt;"; break;
            case '>': out += "&gt;"; break;
            case '&': out += "&amp;"; break;
            case '"': out += "&quot;"; break;
            default: out += c;
        }
    }
}

// Every pair of a text's and a ground's colour differs by 4.5:1 or more, in the light and in the
// dark.
constexpr const char* kStyle = R"(
:root { color-scheme: light dark; --ground: #f4f6f5; --sheet: #ffffff; --ink: #1f2c35; --quiet: #52616a; --head: #245063;
  --line: #d3dbd9; --next: #7a4b00; --nextground: #fbf1d6; --mark: #9c2f2f; --changed: #2c6330; --warn: #8d4a00;
  --text: #4d5a17; --number: #6b3f78; --good: #4d8b57; --some: #d9b24c; --bad: #b8604f; --room: #6d9fb0; }
@media (prefers-color-scheme: dark) { :root { --ground: #161b1f; --sheet: #1e252a; --ink: #dbe3e6; --quiet: #9fadb4;
  --head: #8fc4d8; --line: #35414a; --next: #f0c674; --nextground: #38321f; --mark: #ee9a9a; --changed: #a3d69b;
  --warn: #f0b26b; --text: #c3cf86; --number: #d0a9dd; } }
body { font: 15px/1.45 system-ui, sans-serif; color: var(--ink); background: var(--ground); margin: 0; }
main { max-width: 1180px; margin: 0 auto; padding: 24px; }
a { color: var(--head); }
h1 { font-size: 24px; margin: 0 0 4px; } h2 { font-size: 17px; margin: 22px 0 8px; color: var(--head); }
.columns { display: flex; gap: 28px; } .columns > section { flex: 1 1 0; min-width: 0; }
table { border-collapse: collapse; width: 100%; } td, th { text-align: left; padding: 3px 12px 3px 0; vertical-align: top; }
th { font-weight: 600; color: var(--quiet); white-space: nowrap; } td.number, th.number { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
.facts th { width: 160px; }
td { overflow-wrap: anywhere; } .quiet { color: var(--quiet); }
.advice { background: var(--sheet); border-left: 5px solid #c98a2b; padding: 8px 14px; margin: 8px 0; }
.step { background: var(--sheet); border-left: 5px solid var(--room); padding: 6px 14px; margin: 6px 0; }
.step code, .statement { font: 14px/1.4 ui-monospace, "DejaVu Sans Mono", monospace; }
td.level { width: 20px; color: var(--quiet); }
.statement { background: var(--sheet); padding: 8px 14px; display: block; white-space: pre-wrap; }
.advice b { display: block; } .good { border-left-color: var(--good); }
.bar { display: flex; height: 18px; border-radius: 3px; overflow: hidden; background: var(--line); margin: 6px 0; }
.bar i { display: block; } .all { background: var(--good); } .some { background: var(--some); } .never { background: var(--bad); }
.room { background: var(--room); height: 12px; border-radius: 2px; display: inline-block; vertical-align: middle; }
.key i { display: inline-block; width: 11px; height: 11px; margin: 0 5px 0 12px; border-radius: 2px; }
pre { font: 13px/1.42 "DejaVu Sans Mono", ui-monospace, monospace; background: var(--sheet); border: 1px solid var(--line);
  border-radius: 4px; margin: 6px 0; padding: 8px 12px; overflow-x: auto; white-space: pre; }
pre b { font-weight: 600; } pre i { font-style: normal; }
.q, .o { color: var(--quiet); } .n { color: var(--next); } .h { color: var(--head); font-weight: 600; } .m { color: var(--mark); }
.c { color: var(--changed); } .w { color: var(--warn); } .k { color: var(--head); } .t { color: var(--text); } .u { color: var(--number); }
figure { margin: 8px 0; overflow-x: auto; } figure svg, figure img { display: block; box-sizing: border-box; max-width: 100%; height: auto; border: 1px solid var(--line); }
@media print { body { background: #fff; } main { padding: 0; } h2, h3, summary { break-after: avoid-page; }
  pre { font-size: 11px; white-space: pre-wrap; overflow: visible; break-inside: avoid-page; } }
@media (max-width: 720px) { main { padding: 12px; } .columns { display: block; } pre { font-size: 12px; } }
)";

// The escape sequences of Style, by its roles.
struct Span {
    std::string_view code, opening;
};
constexpr std::array<Span, 11> kSpans = {{{"1", "<b>"},
                                          {"38;5;245", "<i class=q>"},
                                          {"38;5;222", "<i class=n>"},
                                          {"1;38;5;109", "<i class=h>"},
                                          {"38;5;174", "<i class=m>"},
                                          {"38;5;150", "<i class=c>"},
                                          {"38;5;215", "<i class=w>"},
                                          {"38;5;109", "<i class=k>"},
                                          {"38;5;144", "<i class=t>"},
                                          {"38;5;139", "<i class=u>"},
                                          {"38;5;242", "<i class=o>"}}};

}  // namespace

std::string html(std::string_view text) {
    std::string out;
    append_html(out, escape_for_display(text));
    return out;
}

std::string html_of_styled(std::string_view text) {
    std::string out;
    std::vector<std::string_view> open;
    while (!text.empty()) {
        std::size_t at = text.find("\x1b[");
        append_html(out, text.substr(0, at));
        if (at == std::string_view::npos) break;
        std::size_t end = text.find('m', at);
        if (end == std::string_view::npos) break;
        std::string_view code = text.substr(at + 2, end - at - 2);
        text.remove_prefix(end + 1);
        for (const Span& span : kSpans)
            if (span.code == code) {
                out += span.opening;
                open.push_back(span.opening == "<b>" ? "</b>" : "</i>");
            }
        if (code == "0" && !open.empty()) {
            out += open.back();
            open.pop_back();
        }
    }
    for (; !open.empty(); open.pop_back()) out += open.back();
    return out;
}

std::string page_begin(std::string_view title, std::string_view more_style) {
    return fmt::format(
        "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" "
        "content=\"width=device-width, initial-scale=1\"><title>{} by Elm "
        "Lantern</title><style>{}{}</style></head><body>\n",
        html(title), kStyle, more_style);
}

std::string page_end() {
    return "</body></html>\n";
}

std::string page_of(std::string_view title, std::string_view body) {
    return fmt::format("{}<main>\n{}<p class=\"quiet\">Made by Elm Lantern.</p></main>{}",
                       page_begin(title, ""), body, page_end());
}

std::string page_of_text(std::string_view title, std::string_view styled) {
    return page_of(title, fmt::format("<h1>{}</h1>\n<pre tabindex=\"0\">{}</pre>\n", html(title),
                                      html_of_styled(styled)));
}

}  // namespace lantern::cli
