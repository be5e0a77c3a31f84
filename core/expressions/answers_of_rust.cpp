// Answers of Rust's enums, and of what Rust asks in its own way.
#include <fmt/format.h>

#include <algorithm>

#include "core/expressions/asked.h"
#include "core/expressions/cases.h"
#include "core/expressions/container_operators.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/active_variant.h"

namespace lantern::answers {

std::optional<std::string> case_of(const Asked& asked) {
    auto variant = active_variant(asked.reader, asked.object);
    return variant ? std::optional(variant->name) : std::nullopt;
}

std::optional<Value> content_of_case(const Asked& asked,
                                     std::initializer_list<std::string_view> wanted) {
    auto variant = active_variant(asked.reader, asked.object);
    if (!variant || std::ranges::find(wanted, variant->name) == wanted.end()) return std::nullopt;
    return asked.reader.member_named(variant->content, "__0");
}

std::optional<Value> unwrapped(const Asked& asked) {
    auto found = case_of(asked);
    if (!found) return std::nullopt;
    if (*found == "None" || *found == "Err")
        throw RequestError(fmt::format("it is {}", *found), Next::show_whole_value);
    return content_of_case(asked, {"Some", "Ok"});
}

std::optional<Value> unwrapped_error(const Asked& asked) {
    return content_of_case(asked, {"Err"});
}

std::optional<Value> unwrapped_or(const Asked& asked) {
    auto found = case_of(asked);
    if (found == "None" || found == "Err") return asked.arguments[0];
    return content_of_case(asked, {"Some", "Ok"});
}

Value some(const Asked& asked, const Value& content) {
    return case_value(asked.reader, "Option", "Some", {{"__0", content}});
}
Value none(const Asked& asked) {
    return case_value(asked.reader, "Option", "None", {});
}

std::optional<Value> perhaps_end(const Asked& asked, bool last) {
    auto count = number_of_parts(asked);
    if (!count) return std::nullopt;
    if (*count == 0) return none(asked);
    auto element = element_number(asked, last ? *count - 1 : 0);
    return element ? std::optional(some(asked, *element)) : std::nullopt;
}

std::optional<Value> perhaps_first(const Asked& asked) {
    return perhaps_end(asked, false);
}
std::optional<Value> perhaps_last(const Asked& asked) {
    return perhaps_end(asked, true);
}

std::optional<Value> perhaps_at(const Asked& asked) {
    auto count = number_of_parts(asked);
    if (!count) return std::nullopt;
    auto meaning = parts_of(asked);
    if (meaning && meaning->arrangement == Arrangement::pairs) {
        auto part = part_like(asked, *meaning);
        return part ? some(asked, part->value) : none(asked);
    }
    std::uint64_t index = asked.reader.integer(asked.arguments[0]);
    if (index >= *count) return none(asked);
    auto element = element_number(asked, index);
    return element ? std::optional(some(asked, *element)) : std::nullopt;
}

std::optional<Value> itself(const Asked& asked) {
    const Type& type = plain(*asked.object.type);
    bool is_known = library_view(type) || type.kind == TypeKind::array || case_of(asked);
    return is_known ? std::optional(asked.object) : std::nullopt;
}

std::optional<Value> own_text(const Asked& asked) {
    return text_content(asked.reader, asked.object) ? std::optional(asked.object) : std::nullopt;
}

}  // namespace lantern::answers
