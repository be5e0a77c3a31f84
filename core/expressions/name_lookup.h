// What a name in an expression means at a frame, found once and kept beside the tree.
#pragma once

#include "core/expressions/evaluator.h"
#include "core/expressions/scope_names.h"

namespace lantern {

// What one name was found to mean.
struct Binding {
    enum class Kind { local, of_this, global, constant } kind = Kind::local;
    const Variable* variable = nullptr;  // owned by the function's body
    Variable global;
    const ModuleSymbols* module = nullptr;
    Value constant;
};

// What the names of one tree mean, at frames of one function and scope. The tree itself never
// changes; of a frame elsewhere all is found anew.
class Bindings {
  public:
    const Binding* of(const Node& name, const EvaluationContext& context);  // null: not found yet
    Binding& bind(const Node& name, Binding::Kind kind);                    // for that frame

  private:
    const Function* function_ = nullptr;
    const Scope* innermost_ = nullptr;
    std::vector<std::unique_ptr<Binding>> by_place_;
};

// Throws ExpressionError with near names for one that nothing has. What it means is kept in the
// bindings, for the next time.
Value value_of_name(const Node& node, const EvaluationContext& context, const ValueReader& reader,
                    Bindings& bindings);
// Throws ExpressionError for the first name of the tree that means nothing at the frame. Nothing is
// computed: the frame needs no registers.
void require_known_names(const Node& tree, const EvaluationContext& context);
// The function of that name with that many parameters, or the first of several; nothing if there is
// none.
std::optional<Value> function_value(Target& target, const std::string& name,
                                    std::optional<std::size_t> parameters = {});
// The method of the object's class or one of its bases, the object's own class first. `object` is
// moved to that class.
std::optional<Value> method_value(const ValueReader& reader, Value& object, const std::string& name,
                                  std::size_t arguments);

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
