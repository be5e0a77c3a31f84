// One evaluation: it goes through the tree and computes each part, on the target of its context.
#pragma once

#include "core/expressions/cases.h"
#include "core/expressions/evaluator.h"
#include "core/expressions/name_lookup.h"
#include "core/support/advice.h"
#include "core/values/value.h"

namespace lantern {

class Evaluation {
  public:
    // All are borrowed; the bindings are of the tree that is evaluated.
    Evaluation(const EvaluationContext& context, Bindings& bindings)
        : context_(context),
          bindings_(bindings),
          reader_(*context.target),
          language_(context.language()) {}

    // Throws ExpressionError with the column of the part that it is about.
    Value value(const Node& node);
    // References stand for what they refer to.
    Value operand(const Node& node);

  private:
    [[noreturn]] static void fail(const Node& node, const std::string& what, Advice advice = {});
    Value referred(Value value) const;
    Value compute(const Node& node);
    static const Type& referred_type(const Type& type);
    Value number_of_bytes(std::uint64_t count);
    Value size_of(const Node& node, const Type& type);

    // ---- operands

    static Value literal(const Node& node, const Type& type);
    static Value text(const Node& node);
    Value cpu_register(const Node& node);
    Value result(const Node& node);

    // ---- pointers and members

    Value unary(const Node& node);
    Value dereferenced(const Node& node, const Node& inner, const Value& pointer);
    void refuse_null(const Node& node, const Value& pointer);
    Value address_of(const Node& node, const Value& operand);
    Value arrow(const Node& node);
    Value looked_through(const Node& node, Value structure);
    Value member_of(const Node& node, Value structure);
    std::optional<Value> member_somewhere(const Value& structure, const std::string& name);
    Value through_member_pointer(const Node& node);
    Value indexable(Value base);
    Value index(const Node& node);
    Value range(const Node& node);
    Value as_slice(Value part) const;

    // ---- calls and casts

    Value call(const Node& node);
    std::optional<Value> answered_by_view(const Node& callee, const std::vector<Value>& arguments);
    bool has_callable_member(const Value& object, const std::string& name);
    static Fields in_order(const std::vector<Value>& values);
    Value structure(const Node& node);
    Value matches(const Node& node);
    Value as_parameter(const Node& node, const Value& argument, const Type& parameter);
    Value named_function(const Node& callee, std::size_t arguments);
    Value method(const Node& callee, std::vector<Value>& arguments);

    template <class Convert>
    Value cast(const Node& node, Convert convert) {
        Value value = operand(*node.children[0]);
        if (plain(*node.type).kind == TypeKind::nothing) fail(node, "void has no value");
        require_available(node, value);
        return convert(reader_, value, *node.type, node.column);
    }

    Value unevaluated(const Node& node);
    Value conditional(const Node& node);

    // ---- arithmetic

    static bool is_arithmetic(const Value& value);
    static void require_available(const Node& node, const Value& value);
    void require_number(const Node& node, const Value& operand);
    void open_wrappings(Value& value);
    Value binary(const Node& node);
    std::optional<Value> with_literal(const Node& node, const Value& left);
    static void take_type_of_other(const Node& node, Value& literal_value, const Value& other);
    std::optional<bool> alike_by_meaning(const Node& node, const Value& left, const Value& right);
    Value number_operand(const Node& node);

    const EvaluationContext& context_;
    Bindings& bindings_;
    ValueReader reader_;
    Language language_;
    unsigned unevaluated_ = 0;  // not 0: only types are asked for
};

}  // namespace lantern
