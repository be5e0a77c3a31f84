// The schema of the JSON that views are written as (JSON Schema, draft 2020-12), made of their
// descriptions.
#pragma once

#include <string>

namespace lantern::cli {

std::string json_schema();  // several lines

}  // namespace lantern::cli
