// A folder of files that we keep between sessions and that may go at any time: indexes,
// decompressed sections.
#pragma once

#include <filesystem>
#include <string>

#include "core/support/byte_reader.h"

namespace lantern {

// Writes the file as a whole or not at all; two of us at once do no harm. False if it cannot be
// written: a session works without. Removes the files longest unused until those of our kinds take
// no more than `limit` bytes; the one just written stays if it fits.
bool keep_file(const std::filesystem::path& path, ByteSpan head, ByteSpan bytes,
               std::uint64_t limit);

}  // namespace lantern
