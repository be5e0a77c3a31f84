// A pointer in the form that a byte before it names (Linux Standard Base, "DWARF Exception Header
// Encoding").
#pragma once

#include "core/support/address.h"
#include "core/support/byte_reader.h"

namespace lantern::dwarf {

// `bytes_at`: where the reader's bytes are loaded; `data`: what the form "relative to data" counts
// from. 0, whatever the form: no pointer. Throws FormatError for a form that is not known.
std::uint64_t read_encoded_pointer(ByteReader& reader, std::uint8_t encoding, FileAddress bytes_at,
                                   FileAddress data);

}  // namespace lantern::dwarf
