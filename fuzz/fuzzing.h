// Shared by the fuzz targets. An input is a row of parts, each a kind (which section it stands
// for), a length of four bytes and the bytes; what does not parse as that simply ends the row.
// Errors of our own hierarchy are the right answer to damaged bytes; anything else is a finding.
#pragma once

#include <cstdint>
#include <cstring>
#include <map>
#include <variant>
#include <vector>

#include "core/dwarf/debug_info.h"
#include "core/support/error.h"

namespace lantern::fuzzing {

using S = dwarf::Sections;
using Part = std::variant<ByteSpan S::*, LazyBytes S::*>;
inline constexpr Part kParts[] = {
    &S::info,        &S::types, &S::abbrev,   &S::line,     &S::str,   &S::line_str,
    &S::str_offsets, &S::addr,  &S::ranges,   &S::rnglists, &S::loc,   &S::loclists,
    &S::aranges,     &S::names, &S::cu_index, &S::tu_index, &S::macro, &S::macinfo};
inline constexpr int kIndexUnits = 3;  // units of the program that index.cpp looks things up in
inline constexpr std::uint8_t kSplit =
    0x40;  // added to the kind of a part that belongs to the split file

// The sections of the input whose kinds have this added; borrowed from the input.
inline dwarf::Sections sections_of(ByteSpan input, std::uint8_t added = 0) {
    dwarf::Sections sections;
    while (input.size() >= 5) {
        std::uint8_t kind = static_cast<std::uint8_t>(input[0]);
        std::uint32_t size;
        std::memcpy(&size, input.data() + 1, 4);
        input = input.subspan(5);
        ByteSpan bytes = input.first(std::min<std::size_t>(size, input.size()));
        input = input.subspan(bytes.size());
        if (kind >= added && static_cast<std::size_t>(kind - added) < std::size(kParts))
            std::visit([&](auto part) { sections.*part = bytes; }, kParts[kind - added]);
    }
    return sections;
}

inline ByteSpan as_bytes(const std::uint8_t* data, std::size_t size) {
    return ByteSpan(reinterpret_cast<const std::byte*>(data), size);
}

template <class Visit>
void for_each_entry(const dwarf::DebugInfo& info, Visit&& visit) {
    for (const auto& unit : info.units()) {
        try {
            std::vector<dwarf::Entry> open;
            if (auto root = dwarf::Entry::at(*unit, unit->first_entry)) open.push_back(*root);
            for (std::size_t seen = 0; !open.empty() && seen < 3000; ++seen) {
                dwarf::Entry entry = open.back();
                open.pop_back();
                visit(entry);
                if (auto next = entry.next_sibling()) open.push_back(*next);
                if (auto child = entry.first_child()) open.push_back(*child);
            }
        } catch (const Error&) {
        }
    }
}

}  // namespace lantern::fuzzing

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);
