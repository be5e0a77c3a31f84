#include "core/analysis/structure_types.h"

#include <algorithm>

#include "core/analysis/structure_report.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

constexpr unsigned kDeepestType = 12;  // structures within structures

}  // namespace

bool is_pointer_type(const Type& type) {
    return type.kind == TypeKind::pointer || type.kind == TypeKind::reference;
}

bool is_followed(const Type& type) {
    if (!is_pointer_type(type)) return false;
    const Type& target = plain(target_of(type));
    return target.size != 0 && !is_character(target) && target.kind != TypeKind::function;
}

std::string title_of(const Type& type) {
    return type_text(plain(type).name.empty() ? type : plain(type));
}

bool is_list(const Type& type) {
    std::string family = family_name(plain(type).full_name());
    return family == "std::list" || family == "std::forward_list" ||
           family.ends_with("::LinkedList");
}

bool FollowedTypes::leads(const Type& given, unsigned depth) {
    const Type& type = plain(given);
    if (depth > kDeepestType) return false;
    if (is_pointer_type(type)) return is_followed(type);
    if (type.kind == TypeKind::array) return leads(target_of(type), depth + 1);
    if (type.kind != TypeKind::structure && type.kind != TypeKind::union_) return false;
    if (auto known = known_.find(&type); known != known_.end()) return known->second;
    known_[&type] = false;
    if (!as_they_lie_ && library_view(type)) return known_[&type] = leads_by_meaning(type, depth);
    auto is_leading = [&](const Member& member) {
        return member.type && !(member.is_artificial && !type.is_rust) &&
               leads(*member.type, depth + 1);
    };
    bool result = std::ranges::any_of(type.members(), is_leading) ||
                  std::ranges::any_of(type.variants(), [&](const Variant& variant) {
                      return std::ranges::any_of(variant.members, is_leading);
                  });
    return known_[&type] = result;
}

// Owners lead, texts do not, containers as their elements do.
bool FollowedTypes::leads_by_meaning(const Type& type, unsigned depth) {
    std::string family = family_name(type.full_name());
    bool is_owner = family.find("_ptr") != std::string::npos || family.ends_with("::Rc") ||
                    family.ends_with("::Arc") || family.ends_with("::Box");
    if (is_owner || is_list(type)) return true;
    bool is_text = family.find("string") != std::string::npos || family.ends_with("String") ||
                   family.ends_with("str");
    return !is_text && std::ranges::any_of(type.arguments(), [&](const TemplateArgument& argument) {
        return argument.type && leads(*argument.type, depth + 1);
    });
}

}  // namespace lantern
