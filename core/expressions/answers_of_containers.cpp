// Answers of containers, texts and owners.
#include <fmt/format.h>

#include <algorithm>

#include "core/expressions/asked.h"
#include "core/expressions/cases.h"
#include "core/expressions/container_operators.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/active_variant.h"

namespace lantern::answers {

// ---- how much, and which

std::optional<std::uint64_t> number_of_parts(const Asked& asked) {
    if (plain(*asked.object.type).kind == TypeKind::array && asked.is_rust())
        return plain(*asked.object.type).count;
    auto meaning = asked.meaning();
    bool is_one_value = meaning && (meaning->arrangement == Arrangement::target ||
                                    meaning->arrangement == Arrangement::tuple);
    return is_one_value ? std::nullopt : count_of(asked.reader, asked.object);
}

std::optional<Value> size(const Asked& asked) {
    auto count = number_of_parts(asked);
    return count ? std::optional(asked.number(*count)) : std::nullopt;
}

std::optional<Value> is_empty(const Asked& asked) {
    auto count = number_of_parts(asked);
    return count ? std::optional(asked.truth(*count == 0)) : std::nullopt;
}

std::optional<Value> element_number(const Asked& asked, std::uint64_t index) {
    if (plain(*asked.object.type).kind == TypeKind::array)
        return asked.reader.element(asked.object, static_cast<std::int64_t>(index));
    return element_of(asked.reader, asked.object, asked.number(index));
}

std::optional<Value> end_element(const Asked& asked, bool last) {
    auto count = number_of_parts(asked);
    if (!count) return std::nullopt;
    if (*count == 0) throw RequestError("it is empty", "ask .size() first");
    return element_number(asked, last ? *count - 1 : 0);
}

std::optional<Value> front(const Asked& asked) {
    return end_element(asked, false);
}
std::optional<Value> back(const Asked& asked) {
    return end_element(asked, true);
}
// A stack's newest is its last element, a heap's greatest its first.
std::optional<Value> top(const Asked& asked) {
    return asked.family() == "std::stack"            ? back(asked)
           : asked.family() == "std::priority_queue" ? front(asked)
                                                     : std::nullopt;
}

std::optional<Value> at(const Asked& asked) {
    return element_of(asked.reader, asked.object, asked.arguments[0]);
}

// ---- by key or content

// Nothing for what has no parts that could be looked for.
std::optional<Meaning> parts_of(const Asked& asked) {
    auto meaning = asked.meaning();
    for (unsigned depth = 0; meaning && meaning->alone && depth < 4; ++depth) {
        const LibraryView* inner = library_view(*meaning->alone->type);
        if (!inner) return std::nullopt;
        meaning = inner->meaning(asked.reader, Value(*meaning->alone));
    }
    bool has_parts = meaning && (meaning->arrangement == Arrangement::elements ||
                                 meaning->arrangement == Arrangement::pairs);
    return has_parts && !meaning->content ? std::move(meaning) : std::nullopt;
}

std::optional<Part> part_like(const Asked& asked, Meaning& meaning) {
    const ValueReader& reader = asked.reader;
    const Value& wanted = asked.arguments[0];
    require_plain_keys(asked.object);
    while (auto part = meaning.next ? meaning.next() : std::nullopt)
        if (are_alike(reader, part->key ? *part->key : part->value, wanted, 1).value_or(false))
            return part;
    return std::nullopt;
}

std::optional<Value> count(const Asked& asked) {
    auto meaning = parts_of(asked);
    if (!meaning) return std::nullopt;
    std::uint64_t found = 0;
    while (part_like(asked, *meaning)) ++found;
    return asked.number(found);
}

std::optional<Value> contains(const Asked& asked) {
    if (auto text = text_content(asked.reader, asked.object)) {
        auto wanted = text_content(asked.reader, asked.arguments[0]);
        return wanted ? std::optional(asked.truth(text->find(*wanted) != std::string::npos))
                      : std::nullopt;
    }
    if (plain(*asked.object.type).kind == TypeKind::array) {
        for (std::uint64_t i = 0; i < plain(*asked.object.type).count.value_or(0); ++i)
            if (are_alike(asked.reader,
                          asked.reader.element(asked.object, static_cast<std::int64_t>(i)),
                          asked.arguments[0], 1)
                    .value_or(false))
                return asked.truth(true);
        return asked.truth(false);
    }
    auto meaning = parts_of(asked);
    return meaning ? std::optional(asked.truth(part_like(asked, *meaning).has_value()))
                   : std::nullopt;
}

Value pointer_at(const Value& place) {
    return value_of_integer(pointer_to(*place.type), place.address ? place.address->value : 0);
}

// In a text the position, in a container a pointer to the element; a null pointer, as end() is,
// where there is none.
std::optional<Value> find(const Asked& asked) {
    if (auto text = text_content(asked.reader, asked.object)) {
        auto wanted = text_content(asked.reader, asked.arguments[0]);
        if (!wanted && plain(*asked.arguments[0].type).kind == TypeKind::character)
            wanted = std::string(1, static_cast<char>(asked.reader.integer(asked.arguments[0])));
        return wanted ? std::optional(asked.number(text->find(*wanted))) : std::nullopt;
    }
    auto meaning = parts_of(asked);
    if (!meaning) return std::nullopt;
    auto part = part_like(asked, *meaning);
    if (!part) return value_of_integer(pointer_to(void_type()), 0);
    return pointer_at(part->pair ? *part->pair : part->value);
}

std::optional<Value> begins_with(const Asked& asked) {
    auto text = text_content(asked.reader, asked.object),
         wanted = text_content(asked.reader, asked.arguments[0]);
    return text && wanted ? std::optional(asked.truth(text->starts_with(*wanted))) : std::nullopt;
}

std::optional<Value> ends_with(const Asked& asked) {
    auto text = text_content(asked.reader, asked.object),
         wanted = text_content(asked.reader, asked.arguments[0]);
    return text && wanted ? std::optional(asked.truth(text->ends_with(*wanted))) : std::nullopt;
}

// ---- iterators and owners of C++

bool lies_in_one_piece(const Asked& asked) {
    std::string family = asked.family();
    return family == "std::vector" || family == "std::array" || family == "std::span" ||
           family == "std::basic_string" || family == "std::basic_string_view";
}

std::optional<Value> first_place(const Asked& asked) {
    auto count = number_of_parts(asked);
    if (!count) return std::nullopt;
    if (*count == 0) return value_of_integer(pointer_to(void_type()), 0);
    auto meaning = parts_of(asked);
    auto part = meaning && meaning->next ? meaning->next() : std::nullopt;
    if (part) return pointer_at(part->pair ? *part->pair : part->value);
    auto element = element_number(asked, 0);
    return element && element->address ? std::optional(pointer_at(*element)) : std::nullopt;
}

std::optional<Value> end_place(const Asked& asked) {
    const LibraryView* view = library_view(*asked.object.type);
    auto count = number_of_parts(asked);
    if (!view || !count) return std::nullopt;
    if (auto end = view->end(asked.reader, asked.object))
        return value_of_integer(pointer_to(void_type()), end->value);
    if (!lies_in_one_piece(asked) || *count == 0)
        return value_of_integer(pointer_to(void_type()), 0);
    auto last = element_number(asked, *count - 1);
    if (!last || !last->address) return std::nullopt;
    return value_of_integer(pointer_to(*last->type),
                            last->address->value + plain(*last->type).size);
}

std::optional<Value> data(const Asked& asked) {
    return lies_in_one_piece(asked) ? first_place(asked) : std::nullopt;
}

std::optional<Value> bare_pointer(const Asked& asked) {
    auto meaning = asked.meaning();
    return meaning ? meaning->pointer : std::nullopt;
}

std::optional<Value> owners(const Asked& asked) {
    auto meaning = asked.meaning();
    if (!meaning || !(meaning->owners || meaning->holds_nothing)) return std::nullopt;
    return value_of_integer(asked.is_rust() ? *rust_base_type("usize") : long_type(),
                            meaning->owners.value_or(0));
}

std::optional<Value> has_expired(const Asked& asked) {
    if (!asked.family().ends_with("weak_ptr")) return std::nullopt;
    return asked.truth(asked.meaning()->owners.value_or(0) == 0);
}

bool is_optional(const Asked& asked) {
    return asked.family() == "std::optional" || asked.family() == "std::expected";
}
std::optional<Value> has_value(const Asked& asked) {
    return is_optional(asked) ? std::optional(asked.truth(!asked.meaning()->holds_nothing))
                              : std::nullopt;
}
std::optional<Value> held(const Asked& asked) {
    return is_optional(asked) ? target_of_owner(asked.reader, asked.object) : std::nullopt;
}
std::optional<Value> held_or(const Asked& asked) {
    if (!is_optional(asked)) return std::nullopt;
    return asked.meaning()->holds_nothing ? asked.arguments[0]
                                          : target_of_owner(asked.reader, asked.object);
}

std::optional<Value> error_held(const Asked& asked) {
    if (asked.family() != "std::expected") return std::nullopt;
    auto meaning = asked.meaning();
    if (!meaning->holds_nothing)
        throw RequestError("it holds a value and no error", Next::show_value);
    auto part = meaning->next ? meaning->next() : std::nullopt;
    return part ? std::optional(part->value) : std::nullopt;
}

// What a wrapping of one value is asked for it: an atomic, a duration, a cell.
std::optional<Value> wrapped(const Asked& asked) {
    auto meaning = asked.meaning();
    return meaning ? meaning->alone : std::nullopt;
}

}  // namespace lantern::answers
