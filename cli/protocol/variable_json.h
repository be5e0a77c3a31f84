// Values in the words of the protocol, and their parts, each with the expression that stands for
// it.
#pragma once

#include "cli/protocol/conversation.h"
#include "core/analysis/locals_report.h"
#include "core/values/value_view.h"

namespace lantern::cli {

// Of one line of a list: a few parts of each, not deep.
ViewLimits limits_of_line(const Moment& moment);

// "7", "not set yet (holds 21845)", "no value: …"
std::string value_words(const ValueView& view);

// What "variables", "evaluate", "setVariable" answer of a value alike: the words, the type, the
// references. `before`: its value at the last stop, where that was another; else empty. `name`: the
// member that the words stand in.
Json value_json(Conversation& conversation, FrameAt frame, const LocalVariable& variable,
                const std::string& before, const char* name);
// The same as one of a list.
Json variable_json(Conversation& conversation, FrameAt frame, const LocalVariable& variable,
                   const std::string& before);

// Takes away the expressions that do not lead to the variable: names that the linker or a compiler
// made up, and those that another variable hides.
void check_expressions(Conversation& conversation, std::vector<LocalVariable>& variables);

// The parts of a value from the `first` on, `count` at most; of a pointer those of what it leads
// to.
std::vector<LocalVariable> parts_of(Conversation& conversation, const Holder& holder,
                                    std::uint64_t first, std::uint64_t count, Form form);

}  // namespace lantern::cli
