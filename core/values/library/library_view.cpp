// How a view is chosen: by the family of the type's name ("std::vector"), then by its shape: the
// members that the view would read must be there with the kinds it expects. A family has one view
// for each layout that a library has had; the first that fits is taken.
#include "core/values/library/library_view.h"

#include <fmt/format.h>

#include <map>

#include "core/support/text.h"

namespace lantern {
namespace {

using MakeView = const LibraryView& (*)();

// A new view is one row here.
constexpr MakeView kViews[] = {
    cpp_string_view,         cpp_bool_vector_view, cpp_vector_view,
    cpp_array_view,          cpp_deque_view,       cpp_list_view,
    cpp_tree_view,           cpp_hash_view,        cpp_adaptor_view,
    cpp_tuple_view,          cpp_optional_view,    cpp_expected_view,
    cpp_variant_view,        cpp_any_view,         cpp_unique_pointer_view,
    cpp_shared_pointer_view, cpp_function_view,    cpp_iterator_view,
    cpp_atomic_view,         cpp_bitset_view,      cpp_chrono_view,
    cpp_exception_view,      cpp_thread_view,      cpp_mutex_view,
    rust_text_view,          rust_vector_view,     rust_ring_view,
    rust_slice_view,         rust_counted_view,    rust_trait_object_view,
    rust_cell_view,          rust_hash_view,       rust_tree_view,
    rust_lock_view,          rust_guard_view,      rust_slice_iterator_view,
    rust_linked_list_view,   rust_duration_view,
};

const std::multimap<std::string_view, const LibraryView*>& views_by_family() {
    static const std::multimap<std::string_view, const LibraryView*> all = [] {
        std::multimap<std::string_view, const LibraryView*> made;
        for (MakeView view : kViews)
            for (std::string_view family : view().families()) made.emplace(family, &view());
        return made;
    }();
    return all;
}

// Rust's slices and pointers to traits have no family: their names are made of what they hold.
std::string family_of(const Type& type) {
    if (!type.is_rust) return family_name(type.full_name());
    const std::string& name = type.name;
    if (name.find("dyn ") != std::string::npos && type_at_path(type, "vtable")) return "dyn";
    bool fat = type_at_path(type, "data_ptr") && type_at_path(type, "length");
    bool is_text_of_system =
        fat && (name.ends_with("path::Path") || name.ends_with("OsStr") || name.ends_with("CStr"));
    if (is_text_of_system) return "str";
    if (fat)
        return name.find("str") != std::string::npos && name.find('[') == std::string::npos ? "str"
                                                                                            : "[]";
    return family_name(type.full_name());
}

const LibraryView* look_up(const Type& type) {
    if (type.name.empty()) return nullptr;
    auto [first, last] = views_by_family().equal_range(family_of(type));
    for (auto each = first; each != last; ++each)
        if (each->second->fits(type)) return each->second;
    return nullptr;
}

template <class Step>
bool each_name(std::string_view path, Step step) {
    while (!path.empty()) {
        std::size_t dot = path.find('.');
        if (!step(path.substr(0, dot))) return false;
        path = dot == std::string_view::npos ? std::string_view() : path.substr(dot + 1);
    }
    return true;
}

const Type* member_type(const Type& type, std::string_view name, int depth) {
    const auto& members = plain(type).members();
    for (const Member& member : members)
        if (member.name == name && !member.is_base_class) return member.type;
    if (depth > 20) return nullptr;
    for (const Member& member : members) {
        if (!member.name.empty() && !member.is_base_class) continue;
        TypeKind kind = plain(*member.type).kind;
        if (kind != TypeKind::structure && kind != TypeKind::union_) continue;
        if (const Type* found = member_type(*member.type, name, depth + 1)) return found;
    }
    return nullptr;
}

}  // namespace

const LibraryView* library_view(const Type& type) {
    const Type& base = plain(type);
    if (base.kind != TypeKind::structure || !base.table) return nullptr;
    if (!base.known_view) {
        base.known_view = nullptr;  // while it is looked for
        base.known_view = look_up(base);
    }
    return *base.known_view;
}

Value part_at(const ValueReader& reader, const Value& value, std::string_view path) {
    Value at = value;
    each_name(path, [&](std::string_view name) {
        auto next = reader.member_named(at, name);
        if (!next) throw BrokenValue(fmt::format("{} has no member {}", type_text(*at.type), name));
        at = *next;
        return true;
    });
    return at;
}

const Type* type_at_path(const Type& type, std::string_view path) {
    const Type* at = &type;
    each_name(path,
              [&](std::string_view name) { return (at = member_type(*at, name, 0)) != nullptr; });
    return at;
}

std::uint64_t number_at(const ValueReader& reader, const Value& value, std::string_view path) {
    return reader.integer(part_at(reader, value, path));
}

std::string_view first_path(const Type& type, std::initializer_list<std::string_view> paths) {
    for (std::string_view path : paths)
        if (type_at_path(type, path)) return path;
    return {};
}

const Type& argument(const Type& type, std::size_t index) {
    const auto& arguments = plain(type).arguments();
    return index < arguments.size() && arguments[index].type ? *arguments[index].type : void_type();
}

const TemplateArgument* argument_value(const Type& type, std::string_view name, std::size_t index) {
    const auto& arguments = plain(type).arguments();
    for (const TemplateArgument& each : arguments)
        if (each.name == name && each.value) return &each;
    return index < arguments.size() && arguments[index].value ? &arguments[index] : nullptr;
}

Meaning contiguous(const ValueReader& reader, const Type& element, RunAddress start,
                   std::uint64_t count) {
    Meaning meaning;
    meaning.arrangement = Arrangement::elements;
    meaning.count = count;
    if (count == 0) meaning.text = "empty";
    std::uint64_t size = plain(element).size;
    meaning.next = [&reader, &element, start, count, size,
                    i = std::uint64_t{0}]() mutable -> std::optional<Part> {
        if (i == count) return std::nullopt;
        RunAddress at = start + i * size;
        if (size) require_readable(reader, at + (size - 1), "element", i);
        ++i;
        return Part{{}, value_in_memory(element, at), {}};
    };
    return meaning;
}

std::uint64_t elements_between(RunAddress begin, RunAddress end, std::uint64_t size,
                               std::string_view what) {
    if (end < begin)
        throw BrokenValue(fmt::format("its {} lies {} bytes before its beginning", what,
                                      begin.value - end.value));
    if (size == 0) return 0;
    if ((end - begin) % size != 0)
        throw BrokenValue(
            fmt::format("its {} is {} bytes behind its beginning, which is no whole number of "
                        "elements of {} bytes",
                        what, end - begin, size));
    return (end - begin) / size;
}

std::string counted_elements(std::uint64_t count) {
    return counted(count, "element");
}

std::string room_for(std::uint64_t count, std::uint64_t capacity, std::string_view noun) {
    if (capacity < count)
        throw BrokenValue(
            fmt::format("it claims {} but has room for {}", counted(count, noun), capacity));
    return fmt::format("{}, room for {}", counted(count, noun), capacity);
}

Meaning text_meaning(const ValueReader& reader, RunAddress start, std::uint64_t length,
                     unsigned unit) {
    Meaning meaning;
    std::uint64_t kept = std::min(length, kMostContent / unit);
    std::vector<std::byte> units(kept * unit);
    std::size_t got = reader.target().read_available(start, units);
    if (got < units.size())
        throw BrokenValue(fmt::format("it claims {} at {:#x}, of which {} can be read",
                                      counted(length, "character"), start.value, got / unit));
    meaning.content = utf8_of(units, unit);
    meaning.content_is_cut = kept < length;
    meaning.count = length;
    return meaning;
}

namespace {

bool is_readable(const ValueReader& reader, RunAddress address) {
    std::byte probe;
    return reader.target().read_available(address, std::span(&probe, 1)) != 0;
}

}  // namespace

void require_readable(const ValueReader& reader, RunAddress address, std::string_view what) {
    if (!is_readable(reader, address))
        throw BrokenValue(
            fmt::format("{} would be at {:#x}, where nothing can be read", what, address.value));
}

// Its text is made only where it is needed: each element of a container is asked.
void require_readable(const ValueReader& reader, RunAddress address, std::string_view what,
                      std::uint64_t number) {
    if (!is_readable(reader, address))
        require_readable(reader, address, fmt::format("{} {}", what, number));
}

std::uint64_t rounded_up(std::uint64_t number, std::uint64_t multiple) {
    return (number + multiple - 1) / multiple * multiple;
}

}  // namespace lantern
