// One HTML page to pass on: it names no outside file, and works without scripts.
#pragma once

#include <string>
#include <string_view>

namespace lantern::cli {

std::string html(std::string_view text);  // safe to show in a page
std::string page_of(std::string_view title, std::string_view body);
// The two ends of a page whose body is written bit by bit. `more_style` is CSS of its own.
std::string page_begin(std::string_view title, std::string_view more_style);
std::string page_end();

// What a view's text looks like in a terminal, as HTML: the colours are classes of the page's
// style.
std::string html_of_styled(std::string_view text);
// A view's text alone on a page.
std::string page_of_text(std::string_view title, std::string_view styled);

}  // namespace lantern::cli
