// Where an exception leads that comes out of a call: the table of handlers behind a function's
// call-frame information (.gcc_except_table; C++ and Rust). Its form is that of the common C++
// runtime, "Itanium C++ ABI: Exception Handling", the call site table of the language-specific data
// area:
//
//     landings count from      absent: from where the description's code begins
//     types                    absent, or how far behind this byte they end
//     calls  from, length, landing, action      by address; landing 0: nothing is done here
//            ...
#pragma once

#include <vector>

#include "core/support/address.h"
#include "core/support/byte_reader.h"

namespace lantern::dwarf {

struct GuardedCalls {
    FileRange calls;      // every call in it that throws
    FileAddress landing;  // goes on there
};

// `bytes` from the table's begin on, as far as they are there; `table`: where they are loaded;
// `code`: where the code of the description begins that names it. By address; calls that lead
// nowhere are left out. Throws FormatError when it is malformed.
std::vector<GuardedCalls> read_handler_table(ByteSpan bytes, FileAddress table, FileAddress code);

}  // namespace lantern::dwarf
