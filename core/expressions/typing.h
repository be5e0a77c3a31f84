// What type the parts of an expression have, as far as that does not depend on what the program
// does; and what cannot be meant, told before it runs.
//
//     chamber->gates.width > 3        struct chamber has no member width: refused when it is set
//     ──────┬──────                   and not at the hit, hours later
//     struct gate
//
// Where only the value can tell (the class that an object really is of, the variant that an enum
// holds, what a library's type stands for), the type is not known and nothing is refused.
#pragma once

#include "core/expressions/evaluator.h"

namespace lantern {

// Null: not known before it is computed. References stand for what they refer to. The frame needs
// no registers. Throws ExpressionError, with the column, for what has no meaning whatever the
// program does.
const Type* type_before_it_runs(const Node& tree, const EvaluationContext& context);

}  // namespace lantern
