#include "core/expressions/questions.h"

#include <fmt/format.h>

#include <algorithm>
#include <span>

#include "core/expressions/cases.h"
#include "core/expressions/container_operators.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/type_table.h"
#include "core/values/active_variant.h"
#include "core/values/builtin_types.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

struct Asked {
    const ValueReader& reader;
    const Value& object;
    std::span<const Value> arguments;
    Language language;

    bool is_rust() const { return language == Language::rust; }
    Value number(std::uint64_t n) const { return value_of_integer(is_rust() ? *rust_base_type("usize") : unsigned_long_type(), n); }
    Value truth(bool yes) const { return value_of_integer(is_rust() ? *rust_base_type("bool") : bool_type(), yes); }
    std::optional<Meaning> meaning() const {
        const LibraryView* view = library_view(*object.type);
        return view ? std::optional(view->meaning(reader, object)) : std::nullopt;
    }
    std::string family() const { return family_name(plain(*object.type).full_name()); }
};

using Answer = std::optional<Value> (*)(const Asked&);

// ---- how much, and which

std::optional<std::uint64_t> number_of_parts(const Asked& asked) {
    if (plain(*asked.object.type).kind == TypeKind::array && asked.is_rust()) return plain(*asked.object.type).count;
    auto meaning = asked.meaning();
    bool is_one_value = meaning && (meaning->arrangement == Arrangement::target || meaning->arrangement == Arrangement::tuple);
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
    if (plain(*asked.object.type).kind == TypeKind::array) return asked.reader.element(asked.object, static_cast<std::int64_t>(index));
    return element_of(asked.reader, asked.object, asked.number(index));
}

std::optional<Value> end_element(const Asked& asked, bool last) {
    auto count = number_of_parts(asked);
    if (!count) return std::nullopt;
    if (*count == 0) throw RequestError("it is empty", "ask .size() first");
    return element_number(asked, last ? *count - 1 : 0);
}

std::optional<Value> front(const Asked& asked) { return end_element(asked, false); }
std::optional<Value> back(const Asked& asked) { return end_element(asked, true); }
// A stack's newest is its last element, a heap's greatest its first.
std::optional<Value> top(const Asked& asked) { return asked.family() == "std::stack" ? back(asked) : asked.family() == "std::priority_queue" ? front(asked) : std::nullopt; }

std::optional<Value> at(const Asked& asked) { return element_of(asked.reader, asked.object, asked.arguments[0]); }

// ---- by key or content

// Nothing for what has no parts that could be looked for.
std::optional<Meaning> parts_of(const Asked& asked) {
    auto meaning = asked.meaning();
    for (unsigned depth = 0; meaning && meaning->alone && depth < 4; ++depth) {
        const LibraryView* inner = library_view(*meaning->alone->type);
        if (!inner) return std::nullopt;
        meaning = inner->meaning(asked.reader, Value(*meaning->alone));
    }
    bool has_parts = meaning && (meaning->arrangement == Arrangement::elements || meaning->arrangement == Arrangement::pairs);
    return has_parts && !meaning->content ? std::move(meaning) : std::nullopt;
}

std::optional<Part> part_like(const Asked& asked, Meaning& meaning) {
    const ValueReader& reader = asked.reader;
    const Value& wanted = asked.arguments[0];
    require_plain_keys(asked.object);
    while (auto part = meaning.next ? meaning.next() : std::nullopt)
        if (are_alike(reader, part->key ? *part->key : part->value, wanted, 1).value_or(false)) return part;
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
        return wanted ? std::optional(asked.truth(text->find(*wanted) != std::string::npos)) : std::nullopt;
    }
    if (plain(*asked.object.type).kind == TypeKind::array) {
        for (std::uint64_t i = 0; i < plain(*asked.object.type).count.value_or(0); ++i)
            if (are_alike(asked.reader, asked.reader.element(asked.object, static_cast<std::int64_t>(i)), asked.arguments[0], 1).value_or(false)) return asked.truth(true);
        return asked.truth(false);
    }
    auto meaning = parts_of(asked);
    return meaning ? std::optional(asked.truth(part_like(asked, *meaning).has_value())) : std::nullopt;
}

Value pointer_at(const Value& place) { return value_of_integer(pointer_to(*place.type), place.address ? place.address->value : 0); }

// In a text the position, in a container a pointer to the element; a null pointer, as end() is, where there is none.
std::optional<Value> find(const Asked& asked) {
    if (auto text = text_content(asked.reader, asked.object)) {
        auto wanted = text_content(asked.reader, asked.arguments[0]);
        if (!wanted && plain(*asked.arguments[0].type).kind == TypeKind::character) wanted = std::string(1, static_cast<char>(asked.reader.integer(asked.arguments[0])));
        return wanted ? std::optional(asked.number(text->find(*wanted))) : std::nullopt;
    }
    auto meaning = parts_of(asked);
    if (!meaning) return std::nullopt;
    auto part = part_like(asked, *meaning);
    if (!part) return value_of_integer(pointer_to(void_type()), 0);
    return pointer_at(part->pair ? *part->pair : part->value);
}

std::optional<Value> begins_with(const Asked& asked) {
    auto text = text_content(asked.reader, asked.object), wanted = text_content(asked.reader, asked.arguments[0]);
    return text && wanted ? std::optional(asked.truth(text->starts_with(*wanted))) : std::nullopt;
}

std::optional<Value> ends_with(const Asked& asked) {
    auto text = text_content(asked.reader, asked.object), wanted = text_content(asked.reader, asked.arguments[0]);
    return text && wanted ? std::optional(asked.truth(text->ends_with(*wanted))) : std::nullopt;
}

// ---- iterators and owners of C++

bool lies_in_one_piece(const Asked& asked) {
    std::string family = asked.family();
    return family == "std::vector" || family == "std::array" || family == "std::span" || family == "std::basic_string" || family == "std::basic_string_view";
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
    if (auto end = view->end(asked.reader, asked.object)) return value_of_integer(pointer_to(void_type()), end->value);
    if (!lies_in_one_piece(asked) || *count == 0) return value_of_integer(pointer_to(void_type()), 0);
    auto last = element_number(asked, *count - 1);
    if (!last || !last->address) return std::nullopt;
    return value_of_integer(pointer_to(*last->type), last->address->value + plain(*last->type).size);
}

std::optional<Value> data(const Asked& asked) { return lies_in_one_piece(asked) ? first_place(asked) : std::nullopt; }

std::optional<Value> bare_pointer(const Asked& asked) {
    auto meaning = asked.meaning();
    return meaning ? meaning->pointer : std::nullopt;
}

std::optional<Value> owners(const Asked& asked) {
    auto meaning = asked.meaning();
    if (!meaning || !(meaning->owners || meaning->holds_nothing)) return std::nullopt;
    return value_of_integer(asked.is_rust() ? *rust_base_type("usize") : long_type(), meaning->owners.value_or(0));
}

std::optional<Value> has_expired(const Asked& asked) {
    if (!asked.family().ends_with("weak_ptr")) return std::nullopt;
    return asked.truth(asked.meaning()->owners.value_or(0) == 0);
}

bool is_optional(const Asked& asked) { return asked.family() == "std::optional" || asked.family() == "std::expected"; }
std::optional<Value> has_value(const Asked& asked) { return is_optional(asked) ? std::optional(asked.truth(!asked.meaning()->holds_nothing)) : std::nullopt; }
std::optional<Value> held(const Asked& asked) { return is_optional(asked) ? target_of_owner(asked.reader, asked.object) : std::nullopt; }
std::optional<Value> held_or(const Asked& asked) {
    if (!is_optional(asked)) return std::nullopt;
    return asked.meaning()->holds_nothing ? asked.arguments[0] : target_of_owner(asked.reader, asked.object);
}

std::optional<Value> error_held(const Asked& asked) {
    if (asked.family() != "std::expected") return std::nullopt;
    auto meaning = asked.meaning();
    if (!meaning->holds_nothing) throw RequestError("it holds a value and no error", Next::show_value);
    auto part = meaning->next ? meaning->next() : std::nullopt;
    return part ? std::optional(part->value) : std::nullopt;
}

// What a wrapping of one value is asked for it: an atomic, a duration, a cell.
std::optional<Value> wrapped(const Asked& asked) {
    auto meaning = asked.meaning();
    return meaning ? meaning->alone : std::nullopt;
}

// ---- Rust's enums

std::optional<std::string> case_of(const Asked& asked) {
    auto variant = active_variant(asked.reader, asked.object);
    return variant ? std::optional(variant->name) : std::nullopt;
}

template <char first>
std::optional<Value> is_case(const Asked& asked) {
    constexpr std::string_view name = first == 'S' ? "Some" : first == 'N' ? "None" : first == 'O' ? "Ok" : "Err";
    auto found = case_of(asked);
    bool may_be = found && ((first == 'S' || first == 'N') ? *found == "Some" || *found == "None" : *found == "Ok" || *found == "Err");
    return may_be ? std::optional(asked.truth(*found == name)) : std::nullopt;
}

std::optional<Value> content_of_case(const Asked& asked, std::initializer_list<std::string_view> wanted) {
    auto variant = active_variant(asked.reader, asked.object);
    if (!variant || std::ranges::find(wanted, variant->name) == wanted.end()) return std::nullopt;
    return asked.reader.member_named(variant->content, "__0");
}

std::optional<Value> unwrapped(const Asked& asked) {
    auto found = case_of(asked);
    if (!found) return std::nullopt;
    if (*found == "None" || *found == "Err") throw RequestError(fmt::format("it is {}", *found), Next::show_whole_value);
    return content_of_case(asked, {"Some", "Ok"});
}

std::optional<Value> unwrapped_error(const Asked& asked) { return content_of_case(asked, {"Err"}); }

std::optional<Value> unwrapped_or(const Asked& asked) {
    auto found = case_of(asked);
    if (found == "None" || found == "Err") return asked.arguments[0];
    return content_of_case(asked, {"Some", "Ok"});
}

Value some(const Asked& asked, const Value& content) { return case_value(asked.reader, "Option", "Some", {{"__0", content}}); }
Value none(const Asked& asked) { return case_value(asked.reader, "Option", "None", {}); }

std::optional<Value> perhaps_end(const Asked& asked, bool last) {
    auto count = number_of_parts(asked);
    if (!count) return std::nullopt;
    if (*count == 0) return none(asked);
    auto element = element_number(asked, last ? *count - 1 : 0);
    return element ? std::optional(some(asked, *element)) : std::nullopt;
}

std::optional<Value> perhaps_first(const Asked& asked) { return perhaps_end(asked, false); }
std::optional<Value> perhaps_last(const Asked& asked) { return perhaps_end(asked, true); }

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

std::optional<Value> own_text(const Asked& asked) { return text_content(asked.reader, asked.object) ? std::optional(asked.object) : std::nullopt; }

// ---- the words

struct Question {
    std::string_view name;
    unsigned arguments;
    Answer answer;
};

constexpr Question kOfCpp[] = {
    {"size", 0, size}, {"length", 0, size}, {"empty", 0, is_empty}, {"front", 0, front}, {"back", 0, back}, {"top", 0, top}, {"at", 1, at},
    {"count", 1, count}, {"contains", 1, contains}, {"find", 1, find}, {"starts_with", 1, begins_with}, {"ends_with", 1, ends_with},
    {"begin", 0, first_place}, {"cbegin", 0, first_place}, {"end", 0, end_place}, {"cend", 0, end_place}, {"data", 0, data}, {"c_str", 0, data},
    {"get", 0, bare_pointer}, {"base", 0, bare_pointer}, {"use_count", 0, owners}, {"expired", 0, has_expired}, {"has_value", 0, has_value},
    {"value", 0, held}, {"value_or", 1, held_or}, {"error", 0, error_held}, {"load", 0, wrapped}, {"count", 0, wrapped},
};

constexpr Question kOfRust[] = {
    {"len", 0, size}, {"is_empty", 0, is_empty}, {"first", 0, perhaps_first}, {"last", 0, perhaps_last}, {"front", 0, perhaps_first}, {"back", 0, perhaps_last},
    {"get", 1, perhaps_at}, {"contains", 1, contains}, {"contains_key", 1, contains}, {"starts_with", 1, begins_with}, {"ends_with", 1, ends_with},
    {"is_some", 0, is_case<'S'>}, {"is_none", 0, is_case<'N'>}, {"is_ok", 0, is_case<'O'>}, {"is_err", 0, is_case<'E'>},
    {"unwrap", 0, unwrapped}, {"expect", 1, unwrapped}, {"unwrap_err", 0, unwrapped_error}, {"unwrap_or", 1, unwrapped_or},
    {"get", 0, wrapped}, {"borrow", 0, wrapped}, {"load", 1, wrapped},
    {"as_ref", 0, itself}, {"as_str", 0, itself}, {"as_slice", 0, itself}, {"as_deref", 0, itself}, {"clone", 0, itself}, {"to_string", 0, own_text},
    {"to_owned", 0, itself}, {"into", 0, itself}, {"as_bytes", 0, itself},
};

std::span<const Question> questions_of(Language language) {
    return language == Language::rust ? std::span<const Question>(kOfRust) : std::span<const Question>(kOfCpp);
}

bool has_function_of_its_own(const Type& type, const std::string& name) {
    return type.table && std::ranges::count(type.table->read_methods(type), name) != 0;
}

}  // namespace

std::optional<Value> answer_to(const ValueReader& reader, const Value& object, const std::string& name, const std::vector<Value>& arguments, Language language) {
    if (!object.is_available()) return std::nullopt;
    Asked asked{reader, object, arguments, language};
    for (const Question& question : questions_of(language))
        if (question.name == name && question.arguments == arguments.size())
            if (auto answer = question.answer(asked)) return answer;
    // A class that is a container by its base, and does not answer by itself.
    bool has_such_base = std::ranges::any_of(plain(*object.type).members(), [](const Member& member) { return member.is_base_class && library_view(*member.type); });
    if (!has_such_base || has_function_of_its_own(plain(*object.type), name)) return std::nullopt;
    for (const Member& member : plain(*object.type).members()) {
        if (!member.is_base_class || member.is_virtual_base || !library_view(*member.type)) continue;
        if (auto answer = answer_to(reader, reader.member(object, member), name, arguments, language)) return answer;
    }
    return std::nullopt;
}

std::vector<std::string> questions_for(const Type& type, Language language) {
    bool is_enum = language == Language::rust && !plain(type).variants().empty();
    if (!library_view(type) && !is_enum) return {};
    std::vector<std::string> names;
    for (const Question& question : questions_of(language)) names.emplace_back(question.name);
    std::ranges::sort(names);
    names.erase(std::unique(names.begin(), names.end()), names.end());
    return names;
}

}  // namespace lantern
