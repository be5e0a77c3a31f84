// Tree to value: C's rules for conversions, arithmetic, pointers and members (C17 §6.3, §6.5), on the target's data.
#pragma once

#include <functional>
#include <map>
#include <string>
#include <vector>

#include "core/expressions/syntax.h"
#include "core/unwind/frame.h"
#include "core/values/value.h"

namespace lantern {

// Values that earlier commands computed: "@" is the last, "@3" the third, "@name" one that was kept.
class Results {
  public:
    unsigned add(const Value& value);                       // returns its number, from 1
    void keep(const std::string& name, const Value& value);
    const Value* find(const std::string& name) const;       // "" is the last one; null if there is none
    void clear();

  private:
    std::vector<Value> numbered_;
    std::map<std::string, Value> named_;
};

struct EvaluationContext {
    Target* target = nullptr;
    ThreadId thread = 0;
    const Frame* frame = nullptr;      // null: only globals, functions and constants are known
    const Results* results = nullptr;  // may be null
};

// Throws ExpressionError (with the column) for what does not parse or has no meaning, MemoryError for what cannot be
// read, RequestError for a variable that has no value here.
Value evaluate(std::string_view text, const EvaluationContext& context);

// "1 + 2" is no place; "chamber->level_cm" is. Writes `right` converted to the type of `left`, and returns the place.
Value assign(std::string_view left, std::string_view right, const EvaluationContext& context);

}  // namespace lantern
