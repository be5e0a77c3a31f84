// Iterators of Rust over what lies in one piece: what is still to come. LinkedList, and Duration.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class SliceIteratorView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"core::slice::iter::Iter", "core::slice::iter::IterMut",
                "alloc::vec::into_iter::IntoIter", "core::str::iter::Chars"};
    }
    bool fits(const Type& type) const override {
        return !end_path(type).empty() && plain(element_of(type)).size != 0;
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        const Type& element = element_of(type);
        RunAddress next(
            number_at(reader, value, first_path(type, {"ptr.pointer", "iter.ptr.pointer"}))),
            end(number_at(reader, value, end_path(type)));
        std::uint64_t left = elements_between(next, end, plain(element).size, "end");
        if (is_text(type)) {
            Meaning text = text_meaning(reader, next, left, 1);
            text.detail = counted(left, "byte") + " to come";
            return text;
        }
        Meaning meaning = contiguous(reader, element, next, left);
        meaning.text = left ? "" : "at its end";
        meaning.detail = counted_elements(left) + " to come";
        return meaning;
    }

  private:
    static bool is_text(const Type& type) {
        return type_at_path(type, "iter.ptr.pointer") != nullptr;
    }
    static std::string_view end_path(const Type& type) {
        return first_path(type, {"end_or_len", "end", "iter.end_or_len", "iter.end"});
    }
    static const Type& element_of(const Type& type) {
        const Type* pointer =
            type_at_path(type, first_path(type, {"ptr.pointer", "iter.ptr.pointer"}));
        return pointer ? target_of(plain(*pointer)) : void_type();
    }
};

class LinkedListView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"alloc::collections::linked_list::LinkedList"};
    }
    bool fits(const Type& type) const override {
        return type_at_path(type, "head") && type_at_path(type, "len");
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Value head = part_at(reader, value, "head");
        Meaning meaning;
        meaning.arrangement = Arrangement::elements;
        meaning.count = number_at(reader, value, "len");
        meaning.detail = counted_elements(*meaning.count);
        if (!*meaning.count) meaning.text = "empty";
        // An option of a pointer is the pointer, or 0.
        const Type* node = node_type(plain(*value.type));
        if (!node) throw BrokenValue("what its nodes are is not told by its type");
        RunAddress first(reader.target().read<std::uint64_t>(require_place(head)));
        meaning.next = [&reader, node, at = first, count = *meaning.count,
                        i = std::uint64_t{0}]() mutable -> std::optional<Part> {
            if (i == count) {
                if (at.value)
                    throw BrokenValue(fmt::format("it claims {} but goes on at {:#x}",
                                                  counted_elements(count), at.value));
                return std::nullopt;
            }
            if (!at.value)
                throw BrokenValue(
                    fmt::format("it claims {} but ends after {}", counted_elements(count), i));
            require_readable(reader, at + (plain(*node).size - 1), "node", i);
            Value here = value_in_memory(*node, at);
            at = RunAddress(
                reader.target().read<std::uint64_t>(require_place(part_at(reader, here, "next"))));
            ++i;
            return Part{{}, part_at(reader, here, "element"), {}};
        };
        return meaning;
    }

  private:
    static RunAddress require_place(const Value& value) {
        if (!value.address) throw BrokenValue("it does not live in memory");
        return *value.address;
    }
    // Of Option<NonNull<Node<T>>>.
    static const Type* node_type(const Type& list) {
        const Type* option = type_at_path(list, "head");
        for (const Variant& variant : plain(*option).variants()) {
            if (variant.name != "Some" || variant.members.empty()) continue;
            const Type* pointer = type_at_path(*variant.members.front().type, "__0.pointer");
            if (pointer) return &target_of(plain(*pointer));
        }
        return nullptr;
    }
};

class DurationView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"core::time::Duration"}; }
    bool fits(const Type& type) const override {
        return type_at_path(type, "secs") && type_at_path(type, "nanos");
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        std::uint64_t seconds = number_at(reader, value, "secs");
        Value nanos = part_at(reader, value, "nanos");
        if (plain(*nanos.type).kind == TypeKind::structure) nanos = part_at(reader, nanos, "__0");
        std::uint64_t rest = reader.integer(nanos) & 0xffffffff;
        if (rest >= 1'000'000'000)
            throw BrokenValue(fmt::format("it claims {} nanoseconds behind the second", rest));
        Meaning meaning;
        if (rest == 0)
            meaning.text = fmt::format("{} s", seconds);
        else if (seconds)
            meaning.text =
                fmt::format("{} s", trimmed_zeros(fmt::format("{}.{:09}", seconds, rest)));
        else if (rest % 1'000'000 == 0)
            meaning.text = fmt::format("{} ms", rest / 1'000'000);
        else
            meaning.text =
                rest >= 1'000'000
                    ? fmt::format("{} ms", trimmed_zeros(fmt::format("{}.{:06}", rest / 1'000'000,
                                                                     rest % 1'000'000)))
                    : fmt::format("{} ns", rest);
        return meaning;
    }

  private:
    static std::string trimmed_zeros(std::string number) {
        number.erase(number.find_last_not_of('0') + 1);
        return number;
    }
};

}  // namespace

const LibraryView& rust_slice_iterator_view() {
    static const SliceIteratorView view;
    return view;
}
const LibraryView& rust_linked_list_view() {
    static const LinkedListView view;
    return view;
}
const LibraryView& rust_duration_view() {
    static const DurationView view;
    return view;
}

}  // namespace lantern
