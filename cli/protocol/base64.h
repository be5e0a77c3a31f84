// Bytes as text (RFC 4648 §4).
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/support/byte_reader.h"

namespace lantern::cli {

std::string base64_of(ByteSpan bytes);
// Nothing where the text is none.
std::optional<std::vector<std::byte>> bytes_of_base64(std::string_view text);

}  // namespace lantern::cli
