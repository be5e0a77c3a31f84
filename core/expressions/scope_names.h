// What a name can mean at a frame: its variables innermost first, the program's globals, functions and enumerators.
#pragma once

#include <optional>
#include <string>
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

// The parameters and locals of a frame in the order a programmer looks for them: innermost scope first, within a
// scope as declared. Both of two variables of one name are there; the outer one says it is shadowed.
std::vector<VisibleVariable> visible_variables(const Frame& frame);

// A global by name (or tail of its qualified name): in the frame's own unit first, then in its module, then in others.
std::optional<Variable> find_global(Target& target, const Frame* frame, const std::string& name, const Module*& module,
                                    const std::string& chosen = {});

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
