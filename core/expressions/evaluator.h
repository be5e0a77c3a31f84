// Tree to value: the language's rules for conversions, arithmetic, pointers and members (C17 §6.3,
// §6.5; C++20 §7), on the target's data.
#pragma once

#include <functional>
#include <map>
#include <string>
#include <vector>

#include "core/expressions/syntax.h"
#include "core/unwind/frame.h"
#include "core/values/value.h"

namespace lantern {

// Values that earlier commands computed: "@" is the last, "@3" the third, "@name" one that was
// kept.
class Results {
  public:
    unsigned add(const Value& value);  // returns its number, from 1
    void keep(const std::string& name, const Value& value);
    const Value* find(const std::string& name) const;  // "" is the last one; null if there is none
    void clear();

  private:
    std::vector<Value> numbered_;
    std::map<std::string, Value> named_;
};

// A call of the program's own code that an expression asks for.
struct FunctionCall {
    std::string name;  // for messages
    RunAddress address;
    const Type* type =
        nullptr;  // of the function: what it returns and takes, as far as that is known
    std::vector<Value>
        arguments;  // converted to the parameters; of a method the object's address comes first
};

struct EvaluationContext {
    Target* target = nullptr;
    ThreadId thread = 0;
    const Frame* frame = nullptr;      // null: only globals, functions and constants are known
    const Results* results = nullptr;  // may be null
    const Value* self =
        nullptr;  // its members are known by their bare names, before anything else; may be null
    std::function<Value(const FunctionCall&)> call;  // empty: functions are not called

    Language language() const;  // of the frame's function; C where there is none
};

class Bindings;

// An expression that was read once and can be computed often: what its names mean is kept as long
// as the frame is of the same function.
class Expression {
  public:
    // Throws ExpressionError (with the column) for what does not parse.
    Expression(std::string text, const EvaluationContext& context);
    const std::string& text() const { return text_; }
    const Node& tree() const { return *tree_; }
    // Throws ExpressionError for what has no meaning, MemoryError for what cannot be read,
    // RequestError for a variable that has no value here.
    Value value(const EvaluationContext& context) const;
    bool truth(const EvaluationContext& context) const;

  private:
    std::string text_;
    std::shared_ptr<const Node> tree_;
    std::shared_ptr<Bindings>
        bindings_;  // what its names mean at the frame it was computed for last
};

// Read and computed at once; throws what Expression does.
Value evaluate(std::string_view text, const EvaluationContext& context);

// A part of a tree that was read, by itself.
Value value_of_node(const Node& node, const EvaluationContext& context);

struct Assigned {
    Value place;
    std::string warning;  // not empty: it worked, but may surprise
};

// "1 + 2" is no place; "chamber->level_cm" is. Writes `right` converted to the type of `left`.
Assigned assign(std::string_view left, std::string_view right, const EvaluationContext& context);

}  // namespace lantern
