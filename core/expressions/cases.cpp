#include "core/expressions/cases.h"

#include <fmt/format.h>

#include "core/expressions/container_operators.h"
#include "core/expressions/scope_names.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/active_variant.h"
#include "core/values/builtin_types.h"

namespace lantern {
namespace {

std::string last_part(const std::string& name) {
    std::size_t at = name.rfind("::");
    return at == std::string::npos ? name : name.substr(at + 2);
}

std::string enum_part(const std::string& name) {
    std::size_t at = name.rfind("::");
    return at == std::string::npos ? "" : name.substr(0, at);
}

std::string enum_of_the_language(std::string_view name) {
    if (name == "Some" || name == "None") return "Option";
    return name == "Ok" || name == "Err" ? "Result" : "";
}

Value structure_value(const ValueReader& reader, const std::string& name, const Fields& fields) {
    std::vector<std::pair<std::string, const Type*>> members;
    std::vector<std::byte> bytes;
    for (const auto& [field, value] : fields) {
        members.emplace_back(field, value.type);
        auto content = reader.content(value);
        bytes.insert(bytes.end(), content.begin(), content.end());
    }
    return value_of_bytes(rust_structure_of(name, members), bytes);
}

std::vector<std::string> variant_names(const Type& type) {
    std::vector<std::string> names;
    for (const Variant& variant : type.variants()) names.push_back(variant.name);
    for (const Enumerator& each : type.enumerators) names.push_back(last_part(each.name));
    return names;
}

[[noreturn]] void no_such_variant(const Type& type, const std::string& name, unsigned column) {
    throw ExpressionError(fmt::format("{} has no variant {}", type_text(type), name), column,
                          fmt::format("it has {}", join_with(variant_names(type), "and")));
}

bool has_variant(const Type& type, const std::string& name) {
    auto names = variant_names(type);
    return std::ranges::find(names, name) != names.end();
}

// What a pattern looks at: behind references.
Value behind_references(const ValueReader& reader, Value value) {
    auto leads_on = [](const Type& type) {
        return is_rust_reference(type) || (type.kind == TypeKind::pointer && type.name.empty());
    };  // and &barge, as it was typed
    for (unsigned depth = 0; depth < 8 && value.is_available() && leads_on(plain(*value.type));
         ++depth)
        value = reader.dereference(value);
    return value;
}

class Fitting {
  public:
    Fitting(const ValueReader& reader, const std::function<Value(const Node&)>& compute)
        : reader_(reader), compute_(compute) {}

    bool fits(const Value& given, const Node& pattern) const {
        Value value = behind_references(reader_, given);
        switch (pattern.kind) {
            case NodeKind::anything:
            case NodeKind::rest: return true;
            case NodeKind::alternatives:
                return std::ranges::any_of(pattern.children,
                                           [&](const auto& each) { return fits(value, *each); });
            case NodeKind::unary:
                if (pattern.op == Operator::address) return fits(value, *pattern.children[0]);
                return is_equal(value, pattern);
            case NodeKind::range: return lies_within(value, pattern);
            case NodeKind::name: return fits_name(value, pattern);
            case NodeKind::structure: return fits_case(value, pattern.text, pattern);
            default: return is_equal(value, pattern);
        }
    }

  private:
    bool is_equal(const Value& value, const Node& pattern) const {
        auto alike = are_alike(reader_, value, compute_(pattern), 1);
        if (!alike)
            throw ExpressionError(
                fmt::format("{} cannot be compared with this pattern", type_text(*value.type)),
                pattern.column);
        return *alike;
    }

    bool lies_within(const Value& value, const Node& range) const {
        if (!is_scalar(*value.type))
            throw ExpressionError("a range is a pattern for numbers", range.column);
        long double number = as_number(value);
        if (range.children[0] && number < as_number(compute_(*range.children[0]))) return false;
        if (!range.children[1]) return true;
        long double end = as_number(compute_(*range.children[1]));
        return range.is_inclusive ? number <= end : number < end;
    }
    long double as_number(const Value& value) const {
        if (plain(*value.type).kind == TypeKind::floating) return reader_.floating(value);
        Wide number = reader_.wide(value);
        return plain(*value.type).is_signed
                   ? static_cast<long double>(static_cast<SignedWide>(number))
                   : static_cast<long double>(number);
    }

    // A name is a variant or a constant; any other takes whatever stands there.
    bool fits_name(const Value& value, const Node& pattern) const {
        const Type& type = plain(*value.type);
        bool is_enum = !type.variants().empty();
        if (is_enum && is_written_as_case(last_part(pattern.text)))
            return fits_case(value, pattern.text, pattern);
        if (!is_written_as_case(last_part(pattern.text))) return true;
        return is_equal(value, pattern);
    }

    bool fits_case(const Value& value, const std::string& name, const Node& pattern) const {
        const Type& type = plain(*value.type);
        std::string wanted = last_part(name);
        Value content = value;
        if (auto variant = active_variant(reader_, value)) {
            if (!has_variant(type, wanted)) no_such_variant(type, wanted, pattern.column);
            if (variant->name != wanted) return false;
            content = variant->content;
        } else if (!wanted.empty() &&
                   last_part(type.full_name().substr(0, type.full_name().find('<'))) != wanted) {
            throw ExpressionError(fmt::format("the value is {}, which no pattern {} fits",
                                              type_text(*value.type), name),
                                  pattern.column);
        }
        return fits_fields(content, pattern);
    }

    // Those before ".." stand at the start, those after it at the end.
    bool fits_fields(const Value& content, const Node& pattern) const {
        std::size_t members = plain(*content.type).members().size(),
                    given = pattern.children.size();
        bool has_rest = std::ranges::any_of(
            pattern.children, [](const auto& each) { return each->kind == NodeKind::rest; });
        if (!has_rest && !pattern.children.empty() && given != members)
            throw ExpressionError(fmt::format("the pattern names {} and there are {}",
                                              counted(given, "field"), members),
                                  pattern.column, "'..' stands for the others");
        bool after_rest = false;
        for (std::size_t i = 0; i < given; ++i) {
            const Node& field = *pattern.children[i];
            if (field.kind == NodeKind::rest) {
                after_rest = true;
                continue;
            }
            std::size_t number = after_rest ? members + i - given : i;
            std::string name = field.field.empty() ? fmt::format("__{}", number) : field.field;
            auto member = reader_.member_named(content, name);
            if (!member)
                throw ExpressionError(fmt::format("{} has no field {}", type_text(*content.type),
                                                  name.starts_with("__") ? name.substr(2) : name),
                                      field.column);
            if (!fits(*member, field)) return false;
        }
        return true;
    }

    const ValueReader& reader_;
    const std::function<Value(const Node&)>& compute_;
};

}  // namespace

Value case_value(const ValueReader& reader, const std::string& its_enum, const std::string& name,
                 const Fields& fields) {
    Value made = structure_value(reader, name, fields);
    made.type = &rust_enum_of(its_enum, name, *made.type);
    return made;
}

bool is_written_as_case(std::string_view name) {
    std::size_t at = name.rfind("::");
    if (at != std::string_view::npos) name.remove_prefix(at + 2);
    return !name.empty() && std::isupper(static_cast<unsigned char>(name.front()));
}

std::optional<Value> case_called(const ValueReader& reader, const std::string& name,
                                 const Fields& fields, unsigned column) {
    if (!is_written_as_case(name)) return std::nullopt;
    std::string variant = last_part(name), holder = enum_part(name);
    if (std::string known = enum_of_the_language(variant);
        !known.empty() && (holder.empty() || last_part(holder) == known))
        return case_value(reader, known, variant, fields);
    const Type* type = holder.empty() ? nullptr : find_type(reader.target(), holder);
    if (type && !plain(*type).variants().empty()) {
        if (!has_variant(plain(*type), variant)) no_such_variant(*type, variant, column);
        return case_value(reader, plain(*type).full_name(), variant, fields);
    }
    const Type* structure = find_type(reader.target(), name);
    if (!structure || plain(*structure).kind != TypeKind::structure ||
        !plain(*structure).variants().empty())
        return std::nullopt;
    return structure_value(reader, plain(*structure).full_name(), fields);
}

bool fits_pattern(const ValueReader& reader, const Value& value, const Node& pattern,
                  const std::function<Value(const Node&)>& compute) {
    return Fitting(reader, compute).fits(value, pattern);
}

}  // namespace lantern
