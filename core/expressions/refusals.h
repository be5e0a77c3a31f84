// What an expression cannot do with a type. Said in the same words whether it is found out before
// anything runs or when the value is there.
#pragma once

#include "core/expressions/syntax.h"

namespace lantern {

// Each throws ExpressionError with the column of the node.
[[noreturn]] void refuse_dereference(const Node& node, const Type& type);
[[noreturn]] void refuse_arrow(const Node& node, const Type& type);
[[noreturn]] void refuse_members(const Node& node, const Type& type);         // it has none at all
[[noreturn]] void refuse_unknown_member(const Node& node, const Type& type);  // node.text
[[noreturn]] void refuse_number(const Node& node, const Type& type);

// Each refuses where the type does not do; the pointer or array itself has been looked through.
void require_target(const Node& node, const Type& pointer);    // void has none
void require_elements(const Node& node, const Type& indexed);  // of a size

}  // namespace lantern
