// The registers of a frame as facts: what they hold, what that points at, and what they held at the
// last stop.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/session/moment.h"

namespace lantern {

enum class RegisterGroup { general, flags, segments, vectors, floating, masks, debug };
std::string_view group_word(RegisterGroup group);

struct RegisterRow {
    std::string name;
    RegisterGroup group = RegisterGroup::general;
    std::optional<std::uint64_t> number;  // of eight bytes at most; nothing: not known, or wider
    std::vector<std::byte> bytes;         // of a vector or x87 register, the lowest first
    std::string text;       // what the content says: flags by name, lanes, a floating number
    std::string points_at;  // what lies at the address that it may be
    std::string unknown;    // why nothing is known of it in this frame
    std::string before;  // what it held at the last stop, where that is another number; else empty
};

struct RegistersReport {
    ThreadId thread = 0;
    unsigned thread_number = 0;  // 0: the only one
    unsigned level = 0;
    std::string function;
    std::vector<RegisterRow> rows;
    unsigned changed = 0;  // how many of the rows changed since the last stop
};

// `wanted`: words of groups, names of registers, patterns with * and ?; none: the general ones,
// flags and segments' bases. Throws RequestError for a word that is none of these.
RegistersReport report_registers(const Moment& moment, const std::vector<std::string>& wanted,
                                 const RegisterSnapshot* before);

// "ZF PF IF": the flags that are set.
std::string flags_text(std::uint64_t flags);

}  // namespace lantern
