// The rows that the text and the page of a survey share, and the page itself.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "cli/views/style.h"
#include "core/analysis/survey.h"

namespace lantern::cli {

using SurveyFacts = std::vector<std::pair<std::string, std::string>>;  // label, text; safe to show

SurveyFacts program_facts(const Survey& survey);
SurveyFacts group_facts(const Survey& survey);
SurveyFacts code_facts(const Survey& survey);
SurveyFacts source_facts(const Survey& survey);
std::string bytes_text(std::uint64_t bytes);
const char* word_of(SourceState state);

std::string survey_text(const SurveyReport& report, const Style& style);
std::string survey_page(const SurveyReport& report);  // one HTML page that needs nothing else

}  // namespace lantern::cli
