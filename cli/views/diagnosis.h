// The sentences that the text and the page of a diagnosis share, and the page itself.
#pragma once

#include <string>
#include <vector>

#include "cli/views/style.h"
#include "core/analysis/diagnosis.h"

namespace lantern::cli {

std::string part_sentence(const Diagnosis& report);  // "barge->next is null"; may be empty
// "likely, because …"; empty where it is certain.
std::string doubt_words(Certainty certainty, const std::string& because);
std::string where_words(const std::string& function, const std::string& file, std::uint32_t line);
// "goes round in pass_until, lines 98 to 101 of failures.c", and what of its variables changes.
std::string loop_words(const HangLoop& loop);
std::string loop_variables(const HangLoop& loop);
std::vector<std::string> file_lines(const Diagnosis& report);  // "3 /tmp/tolls, 4 a pipe"
std::vector<std::string> next_commands(
    const Diagnosis& report);  // two to five; none if all is well

std::string diagnosis_text(const Diagnosis& report, const Style& style);
std::string diagnosis_page(const Diagnosis& report);  // one HTML page that needs nothing else

}  // namespace lantern::cli
