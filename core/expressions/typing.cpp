#include "core/expressions/typing.h"

#include <algorithm>

#include "core/expressions/name_lookup.h"
#include "core/expressions/refusals.h"
#include "core/values/builtin_types.h"
#include "core/values/register_types.h"

namespace lantern {
namespace {

const Type* referred(const Type* type) {
    bool refers = type && plain(*type).kind == TypeKind::reference;
    return refers ? &target_of(plain(*type)) : type;
}

bool leads_somewhere(const Type& type) {
    return plain(type).kind == TypeKind::pointer || plain(type).kind == TypeKind::array;
}

// A class with virtual functions, here or in a base: an object of it may be one of a derived class.
bool may_be_of_another_class(const Type& type) {
    return std::ranges::any_of(plain(type).members(), [](const Member& member) {
        return member.name.starts_with("_vptr") ||
               (member.is_base_class && may_be_of_another_class(*member.type));
    });
}

// Its own, one of an anonymous member's or of a base's.
const Type* type_of_member(const Type& type, const std::string& name) {
    for (const Member& member : plain(type).members())
        if (member.name == name && !member.is_base_class) return member.type;
    for (const Member& member : plain(type).members())
        if (member.is_base_class || member.name.empty())
            if (const Type* found = type_of_member(*member.type, name)) return found;
    return nullptr;
}

class Typing {
  public:
    explicit Typing(const EvaluationContext& context)
        : context_(context), is_rust_(context.language() == Language::rust) {}

    const Type* of(const Node& node) const {
        switch (node.kind) {
            case NodeKind::literal: return node.is_untyped ? nullptr : node.type;
            case NodeKind::name: return referred(of_name(node));
            case NodeKind::unary: return of_unary(node);
            case NodeKind::binary: return of_binary(node);
            case NodeKind::comma: of(*node.children[0]); return of(*node.children[1]);
            case NodeKind::member: return of_member(node, of(*node.children[0]));
            case NodeKind::arrow: return of_arrow(node);
            case NodeKind::index: return of_index(node);
            case NodeKind::call: return of_call(node);
            case NodeKind::cast:
            case NodeKind::static_cast_:
            case NodeKind::reinterpret_cast_:
            case NodeKind::dynamic_cast_: of(*node.children[0]); return referred(node.type);
            case NodeKind::matches: of(*node.children[0]); return nullptr;
            case NodeKind::structure: return nullptr;
            default: return of_nothing_known(node);
        }
    }

  private:
    const Type* of_nothing_known(const Node& node) const {
        for (const auto& child : node.children)
            if (child) of(*child);
        return nullptr;
    }

    const Type* of_name(const Node& node) const {
        if (context_.self || node.text.starts_with("::")) return nullptr;
        if (context_.frame) {
            if (auto visible = find_visible(*context_.frame, node.text, node.chosen))
                return visible->variable->type;
            if (find_visible(*context_.frame, "this")) return nullptr;  // a member, perhaps
        }
        const Module* module = nullptr;
        auto global = find_global(*context_.target, context_.frame, node.text, module, node.chosen);
        return global ? global->type : nullptr;
    }

    const Type* of_unary(const Node& node) const {
        const Type* type = of(*node.children[0]);
        if (!type) return nullptr;
        if (node.op == Operator::address) return is_rust_ ? nullptr : &pointer_to(*type);
        if (node.op == Operator::dereference) return of_dereference(node, *type);
        if (!is_scalar(*type) && !is_rust_ && !leads_somewhere(*type) && !is_code(*type))
            refuse_number(node, *type);
        return nullptr;
    }

    static bool is_code(const Type& type) { return plain(type).kind == TypeKind::function; }

    const Type* of_dereference(const Node& node, const Type& type) const {
        if (is_code(type)) return &type;
        if (plain(type).kind == TypeKind::structure) return nullptr;  // an owner, perhaps
        if (!leads_somewhere(type)) refuse_dereference(node, type);
        if (plain(type).kind == TypeKind::pointer) require_target(node, type);
        return referred(&target_of(plain(type)));
    }

    // What is computed of two numbers is known when their values are; of a comparison, that it is
    // one.
    const Type* of_binary(const Node& node) const {
        of_nothing_known(node);
        bool is_truth =
            is_comparison(node.op) || node.op == Operator::both || node.op == Operator::either;
        if (!is_truth || is_rust_) return nullptr;
        return context_.language() == Language::c ? &int_type() : &bool_type();
    }

    const Type* of_member(const Node& node, const Type* object) const {
        if (!object || is_rust_ || node.children[0]->kind == NodeKind::cpu_register) return nullptr;
        const Type& type = plain(*object);
        if (type.kind != TypeKind::structure && type.kind != TypeKind::union_)
            refuse_members(node, *object);
        if (const Type* member = type_of_member(type, node.text)) return referred(member);
        bool is_sure = !type.is_incomplete && !type.is_rust && !may_be_of_another_class(type);
        bool is_static = std::ranges::any_of(
            type.table ? type.table->read_static_members(type) : std::vector<Member>{},
            [&](const Member& member) { return member.name == node.text; });
        if (is_sure && !is_static) refuse_unknown_member(node, *object);
        return nullptr;
    }

    const Type* of_arrow(const Node& node) const {
        const Type* pointer = of(*node.children[0]);
        if (!pointer || is_rust_ || plain(*pointer).kind == TypeKind::structure) return nullptr;
        if (!leads_somewhere(*pointer)) refuse_arrow(node, *pointer);
        return of_member(node, referred(&target_of(plain(*pointer))));
    }

    const Type* of_index(const Node& node) const {
        const Type *base = of(*node.children[0]), *position = of(*node.children[1]);
        if (!base || !position || is_rust_) return nullptr;
        if (plain(*base).kind == TypeKind::structure) return nullptr;
        if (leads_somewhere(*position)) std::swap(base, position);
        require_elements(node, *base);
        return referred(&target_of(plain(*base)));
    }

    // Functions are found when they are called: they may be methods of a class that is not known
    // yet, or questions to a container.
    const Type* of_call(const Node& node) const {
        const Node& callee = *node.children[0];
        bool is_method = callee.kind == NodeKind::member || callee.kind == NodeKind::arrow;
        if (is_method)
            of(*callee.children[0]);
        else if (callee.kind != NodeKind::name)
            of(callee);
        for (std::size_t i = 1; i < node.children.size(); ++i) of(*node.children[i]);
        return nullptr;
    }

    const EvaluationContext& context_;
    bool is_rust_;
};

}  // namespace

const Type* type_before_it_runs(const Node& tree, const EvaluationContext& context) {
    return Typing(context).of(tree);
}

}  // namespace lantern
