#include "cli/views/page.h"

#include <fmt/format.h>

#include "core/support/text.h"

namespace lantern::cli {

std::string html(std::string_view text) {
    std::string out;
    for (char c : escape_for_display(text)) {
        switch (c) {
            case '<': out += "&lt;"; break;
            case '>': out += "&gt;"; break;
            case '&': out += "&amp;"; break;
            case '"': out += "&quot;"; break;
            default: out += c;
        }
    }
    return out;
}

namespace {

constexpr const char* kStyle = R"(
body { font: 15px/1.45 system-ui, sans-serif; color: #22303a; background: #f4f6f5; margin: 0; }
main { max-width: 1180px; margin: 0 auto; padding: 24px; }
h1 { font-size: 24px; margin: 0 0 4px; } h2 { font-size: 17px; margin: 22px 0 8px; color: #2d5d6e; }
.columns { display: flex; gap: 28px; } .columns > section { flex: 1 1 0; min-width: 0; }
table { border-collapse: collapse; width: 100%; } td, th { text-align: left; padding: 3px 12px 3px 0; vertical-align: top; }
th { font-weight: 600; color: #5b6b74; white-space: nowrap; } td.number, th.number { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
.facts th { width: 160px; }
td { overflow-wrap: anywhere; } .quiet { color: #6d7c84; }
.advice { background: #fff; border-left: 5px solid #c98a2b; padding: 8px 14px; margin: 8px 0; }
.step { background: #fff; border-left: 5px solid #6d9fb0; padding: 6px 14px; margin: 6px 0; }
.step code, .statement { font: 14px/1.4 ui-monospace, "DejaVu Sans Mono", monospace; }
td.level { width: 20px; color: #6d7c84; }
.statement { background: #fff; padding: 8px 14px; display: block; white-space: pre-wrap; }
.advice b { display: block; } .good { border-left-color: #4d8b57; }
.bar { display: flex; height: 18px; border-radius: 3px; overflow: hidden; background: #dde4e2; margin: 6px 0; }
.bar i { display: block; } .all { background: #4d8b57; } .some { background: #d9b24c; } .never { background: #b8604f; }
.room { background: #6d9fb0; height: 12px; border-radius: 2px; display: inline-block; vertical-align: middle; }
.key i { display: inline-block; width: 11px; height: 11px; margin: 0 5px 0 12px; border-radius: 2px; }
)";

}  // namespace

std::string page_of(std::string_view title, std::string_view body) {
    return fmt::format(
        "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{} by Elm "
        "Lantern</title><style>{}</style></head><body><main>\n{}<p class=\"quiet\">Made by Elm "
        "Lantern.</p></main></body></html>\n",
        html(title), kStyle, body);
}

}  // namespace lantern::cli
