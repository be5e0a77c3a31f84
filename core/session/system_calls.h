// The kernel's system calls by name, and their arguments as words.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/target/target.h"

namespace lantern {

std::string system_call_name(long number);  // "write"; "system call 999" for one without a name
std::optional<long> system_call_numbered(std::string_view name);
std::vector<std::string> system_call_names();

// "write(1, \"Wren\\n\", 5)" for a thread that is entering or leaving one: texts, descriptors and
// flags as far as the call is known, the bare words of its registers where not.
std::string system_call_text(Target& target, ThreadId thread);
// "5", "-1 ENOENT (No such file or directory)"
std::string system_call_result_text(Target& target, ThreadId thread);

}  // namespace lantern
