// Finished indexes, kept between sessions in one folder, a file for each build id. A file that does
// not belong to exactly these sections is as good as none; nothing in it is trusted further than
// the bounds of its own tables.
#pragma once

#include <filesystem>
#include <optional>
#include <string>

#include "core/symbols/symbol_index.h"

namespace lantern {

// Tells two states of a module's entries apart: build id, and the sizes and ends of every section
// of entries.
std::uint64_t fingerprint_of(const dwarf::DebugInfo& info, const std::string& build_id);

// Nothing if there is no such file or it does not fit. The result maps the file.
std::optional<SymbolIndex> load_index(const std::filesystem::path& folder,
                                      const std::string& build_id, const dwarf::DebugInfo& info);
// Over bytes that lie in memory: what load_index does with the file. `keeper` keeps them alive.
std::optional<SymbolIndex> index_over(ByteSpan file, std::uint64_t fingerprint,
                                      const dwarf::DebugInfo& info,
                                      std::shared_ptr<const void> keeper);

// Writes the file as a whole or not at all; two of us at once do no harm. Removes the files longest
// unused until the folder holds no more than `limit` bytes. False if it cannot be written: a
// session works without.
bool save_index(const std::filesystem::path& folder, const std::string& build_id,
                const SymbolIndex& index, const dwarf::DebugInfo& info, std::uint64_t limit);
std::string index_bytes(const SymbolIndex& index, std::uint64_t fingerprint);

}  // namespace lantern
