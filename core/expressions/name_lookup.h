// What a name in an expression means at a frame, found once and kept in the tree.
#pragma once

#include "core/expressions/evaluator.h"
#include "core/expressions/scope_names.h"

namespace lantern {

struct Binding {
    enum class Kind { local, of_this, global, constant } kind = Kind::local;
    const Function* function = nullptr;  // holds in frames of this function
    const Scope* innermost = nullptr;    // and this scope
    const Variable* variable = nullptr;  // owned by the function's body
    Variable global;
    const ModuleSymbols* module = nullptr;
    Value constant;
};

// Throws ExpressionError with near names for one that nothing has. Fills the node's binding.
Value value_of_name(Node& node, const EvaluationContext& context, const ValueReader& reader);
// Throws ExpressionError for the first name of the tree that means nothing at the frame. Nothing is computed: the frame needs no
// registers.
void require_known_names(const Node& tree, const EvaluationContext& context);
// The function of that name with that many parameters, or the first of several; nothing if there is none.
std::optional<Value> function_value(Target& target, const std::string& name, std::optional<std::size_t> parameters = {});
// The method of the object's class or one of its bases, the object's own class first. `object` is moved to that class.
std::optional<Value> method_value(const ValueReader& reader, Value& object, const std::string& name, std::size_t arguments);

// Tells types and templates from other names at a frame.
class FrameNames final : public NameJudge {
  public:
    explicit FrameNames(const EvaluationContext& context) : context_(context) {}
    const Type* type(const std::string& name) const override;
    bool is_template_id(const std::string& name) const override;
    std::optional<Macro> macro(const std::string& name) const override;

  private:
    const EvaluationContext& context_;
};

}  // namespace lantern
