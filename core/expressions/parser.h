// The reader of expressions: a descent by how strongly operators bind (C17 §6.5).
#pragma once

#include "core/expressions/type_reader.h"

namespace lantern {

using NodePtr = std::unique_ptr<Node>;

constexpr int kDeepestNesting = 200;

class Parser : private TypeReader {
  public:
    using TypeReader::TypeReader;

    // The whole text. Throws ExpressionError.
    std::unique_ptr<Node> run();

  private:
    NodePtr make(NodeKind kind, unsigned column, std::string text = {});
    template <class... Children>
    NodePtr with(NodePtr node, Children... children) {
        (node->children.push_back(std::move(children)), ...);
        return node;
    }

    // ---- operators

    NodePtr comma();
    NodePtr conditional();
    NodePtr binary(int strength);
    NodePtr unary();
    NodePtr unary_inner();
    NodePtr unary_node(Operator op, unsigned column);
    NodePtr size_of(NodeKind of_value, NodeKind of_type);

    // ---- operands

    NodePtr primary();
    NodePtr literal();
    void rust_literal(const Token& token, Node& node);
    NodePtr text();
    static const Type& integer_type(const Token& token);
    static const Type& floating_type(const Token& token);
    const Type& character_type(const std::string& prefix, bool is_constant) const;
    NodePtr named();

    // ---- Rust's structures and patterns

    static std::string_view last_part(std::string_view name);
    NodePtr matches();
    NodePtr structure(bool is_pattern);
    NodePtr field(bool is_pattern);
    NodePtr alternatives();
    NodePtr pattern();
    NodePtr pattern_inner();
    NodePtr range_pattern(NodePtr start, unsigned column);
    NodePtr fields_in_brackets(NodePtr node);
    NodePtr named_cast(NodeKind kind);
    NodePtr functional_cast(const Type& type, unsigned column);
    void read_choice(Node& node);
    NodePtr postfix(NodePtr node);
    NodePtr subscript(NodePtr node, unsigned column);

    int depth_ = 0;
    unsigned nodes_ = 0, names_met_ = 0;
};

}  // namespace lantern
