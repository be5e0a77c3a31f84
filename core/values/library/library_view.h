// How a type of a standard library is meant. Each view is one file beside this one and one row of
// the table in library_view.cpp; it is found by the type's name and by its shape, so that a library
// that lays it out otherwise falls back to the raw layout instead of being misread.
#pragma once

#include <span>
#include <string_view>

#include "core/values/meaning.h"

namespace lantern {

class LibraryView {
  public:
    virtual ~LibraryView() = default;
    // Names without arguments and inner namespaces (see family_name): "std::vector".
    virtual std::vector<std::string_view> families() const = 0;
    virtual bool fits(const Type& type) const = 0;
    // Throws BrokenValue and MemoryError. Reads no more than it needs to say how much there is.
    virtual Meaning meaning(const ValueReader& reader, const Value& value) const = 0;
    // What [index] gives without walking there; nothing where there is no quicker way.
    virtual std::optional<Value> element(const ValueReader&, const Value&, std::uint64_t) const {
        return std::nullopt;
    }
    // Where its end() points; nothing where that follows from its elements.
    virtual std::optional<RunAddress> end(const ValueReader&, const Value&) const {
        return std::nullopt;
    }
    // What * and -> lead to.
    virtual std::optional<Value> target(const ValueReader&, const Value&) const {
        return std::nullopt;
    }
};

// The view of a type behind its aliases and qualifiers; null if there is none. The answer is kept.
const LibraryView* library_view(const Type& type);

// ---- for the views

constexpr std::uint64_t kMostContent = 1 << 16;  // bytes of one text that are read

// The member at the end of a path of names, "_M_impl._M_start"; through base classes. Throws
// BrokenValue if it is not there.
Value part_at(const ValueReader& reader, const Value& value, std::string_view path);
// Whether the type has such a path, and its type there; null if not.
const Type* type_at_path(const Type& type, std::string_view path);
std::uint64_t number_at(const ValueReader& reader, const Value& value, std::string_view path);
// The first path that is there.
std::string_view first_path(const Type& type, std::initializer_list<std::string_view> paths);
// The template argument's type; void if there are fewer.
const Type& argument(const Type& type, std::size_t index);
const TemplateArgument* argument_value(const Type& type, std::string_view name, std::size_t index);

// `count` elements one behind another; `stride` bytes each, 0: the type's size.
Meaning contiguous(const ValueReader& reader, const Type& element, RunAddress start,
                   std::uint64_t count);
// The bytes between two pointers as a number of elements. Throws BrokenValue.
std::uint64_t elements_between(RunAddress begin, RunAddress end, std::uint64_t size,
                               std::string_view what);
std::string counted_elements(std::uint64_t count);
// "3 elements, room for 4". Throws BrokenValue where there is less room than elements.
std::string room_for(std::uint64_t count, std::uint64_t capacity,
                     std::string_view noun = "element");

// `length` characters of `unit` bytes each (1: UTF-8, 2: UTF-16, 4: UTF-32) as UTF-8 content.
Meaning text_meaning(const ValueReader& reader, RunAddress start, std::uint64_t length,
                     unsigned unit);

// Where a Vec of Rust keeps its elements, and how many would fit.
struct RustRoom {
    RunAddress start;
    std::uint64_t capacity = 0;
};
RustRoom rust_room(const ValueReader& reader, const Value& vector);

// Throws BrokenValue with the address if not even the first byte can be read.
void require_readable(const ValueReader& reader, RunAddress address, std::string_view what);
// The same of one of many: "node 17".
void require_readable(const ValueReader& reader, RunAddress address, std::string_view what,
                      std::uint64_t number);
std::uint64_t rounded_up(std::uint64_t number, std::uint64_t multiple);

const LibraryView& cpp_string_view();
const LibraryView& cpp_vector_view();
const LibraryView& cpp_bool_vector_view();
const LibraryView& cpp_array_view();
const LibraryView& cpp_deque_view();
const LibraryView& cpp_list_view();
const LibraryView& cpp_tree_view();
const LibraryView& cpp_hash_view();
const LibraryView& cpp_adaptor_view();
const LibraryView& cpp_tuple_view();
const LibraryView& cpp_optional_view();
const LibraryView& cpp_expected_view();
const LibraryView& cpp_variant_view();
const LibraryView& cpp_any_view();
const LibraryView& cpp_unique_pointer_view();
const LibraryView& cpp_shared_pointer_view();
const LibraryView& cpp_function_view();
const LibraryView& cpp_iterator_view();
const LibraryView& cpp_atomic_view();
const LibraryView& cpp_bitset_view();
const LibraryView& cpp_chrono_view();
const LibraryView& cpp_exception_view();
const LibraryView& cpp_thread_view();
const LibraryView& cpp_mutex_view();
const LibraryView& rust_text_view();
const LibraryView& rust_vector_view();
const LibraryView& rust_ring_view();
const LibraryView& rust_slice_view();
const LibraryView& rust_counted_view();
const LibraryView& rust_trait_object_view();
const LibraryView& rust_cell_view();
const LibraryView& rust_hash_view();
const LibraryView& rust_tree_view();
const LibraryView& rust_lock_view();
const LibraryView& rust_guard_view();
const LibraryView& rust_slice_iterator_view();
const LibraryView& rust_linked_list_view();
const LibraryView& rust_duration_view();

}  // namespace lantern
