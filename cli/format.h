// How results are written.
#pragma once

namespace lantern::cli {

enum class Format { text, json };

}  // namespace lantern::cli
