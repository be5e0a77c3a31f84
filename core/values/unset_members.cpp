#include "core/values/unset_members.h"

#include <algorithm>

namespace lantern {
namespace {

constexpr unsigned kMostAsked = 100;  // each time all ways through the function are gone

const Member* member_named(const Type& type, std::string_view name) {
    for (const Member& member : type.members()) {
        bool is_plain = !member.is_virtual_base && member.offset_expression.empty() &&
                        !member.constant && !member.bit_size;
        std::string shown = member.is_base_class
                                ? readable_type_name(plain(*member.type).full_name(), false)
                                : member.name;
        if (is_plain && shown == name) return &member;
    }
    return nullptr;
}

bool is_shown_by_members(const ValueView& view, const Type& type) {
    return type.kind == TypeKind::structure && view.arrangement == Arrangement::fields &&
           view.text.empty() && view.unavailable.empty();
}

class Marking {
  public:
    Marking(const AssignmentAnalysis& assignment, const Scope& scope)
        : assignment_(assignment), scope_(scope) {}

    // What is said of the whole is not said of each part again.
    void mark(ValueView& view, const PartOfVariable& whole) {
        if (!is_shown_by_members(view, *whole.type)) return;
        for (ValueView& child : view.children) {
            const Member* member = member_named(*whole.type, child.name);
            if (!member || asked_++ >= kMostAsked) continue;
            PartOfVariable part{whole.variable, &plain(*member->type),
                                whole.offset + member->offset};
            child.assignment = assignment_.of_part(part, scope_);
            if (child.assignment == view.assignment && view.assignment == Assignment::on_some_paths)
                child.assignment = Assignment::unknown;
            if (is_unset(child.assignment))
                child.broken.clear();
            else
                mark(child, part);
        }
    }

  private:
    const AssignmentAnalysis& assignment_;
    const Scope& scope_;
    unsigned asked_ = 0;
};

}  // namespace

void mark_unset_members(ValueView& view, const AssignmentAnalysis& assignment,
                        const PartOfVariable& shown, const Scope& declared_in) {
    // A parameter's members are the caller's business: of one that came in registers, optimised
    // code stores what it needs.
    if (is_unset(view.assignment) || shown.variable->is_parameter) return;
    Marking(assignment, declared_in).mark(view, shown);
}

std::string_view remark_on_assignment(Assignment assignment) {
    switch (assignment) {
        case Assignment::not_yet: return "not set yet: nothing on the way here assigns it";
        case Assignment::not_stored:
            return "not stored yet: no instruction on the way here writes it";
        case Assignment::on_some_paths:
            return "perhaps not set: only some of the ways here assign it";
        default: return {};
    }
}

std::optional<PartOfVariable> part_named(const Variable& variable, std::string_view path) {
    PartOfVariable part = whole_of(variable);
    while (!path.empty()) {
        std::size_t dot = std::min(path.find('.'), path.size());
        const Member* member = part.type->kind == TypeKind::structure
                                   ? member_named(*part.type, path.substr(0, dot))
                                   : nullptr;
        if (!member) return std::nullopt;
        part = {&variable, &plain(*member->type), part.offset + member->offset};
        path.remove_prefix(std::min(dot + 1, path.size()));
    }
    return part;
}

}  // namespace lantern
