// One HTML page to pass on: it names no outside file and runs no script.
#pragma once

#include <string>
#include <string_view>

namespace lantern::cli {

std::string html(std::string_view text);  // safe to show in a page
std::string page_of(std::string_view title, std::string_view body);

}  // namespace lantern::cli
