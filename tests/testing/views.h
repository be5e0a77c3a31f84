// What the tests of texts share.
#pragma once

#include <string>

#include "cli/views/style.h"

namespace lantern::cli {

inline const Style kPlain;  // no colours

inline bool says(const std::string& text, const std::string& part) {
    return text.find(part) != std::string::npos;
}

}  // namespace lantern::cli
