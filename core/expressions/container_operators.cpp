#include "core/expressions/container_operators.h"

#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/active_variant.h"
#include "core/values/builtin_types.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

constexpr std::uint64_t kMostCompared = 1'000'000;  // parts of two containers

std::optional<Meaning> meaning_of(const ValueReader& reader, const Value& value) {
    const LibraryView* view = value.is_available() ? library_view(*value.type) : nullptr;
    if (!view) return std::nullopt;
    Meaning meaning = view->meaning(reader, value);
    if (meaning.alone)
        if (auto inner = meaning_of(reader, *meaning.alone)) return inner;
    return meaning;
}

bool is_number(const Value& value) {
    return is_scalar(*value.type) && plain(*value.type).kind != TypeKind::pointer;
}

Value of_key(const ValueReader& reader, const Meaning& meaning, const Value& key) {
    while (auto part = meaning.next())
        if (are_alike(reader, *part->key, key, 1).value_or(false)) return part->value;
    throw RequestError("it has no such key", Next::list_keys);
}

Value of_number(const ValueReader& reader, const LibraryView& view, const Value& container,
                const Meaning& meaning, const Value& key) {
    if (!is_number(key)) throw RequestError("its elements are known by number");
    std::uint64_t index = reader.integer(key);
    if (meaning.count && index >= *meaning.count)
        throw RequestError(fmt::format("there is no element {}: it has {}",
                                       static_cast<std::int64_t>(index),
                                       counted_elements(*meaning.count)));
    if (auto quick = view.element(reader, container, index)) return *quick;
    for (std::uint64_t i = 0;; ++i) {
        auto part = meaning.next ? meaning.next() : std::nullopt;
        if (!part) throw RequestError(fmt::format("there is no element {}", index));
        if (i == index) return part->value;
    }
}

// Hash tables keep no order: each key of one is looked for in the other.
bool keeps_no_order(const Value& value) {
    std::string family = family_name(plain(*value.type).full_name());
    return family.find("unordered") != std::string::npos || family.ends_with("HashMap") ||
           family.ends_with("HashSet");
}

bool holds_each(const ValueReader& reader, const Meaning& a, const Value& b, int depth) {
    constexpr std::uint64_t kMostLookedFor = 2000;  // each may pass over all of the other
    if (a.count.value_or(0) > kMostLookedFor)
        throw RequestError(
            fmt::format("tables of more than {} elements are not compared", kMostLookedFor));
    while (auto part = a.next()) {
        bool found = false;
        Meaning other = *meaning_of(reader, b);
        while (auto candidate = other.next()) {
            found = are_alike(reader, part->value, candidate->value, depth).value_or(false) &&
                    (!part->key ||
                     are_alike(reader, *part->key, *candidate->key, depth).value_or(false));
            if (found) break;
        }
        if (!found) return false;
    }
    return true;
}

bool in_order(const ValueReader& reader, const Meaning& a, const Meaning& b, int depth) {
    for (std::uint64_t i = 0; i < kMostCompared; ++i) {
        auto x = a.next(), y = b.next();
        if (!x || !y) return !x && !y;
        if (!are_alike(reader, x->value, y->value, depth).value_or(false)) return false;
        if (x->key && y->key && !are_alike(reader, *x->key, *y->key, depth).value_or(false))
            return false;
    }
    throw RequestError(
        fmt::format("they are alike in {} parts and longer than that", kMostCompared));
}

// By name: the fields of a value that was written down do not lie as the compiler laid them.
bool have_alike_members(const ValueReader& reader, const Value& a, const Value& b, int depth) {
    const auto& members = plain(*a.type).members();
    if (members.size() != plain(*b.type).members().size())
        throw RequestError("they do not have the same fields",
                           "name each field: Gate::Open { width: 3 }");
    for (std::size_t i = 0; i < members.size(); ++i) {
        auto other = reader.member_named(b, members[i].name);
        if (!other) throw RequestError(fmt::format("one of them has no field {}", members[i].name));
        auto alike = are_alike(reader, reader.member(a, members[i]), *other, depth);
        if (!alike)
            throw RequestError(fmt::format("{} and {} cannot be compared",
                                           type_text(*members[i].type), type_text(*other->type)));
        if (!*alike) return false;
    }
    return true;
}

}  // namespace

void require_plain_keys(const Value& container) {
    const Type& type = plain(*container.type);
    std::string family = family_name(type.full_name());
    bool is_hashed = family.find("unordered") != std::string::npos,
         is_map = family.ends_with("map"),
         is_set = family.ends_with("set") && family != "std::bitset";
    if (type.is_rust || !(is_map || is_set)) return;
    // map<Key, Value, Compare>, set<Key, Compare>, unordered_map<Key, Value, Hash, Equal>,
    // unordered_set<Key, Hash, Equal>
    const Type& compares = argument(type, (is_map ? 2 : 1) + (is_hashed ? 1 : 0));
    std::string name = family_name(plain(compares).full_name());
    bool is_plain = name.empty() || compares.kind == TypeKind::nothing || name == "std::less" ||
                    name == "std::greater" || name == "std::equal_to";
    if (!is_plain)
        throw RequestError(fmt::format("its keys are compared by {}, which is code of the program",
                                       type_text(compares)),
                           Next::list_keys);
}

std::optional<Value> element_of(const ValueReader& reader, const Value& container,
                                const Value& key) {
    const LibraryView* view = library_view(*container.type);
    if (!view) return std::nullopt;
    Meaning meaning = view->meaning(reader, container);
    if (meaning.alone) {
        if (auto inner = element_of(reader, *meaning.alone, key)) return inner;
        if (plain(*meaning.alone->type).kind == TypeKind::array)
            return reader.element(*meaning.alone, static_cast<std::int64_t>(reader.integer(key)));
        return std::nullopt;
    }
    if (meaning.content && is_number(key)) return of_number(reader, *view, container, meaning, key);
    if (meaning.arrangement == Arrangement::pairs) require_plain_keys(container);
    if (meaning.arrangement == Arrangement::pairs)
        return meaning.next ? of_key(reader, meaning, key) : throw RequestError("it is empty");
    bool has_parts =
        meaning.arrangement == Arrangement::elements || meaning.arrangement == Arrangement::tuple;
    return has_parts ? std::optional(of_number(reader, *view, container, meaning, key))
                     : std::nullopt;
}

std::optional<std::uint64_t> count_of(const ValueReader& reader, const Value& container) {
    auto meaning = meaning_of(reader, container);
    if (!meaning) return std::nullopt;
    if (meaning->alone && plain(*meaning->alone->type).kind == TypeKind::array)
        return plain(*meaning->alone->type).count;
    return meaning->count;
}

Value part_of_container(const ValueReader& reader, const Value& container, std::int64_t first,
                        std::uint64_t count) {
    constexpr std::uint64_t kMostCopied = 1 << 20;  // bytes
    const Advice advice = Next::list_elements_from;
    auto number = [](std::uint64_t n) { return value_of_integer(unsigned_long_type(), n); };
    const LibraryView* view = library_view(*container.type);
    if (!view || view->meaning(reader, container).arrangement == Arrangement::pairs)
        throw RequestError("its elements are not known by number", advice);
    std::uint64_t known = count_of(reader, container).value_or(0);
    if (first < 0 || static_cast<std::uint64_t>(first) + count > known)
        throw RequestError(fmt::format("it has only {}", counted_elements(known)));
    if (count == 0) throw RequestError("this part is empty");
    auto at = [&](std::uint64_t i) {
        auto element = element_of(reader, container, number(static_cast<std::uint64_t>(first) + i));
        if (!element) throw RequestError("its elements are not known by number", advice);
        return *element;
    };
    Value start = at(0), last = at(count - 1);
    const Type& array = array_of(*start.type, count);
    std::uint64_t size = plain(*start.type).size;
    bool in_one_piece = start.address && last.address && last.type == start.type &&
                        last.address->value - start.address->value == (count - 1) * size;
    if (!in_one_piece && count * size > kMostCopied)
        throw RequestError("its elements do not lie in one piece, and that many are not copied",
                           advice);
    std::vector<std::byte> bytes;
    for (std::uint64_t i = 0; i < count && !in_one_piece; ++i) {
        Value element = at(i);
        if (element.type != start.type) throw RequestError("its elements are of different types");
        auto content = reader.content(element);
        bytes.insert(bytes.end(), content.begin(), content.end());
    }
    Value part =
        in_one_piece ? value_in_memory(array, *start.address) : value_of_bytes(array, bytes);
    part.first_index = first;
    return part;
}

std::optional<Value> target_of_owner(const ValueReader& reader, const Value& owner) {
    const LibraryView* view = library_view(*owner.type);
    if (!view) return std::nullopt;
    if (auto target = view->target(reader, owner)) return target;
    if (view->meaning(reader, owner).holds_nothing) throw RequestError("it holds nothing");
    return std::nullopt;
}

std::optional<std::string> text_content(const ValueReader& reader, const Value& value) {
    const Type& type = plain(*value.type);
    bool letters = (type.kind == TypeKind::pointer || type.kind == TypeKind::array) &&
                   plain(target_of(type)).kind == TypeKind::character;
    if (!letters) {
        auto meaning = type.kind == TypeKind::structure ? meaning_of(reader, value) : std::nullopt;
        return meaning ? meaning->content : std::nullopt;
    }
    unsigned unit = static_cast<unsigned>(plain(target_of(type)).size);
    if (unit == 0 || unit > 4) return std::nullopt;
    auto length_of = [&](ByteSpan units) {
        std::size_t length = 0;
        auto is_end = [&] {
            return std::ranges::all_of(units.subspan(length, unit),
                                       [](std::byte b) { return b == std::byte{}; });
        };
        while (length + unit <= units.size() && !is_end()) length += unit;
        return length;
    };
    if (type.kind == TypeKind::array) {
        std::vector<std::byte> units = reader.content(value);
        return utf8_of(ByteSpan(units).first(length_of(units)), unit);
    }
    // Most texts are short, and a condition compares them often: more is read only where the end is
    // not in sight.
    RunAddress start = reader.pointed_at(value);
    for (std::size_t most = 256;; most *= 4) {
        std::vector<std::byte> units(most);
        units.resize(reader.target().read_available(start, units));
        if (units.empty())
            throw MemoryError(fmt::format("nothing can be read at address {:#x}", start.value));
        std::size_t length = length_of(units);
        if (length + unit <= units.size() || units.size() < most || most >= kMostContent)
            return utf8_of(ByteSpan(units).first(length), unit);
    }
}

std::optional<bool> are_alike(const ValueReader& reader, const Value& a, const Value& b,
                              int depth) {
    if (depth > 8) throw RequestError("they nest too deeply to be compared");
    if (is_rust_reference(plain(*a.type)))
        return are_alike(reader, reader.dereference(a), b, depth + 1);
    if (is_rust_reference(plain(*b.type)))
        return are_alike(reader, a, reader.dereference(b), depth + 1);
    if (is_number(a) && is_number(b)) {
        bool real =
            plain(*a.type).kind == TypeKind::floating || plain(*b.type).kind == TypeKind::floating;
        return real ? reader.floating(a) == reader.floating(b) : reader.wide(a) == reader.wide(b);
    }
    auto is_address = [](const Value& v) {
        return plain(*v.type).kind == TypeKind::pointer && !plain(*v.type).is_rust &&
               !is_character(plain(target_of(plain(*v.type))));
    };
    if (is_address(a) && is_address(b)) return reader.integer(a) == reader.integer(b);
    auto first_text = text_content(reader, a), second_text = text_content(reader, b);
    if (first_text && second_text) return *first_text == *second_text;
    auto first = meaning_of(reader, a), second = meaning_of(reader, b);
    if (first && first->alone && !second) return are_alike(reader, *first->alone, b, depth + 1);
    if (second && second->alone && !first) return are_alike(reader, a, *second->alone, depth + 1);
    if (first && second) {
        if (first->alone && second->alone)
            return are_alike(reader, *first->alone, *second->alone, depth + 1);
        if (first->text != second->text || first->count != second->count) return false;
        if (!first->next || !second->next) return first->next == nullptr && second->next == nullptr;
        return keeps_no_order(a) ? holds_each(reader, *first, b, depth + 1)
                                 : in_order(reader, *first, *second, depth + 1);
    }
    // Enums of Rust: the same variant with the same fields.
    auto left_variant = active_variant(reader, a), right_variant = active_variant(reader, b);
    if (left_variant && right_variant) {
        if (left_variant->name != right_variant->name) return false;
        if (left_variant->content.type == a.type || right_variant->content.type == b.type)
            return true;  // without fields
        return have_alike_members(reader, left_variant->content, right_variant->content, depth + 1);
    }
    // Plain structures of one type, such as the pairs in a map, member by member.
    const Type &left = plain(*a.type), &right = plain(*b.type);
    bool may_be = depth > 0 || left.is_rust;
    if (!may_be || left.kind != TypeKind::structure || right.kind != TypeKind::structure ||
        left.full_name() != right.full_name())
        return std::nullopt;
    return have_alike_members(reader, a, b, depth + 1);
}

}  // namespace lantern
