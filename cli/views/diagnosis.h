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
std::vector<std::string> next_commands(
    const Diagnosis& report);  // two to five; none if all is well

std::string diagnosis_text(const Diagnosis& report, const Style& style);
std::string diagnosis_page(const Diagnosis& report);  // one HTML page that needs nothing else

}  // namespace lantern::cli
