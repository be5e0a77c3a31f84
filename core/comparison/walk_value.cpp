#include "core/comparison/walk_value.h"

#include <algorithm>
#include <bit>
#include <cctype>

#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/value_view.h"

namespace lantern {
namespace {

constexpr std::size_t kLongestWalkText = 200;  // bytes of a string that are compared
constexpr ViewLimits kLimits{
    .children = 24, .depth = 3, .text = kLongestWalkText, .nodes = 120, .first = 0, .raw = false};

WalkValue text_value(std::string text, Walk& walk) {
    WalkValue result;
    result.kind = WalkValue::Kind::text;
    result.text = static_cast<std::uint32_t>(walk.texts.size());
    walk.texts.push_back(std::move(text));
    return result;
}

bool has_no_order(const std::string& type) {
    return type.find("unordered_") != std::string::npos || type.find("Hash") != std::string::npos;
}

const Type* type_of_child(const Type* type, const ValueView& view, const std::string& name) {
    if (!type || view.arrangement != Arrangement::fields) return nullptr;
    for (const Member& member : type->members())
        if (member.name == name) return &plain(*member.type);
    return nullptr;
}

// `type`: null where it is not known.
std::string written(const ValueView& view, const Type* type) {
    if (!view.unavailable.empty()) return "?";
    // Which of its members is meant is not known; as another one it may be part of an address.
    if (type && type->kind == TypeKind::union_) return "?";
    std::string text = without_addresses(view.text);
    // What is remarked of a pointer rests on what lies there: of an unset one, on anything.
    constexpr std::string_view kAddress = "an address";
    bool is_pointer_to_text = text.starts_with(std::string(kAddress) + " \"");
    if (text.starts_with(kAddress) && !is_pointer_to_text) return std::string(kAddress);
    if (!view.has_children()) return text;
    std::vector<std::string> parts;
    for (const ValueView& child : view.children) {
        std::string part = view.is_list() ? "" : child.name + " = ";
        parts.push_back(part + written(child, type_of_child(type, view, child.name)));
    }
    if (has_no_order(type ? type->full_name() : view.type)) std::ranges::sort(parts);
    text += text.empty() ? "{" : " {";
    for (std::size_t i = 0; i < parts.size(); ++i) text += (i ? ", " : "") + parts[i];
    return text + (view.more ? ", …}" : "}");
}

bool is_letter(const Type& type) {
    return type.kind == TypeKind::character || (type.kind == TypeKind::integer && type.size == 1);
}

bool is_constant(const Type& type) {
    for (const Type* each = &type; each; each = each->target) {
        if (each->kind == TypeKind::qualified && each->qualifier.find("const") != std::string::npos)
            return true;
        if (each->kind != TypeKind::qualified && each->kind != TypeKind::alias) return false;
    }
    return false;
}

// What is behind a pointer may be meant to be filled by the function; what it may only read is
// there already.
WalkValue pointer_value(const ValueReader& reader, const Value& value, const Type& type,
                        Walk& walk) {
    std::uint64_t bits = reader.integer(value);
    const Type& target = type.target ? plain(*type.target) : void_type();
    WalkValue result;
    result.kind = WalkValue::Kind::address;
    result.bits = bits;
    bool may_be_read = type.target && (is_constant(*type.target) || type.name.starts_with("&"));
    if (!bits || !may_be_read) return result;
    if (type.kind == TypeKind::pointer && is_letter(target) && !type.is_rust) {
        auto text = reader.text_at(RunAddress(bits), kLongestWalkText);
        if (text.readable && text.ended)
            result = text_value("\"" + escape_for_display(text.bytes) + "\"", walk);
    } else if (target.kind == TypeKind::structure || type.kind == TypeKind::reference) {
        Value there = reader.dereference(value);
        result = walk_value(reader, there, walk);
    }
    result.is_read_through = true;
    return result;
}

}  // namespace

std::string without_addresses(const std::string& text) {
    constexpr std::size_t kFewestDigits = 5;
    std::string result;
    for (std::size_t at = 0; at < text.size();) {
        if (text.compare(at, 2, "0x") == 0) {
            std::size_t end = at + 2;
            while (end < text.size() && std::isxdigit(static_cast<unsigned char>(text[end]))) ++end;
            if (end - at - 2 >= kFewestDigits) {
                result += "an address";
                at = end;
                continue;
            }
        }
        result += text[at++];
    }
    return result;
}

WalkValue walk_value(const ValueReader& reader, const Value& value, Walk& walk) {
    WalkValue result;
    if (!value.is_available() || !value.gaps.empty() || value.removed_target) return result;
    const Type& type = plain(*value.type);
    try {
        switch (type.kind) {
            case TypeKind::boolean:
            case TypeKind::integer:
            case TypeKind::character:
            case TypeKind::enumeration:
                if (type.size > 8) break;
                result.bits = reader.integer(value);
                result.is_signed = type.is_signed;
                result.kind = WalkValue::Kind::number;
                return result;
            case TypeKind::floating:
                result.bits =
                    std::bit_cast<std::uint64_t>(static_cast<double>(reader.floating(value)));
                result.kind = WalkValue::Kind::real;
                return result;
            case TypeKind::pointer:
            case TypeKind::reference: return pointer_value(reader, value, type, walk);
            case TypeKind::nothing:
            case TypeKind::function:
            case TypeKind::unknown: return result;
            default: break;
        }
        ValueView view = make_view(reader, "", value, Form::natural, kLimits);
        if (!view.unavailable.empty() || !view.broken.empty()) return result;
        return text_value(written(view, &type), walk);
    } catch (const Error&) {
        return WalkValue{};
    }
}

}  // namespace lantern
