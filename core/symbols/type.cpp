#include "core/symbols/type.h"

#include <fmt/format.h>

#include <map>

#include "core/symbols/type_table.h"

namespace lantern {

struct DerivedTypes::Kept {
    std::map<Recipe, Type, std::less<>> types;
};

DerivedTypes::DerivedTypes() = default;
DerivedTypes::~DerivedTypes() = default;
DerivedTypes::DerivedTypes(const DerivedTypes&) {}

const Type* DerivedTypes::find(const Recipe& recipe) const {
    if (!kept_) return nullptr;
    auto found = kept_->types.find(recipe);
    return found == kept_->types.end() ? nullptr : &found->second;
}

const Type& DerivedTypes::keep(const Recipe& recipe, Type type) {
    if (!kept_) kept_ = std::make_unique<Kept>();
    return kept_->types.emplace(recipe, std::move(type)).first->second;
}

const std::vector<Member>& Type::members() const {
    if (!read_members) {
        read_members
            .emplace();  // before reading: a damaged file may make a type a member of itself
        if (table) read_members = table->read_members(*this);
    }
    return *read_members;
}

namespace {

template <class Kept, class Read>
const Kept& read_once(std::optional<Kept>& slot, const TypeTable* table, Read read) {
    if (!slot) {
        slot.emplace();
        if (table) slot = read(*table);
    }
    return *slot;
}

}  // namespace

const std::vector<TemplateArgument>& Type::arguments() const {
    return read_once(read_arguments, table,
                     [&](const TypeTable& t) { return t.read_arguments(*this); });
}

const std::vector<Variant>& Type::variants() const {
    return read_once(read_variants, table,
                     [&](const TypeTable& t) { return t.read_variants(*this); });
}

const std::optional<Member>& Type::discriminant() const {
    return read_once(read_discriminant, table,
                     [&](const TypeTable& t) { return t.read_discriminant(*this); });
}

bool Type::is_passed_by_reference() const {
    return read_once(read_by_reference, table,
                     [&](const TypeTable& t) { return t.read_passed_by_reference(*this); });
}

const std::string& Type::full_name() const {
    if (!read_full_name) read_full_name = name.empty() || !table ? name : table->full_name(*this);
    return *read_full_name;
}

const Type& void_type() {
    static const Type type = [] {
        Type made;
        made.kind = TypeKind::nothing;
        made.name = "void";
        return made;
    }();
    return type;
}

const Type& target_of(const Type& type) {
    return type.target ? *type.target : void_type();
}

const Type& behind_names(const Type& type) {
    const Type* current = &type;
    for (int steps = 0; steps < 100; ++steps) {
        if (current->kind != TypeKind::alias && current->kind != TypeKind::qualified)
            return *current;
        current = &target_of(*current);
    }
    return void_type();  // a chain that goes in a circle
}

namespace {

// C declarations are read from the inside out: `inner` is what stands where the name would be.
std::string declaration(const Type& type, std::string inner, int depth) {
    if (depth > 50) return "…";
    auto spaced = [&](const std::string& base) {
        return inner.empty() ? base : base + " " + inner;
    };
    switch (type.kind) {
        case TypeKind::qualified:
            if (target_of(type).kind == TypeKind::qualified &&
                target_of(type).qualifier == type.qualifier)
                return declaration(target_of(type), std::move(inner), depth + 1);
            if (target_of(type).kind == TypeKind::pointer)
                return declaration(target_of(type),
                                   inner.empty() ? type.qualifier : type.qualifier + " " + inner,
                                   depth + 1);
            return type.qualifier + " " + declaration(target_of(type), std::move(inner), depth + 1);
        case TypeKind::pointer:
        case TypeKind::reference: {
            // Rust names its pointers and references themselves.
            if (type.is_rust && !type.name.empty())
                return spaced(readable_type_name(type.name, true));
            std::string mark = type.kind == TypeKind::pointer ? "*" : type.is_rvalue ? "&&" : "&";
            const Type& target = target_of(type);
            bool needs_brackets =
                target.kind == TypeKind::array || target.kind == TypeKind::function;
            std::string next = mark + inner;
            return declaration(target, needs_brackets ? "(" + next + ")" : next, depth + 1);
        }
        case TypeKind::member_pointer: {
            std::string mark =
                (type.holder ? readable_type_name(type.holder->full_name(), false) : "") + "::*" +
                inner;
            bool is_method = target_of(type).kind == TypeKind::function;
            return declaration(target_of(type), is_method ? "(" + mark + ")" : mark, depth + 1);
        }
        case TypeKind::array:
            return declaration(
                target_of(type),
                fmt::format("{}[{}]", inner, type.count ? std::to_string(*type.count) : ""),
                depth + 1);
        case TypeKind::function: {
            std::string parameters;
            for (const Type* parameter : type.parameters)
                parameters +=
                    (parameters.empty() ? "" : ", ") + declaration(*parameter, "", depth + 1);
            if (type.is_variadic) parameters += parameters.empty() ? "..." : ", ...";
            return declaration(
                target_of(type),
                fmt::format("{}({})", inner, parameters.empty() ? "void" : parameters), depth + 1);
        }
        case TypeKind::structure:
        case TypeKind::union_:
        case TypeKind::enumeration: {
            const char* word = type.kind == TypeKind::structure ? "struct"
                               : type.kind == TypeKind::union_  ? "union"
                                                                : "enum";
            return spaced(type.name.empty() ? fmt::format("{} (unnamed)", word)
                                            : readable_type_name(type.full_name(), type.is_rust));
        }
        case TypeKind::alias: return spaced(readable_type_name(type.full_name(), type.is_rust));
        default: return spaced(type.name.empty() ? "(unnamed)" : type.name);
    }
}

}  // namespace

std::string type_text(const Type& type) {
    std::string text = declaration(type, "", 0);
    // "int[4]" reads better as "int [4]"
    if (std::size_t at = text.find('['); at != std::string::npos && at > 0 && text[at - 1] != ' ' &&
                                         text[at - 1] != '*' && text[at - 1] != ')' &&
                                         text[at - 1] != ']')
        text.insert(at, " ");
    return text;
}

bool is_scalar(const Type& type) {
    switch (plain(type).kind) {
        case TypeKind::boolean:
        case TypeKind::integer:
        case TypeKind::character:
        case TypeKind::floating:
        case TypeKind::pointer:
        case TypeKind::reference:
        case TypeKind::enumeration: return true;
        default: return false;
    }
}

bool is_character(const Type& type) {
    const Type& base = plain(type);
    return base.kind == TypeKind::character && base.size == 1;
}

bool is_wide_letter(const Type& type) {
    constexpr int kLongestChain = 12;
    const Type* each = &type;
    for (int hops = 0; hops < kLongestChain; ++hops) {
        if (each->kind == TypeKind::alias &&
            (each->name == "wchar_t" || each->name == "char16_t" || each->name == "char32_t"))
            return plain(*each).size > 1;
        if (each->kind != TypeKind::alias && each->kind != TypeKind::qualified) break;
        each = &target_of(*each);
    }
    return each->kind == TypeKind::character && each->is_text && each->size > 1;
}

bool is_character_array(const Type& type) {
    const Type& base = plain(type);
    return base.kind == TypeKind::array && is_character(target_of(base));
}

bool is_aggregate(const Type& type) {
    TypeKind kind = plain(type).kind;
    return kind == TypeKind::structure || kind == TypeKind::union_ || kind == TypeKind::array;
}

}  // namespace lantern
