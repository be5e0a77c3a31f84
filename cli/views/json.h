// A view as one JSON object on one line, as docs/output-formats.md and docs/session.schema.json
// describe it.
#pragma once

#include <string>

#include "cli/views/view.h"

namespace lantern::cli {

std::string json_of(const View& view);  // without a line ending
std::string json_of_command(const std::string& line);
std::string json_of_answer(unsigned number, const std::string& line,
                           bool worked);  // the record's note of what was typed

}  // namespace lantern::cli
