// An index that lies outside of an array whose length is known: right to look at, and worth a word.
#pragma once

#include "core/expressions/evaluator.h"

namespace lantern {

// "local has 4 elements, 0 to 3: [4] is the first behind its end"; empty where every index is
// within. Runs nothing of the program.
std::string index_remark(const Expression& expression, const EvaluationContext& context);

}  // namespace lantern
