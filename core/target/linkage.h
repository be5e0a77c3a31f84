// Where calls through a procedure linkage table really go (System V ABI x86-64 §5.2).
#pragma once

#include <optional>
#include <string>

#include "core/target/target.h"

namespace lantern {

// The slot that an entry of the linkage table jumps through, by the bytes of the file; nothing
// where no entry stands there.
std::optional<FileAddress> slot_of_linkage_entry(const ModuleSymbols& symbols, FileAddress entry);

// The code that a linkage table entry leads to; the address itself if it is none. An entry that is
// not bound yet is followed by the name it will be bound to.
RunAddress behind_linkage_table(Target& target, RunAddress at);

// The same, where the address is an entry that the loader has bound already; else nothing.
std::optional<RunAddress> bound_by_linkage_table(Target& target, RunAddress at);

// Whom a linkage table entry is for, by the name the loader looks up; empty where no entry stands
// there.
std::string name_behind_linkage_table(Target& target, RunAddress at);

}  // namespace lantern
