// Rust's Vec, VecDeque and slices.
#include <fmt/format.h>

#include "core/values/library/library_view.h"

namespace lantern {
namespace {

bool has_buffer(const Type& type) {
    const Type* buffer = type_at_path(type, "buf");
    return buffer && !first_path(*buffer, {"inner.ptr.pointer", "ptr.pointer"}).empty();
}

}  // namespace

// The library has moved the pointer and the room around over the years; 0-sized elements have no
// room.
RustRoom rust_room(const ValueReader& reader, const Value& vector) {
    Value buffer = part_at(reader, vector, "buf");
    const Type& type = plain(*buffer.type);
    std::string_view pointer =
        first_path(type, {"inner.ptr.pointer.pointer", "ptr.pointer.pointer", "ptr.pointer"});
    std::string_view capacity = first_path(type, {"inner.cap.__0", "inner.cap", "cap.__0", "cap"});
    return {RunAddress(number_at(reader, buffer, pointer)), number_at(reader, buffer, capacity)};
}

namespace {

class RustVectorView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"alloc::vec::Vec"}; }
    bool fits(const Type& type) const override {
        return has_buffer(type) && type_at_path(type, "len");
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& element = argument(plain(*value.type), 0);
        RustRoom room = rust_room(reader, value);
        std::uint64_t count = number_at(reader, value, "len");
        Meaning meaning = contiguous(reader, element, room.start, count);
        meaning.detail =
            plain(element).size ? room_for(count, room.capacity) : counted_elements(count);
        return meaning;
    }
    std::optional<Value> element(const ValueReader& reader, const Value& value,
                                 std::uint64_t index) const override {
        const Type& element = argument(plain(*value.type), 0);
        return value_in_memory(element,
                               rust_room(reader, value).start + index * plain(element).size);
    }
};

class RingView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"alloc::collections::vec_deque::VecDeque"};
    }
    bool fits(const Type& type) const override {
        return has_buffer(type) && type_at_path(type, "head");
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        const Type& element = argument(type, 0);
        RustRoom room = rust_room(reader, value);
        std::uint64_t head = number_at(reader, value, "head"), count = 0;
        if (type_at_path(type, "len")) {
            count = number_at(reader, value, "len");
        } else {  // older: from the tail up to the head, in a room of a power of two
            std::uint64_t tail = number_at(reader, value, "tail");
            if (room.capacity & (room.capacity - 1))
                throw BrokenValue("its room is no power of two");
            count = (head - tail) & (room.capacity - 1);
            head = tail;
        }
        Meaning meaning;
        meaning.arrangement = Arrangement::elements;
        meaning.count = count;
        meaning.detail = room_for(count, room.capacity);
        if (!count)
            meaning.text = "empty";
        else if (head >= room.capacity)
            throw BrokenValue(fmt::format("its head is {} in a room of {}", head, room.capacity));
        meaning.next = [&reader, &element, room, head, count,
                        i = std::uint64_t{0}]() mutable -> std::optional<Part> {
            if (i == count) return std::nullopt;
            RunAddress at = room.start + (head + i) % room.capacity * plain(element).size;
            require_readable(reader, at, "element", i);
            ++i;
            return Part{{}, value_in_memory(element, at), {}};
        };
        return meaning;
    }
};

class SliceView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"[]"}; }
    bool fits(const Type& type) const override {
        const Type* pointer = type_at_path(type, "data_ptr");
        return pointer && plain(*pointer).kind == TypeKind::pointer;
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        std::uint64_t count = number_at(reader, value, "length");
        Meaning meaning = contiguous(reader, element_type(value),
                                     RunAddress(number_at(reader, value, "data_ptr")), count);
        meaning.detail = counted_elements(count);
        return meaning;
    }
    std::optional<Value> element(const ValueReader& reader, const Value& value,
                                 std::uint64_t index) const override {
        const Type& element = element_type(value);
        return value_in_memory(element, RunAddress(number_at(reader, value, "data_ptr")) +
                                            index * plain(element).size);
    }

  private:
    static const Type& element_type(const Value& value) {
        return target_of(plain(*type_at_path(plain(*value.type), "data_ptr")));
    }
};

}  // namespace

const LibraryView& rust_vector_view() {
    static const RustVectorView view;
    return view;
}
const LibraryView& rust_ring_view() {
    static const RingView view;
    return view;
}
const LibraryView& rust_slice_view() {
    static const SliceView view;
    return view;
}

}  // namespace lantern
