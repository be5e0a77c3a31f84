// What has been found out about the values that registers had when functions were entered (DWARF 5
// §2.5.1.7): each may rest on that of the caller, and so on outwards; of a deep recursion they are
// found from the outermost frame inwards.
#pragma once

#include <map>
#include <optional>
#include <utility>
#include <vector>

#include "core/support/address.h"
#include "core/symbols/function.h"

namespace lantern {

struct EntryValues {
    // By the frame's level and the bytes of the location that is asked for. Nothing: it is not
    // known.
    std::map<std::pair<unsigned, std::vector<std::byte>>, std::optional<std::uint64_t>> values;
    // What the debug information says of the call before a return address, where it says something.
    std::map<RunAddress, std::optional<CallSite>> calls;
};

}  // namespace lantern
