// What can be asked of a container, an owner or an enum, and how each is answered: as its own
// functions would, from its content alone. Each answers nothing where it does not apply.
#pragma once

#include <span>

#include "core/expressions/questions.h"
#include "core/values/builtin_types.h"
#include "core/values/library/library_view.h"

namespace lantern {

struct Asked {
    const ValueReader& reader;
    const Value& object;
    std::span<const Value> arguments;
    Language language;

    bool is_rust() const { return language == Language::rust; }
    Value number(std::uint64_t n) const {
        return value_of_integer(is_rust() ? *rust_base_type("usize") : unsigned_long_type(), n);
    }
    Value truth(bool yes) const {
        return value_of_integer(is_rust() ? *rust_base_type("bool") : bool_type(), yes);
    }
    std::optional<Meaning> meaning() const {
        const LibraryView* view = library_view(*object.type);
        return view ? std::optional(view->meaning(reader, object)) : std::nullopt;
    }
    std::string family() const { return family_name(plain(*object.type).full_name()); }
};

namespace answers {

// ---- of containers and owners
std::optional<std::uint64_t> number_of_parts(const Asked& asked);
std::optional<Value> size(const Asked& asked);
std::optional<Value> is_empty(const Asked& asked);
std::optional<Value> element_number(const Asked& asked, std::uint64_t index);
std::optional<Value> end_element(const Asked& asked, bool last);
std::optional<Value> front(const Asked& asked);
std::optional<Value> back(const Asked& asked);
std::optional<Value> top(const Asked& asked);
std::optional<Value> at(const Asked& asked);
std::optional<Meaning> parts_of(const Asked& asked);
std::optional<Part> part_like(const Asked& asked, Meaning& meaning);
std::optional<Value> count(const Asked& asked);
std::optional<Value> contains(const Asked& asked);
Value pointer_at(const Value& place);
std::optional<Value> find(const Asked& asked);
std::optional<Value> begins_with(const Asked& asked);
std::optional<Value> ends_with(const Asked& asked);
std::optional<Value> first_place(const Asked& asked);
std::optional<Value> end_place(const Asked& asked);
std::optional<Value> data(const Asked& asked);
std::optional<Value> bare_pointer(const Asked& asked);
std::optional<Value> owners(const Asked& asked);
std::optional<Value> has_expired(const Asked& asked);
std::optional<Value> has_value(const Asked& asked);
std::optional<Value> held(const Asked& asked);
std::optional<Value> held_or(const Asked& asked);
std::optional<Value> error_held(const Asked& asked);
std::optional<Value> wrapped(const Asked& asked);

// ---- of Rust's enums
std::optional<std::string> case_of(const Asked& asked);
std::optional<Value> content_of_case(const Asked& asked,
                                     std::initializer_list<std::string_view> wanted);
std::optional<Value> unwrapped(const Asked& asked);
std::optional<Value> unwrapped_error(const Asked& asked);
std::optional<Value> unwrapped_or(const Asked& asked);
Value some(const Asked& asked, const Value& content);
Value none(const Asked& asked);
std::optional<Value> perhaps_end(const Asked& asked, bool last);
std::optional<Value> perhaps_first(const Asked& asked);
std::optional<Value> perhaps_last(const Asked& asked);
std::optional<Value> perhaps_at(const Asked& asked);
std::optional<Value> itself(const Asked& asked);
std::optional<Value> own_text(const Asked& asked);

template <char first>
std::optional<Value> is_case(const Asked& asked) {
    constexpr std::string_view name = first == 'S'   ? "Some"
                                      : first == 'N' ? "None"
                                      : first == 'O' ? "Ok"
                                                     : "Err";
    auto found = case_of(asked);
    bool may_be = found && ((first == 'S' || first == 'N') ? *found == "Some" || *found == "None"
                                                           : *found == "Ok" || *found == "Err");
    return may_be ? std::optional(asked.truth(*found == name)) : std::nullopt;
}

}  // namespace answers
}  // namespace lantern
