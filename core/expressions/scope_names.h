// What a name can mean at a frame: its variables innermost first, the program's globals, functions
// and enumerators.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/symbols/function.h"
#include "core/unwind/frame.h"
#include "core/values/value.h"

namespace lantern {

struct VisibleVariable {
    const Variable* variable = nullptr;
    const Scope* scope = nullptr;
    bool is_shadowed = false;
};

// The parameters and locals of a frame in the order a programmer looks for them: innermost scope
// first, within a scope as declared. Both of two variables of one name are there; the outer one
// says it is shadowed.
std::vector<VisibleVariable> visible_variables(const Frame& frame);

// Those of one name, in the same order.
std::vector<VisibleVariable> visible_of_name(const Frame& frame, std::string_view name);

// The one of them that a name means: the innermost, or the one chosen by its line, file or function
// ("17", "flight.c", "pass_barge"). Nothing if there is none.
std::optional<VisibleVariable> find_visible(const Frame& frame, std::string_view name,
                                            std::string_view chosen = {});
// Those that a variable of this name hides, as what reaches them: "level#12".
std::vector<std::string> hidden_namesakes(const Frame& frame, std::string_view name);

// A global by name (or tail of its qualified name): in the frame's own unit first, then in its
// module, then in others.
std::optional<Variable> find_global(Target& target, const Frame* frame, const std::string& name,
                                    const Module*& module, const std::string& chosen = {});

// "count::calls": a variable of a function that keeps its place and value from call to call.
std::optional<Variable> find_static_of_function(Target& target, const std::string& name,
                                                const Module*& module);

// An enumerator of any enumeration the program declares.
struct FoundEnumerator {
    const Type* type = nullptr;
    std::int64_t value = 0;
};
std::optional<FoundEnumerator> find_enumerator(Target& target, const std::string& name);

// A type by its name as C or C++ writes it, in any module; null if there is none.
const Type* find_type(Target& target, const std::string& name);

// Every name an expression could start with at this frame: for completion and for near misses.
std::vector<std::string> known_names(Target& target, const Frame* frame);

}  // namespace lantern
