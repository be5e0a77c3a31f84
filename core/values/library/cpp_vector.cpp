// std::vector, also of bool; std::array, std::span and std::initializer_list.
#include <fmt/format.h>

#include "core/values/builtin_types.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class VectorView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::vector"}; }
    bool fits(const Type& type) const override {
        return plain(argument(type, 0)).size != 0 &&
               !first_path(type, {"_M_impl._M_start", "__begin_"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        const Type& element = argument(type, 0);
        std::uint64_t size = plain(element).size;
        bool gnu = type_at_path(type, "_M_impl._M_start") != nullptr;
        auto pointer = [&](const char* path) { return RunAddress(number_at(reader, value, path)); };
        RunAddress begin = start(reader, value),
                   end = pointer(gnu ? "_M_impl._M_finish" : "__end_");
        RunAddress limit = pointer(gnu ? "_M_impl._M_end_of_storage" : "__end_cap_.__value_");
        std::uint64_t count = elements_between(begin, end, size, "end");
        std::uint64_t capacity = elements_between(begin, limit, size, "room's end");
        Meaning meaning = contiguous(reader, element, begin, count);
        meaning.detail = room_for(count, capacity);
        return meaning;
    }
    std::optional<Value> element(const ValueReader& reader, const Value& value,
                                 std::uint64_t index) const override {
        const Type& element = argument(plain(*value.type), 0);
        return value_in_memory(element, start(reader, value) + index * plain(element).size);
    }

  private:
    static RunAddress start(const ValueReader& reader, const Value& value) {
        return RunAddress(number_at(
            reader, value, first_path(plain(*value.type), {"_M_impl._M_start", "__begin_"})));
    }
};

class BoolVectorView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::vector"}; }
    bool fits(const Type& type) const override {
        return plain(argument(type, 0)).kind == TypeKind::boolean &&
               (type_at_path(type, "_M_impl._M_start._M_p") || type_at_path(type, "__size_"));
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        RunAddress begin;
        std::uint64_t count = 0;
        if (type_at_path(type, "_M_impl._M_start._M_p")) {
            begin = RunAddress(number_at(reader, value, "_M_impl._M_start._M_p"));
            RunAddress end(number_at(reader, value, "_M_impl._M_finish._M_p"));
            if (end < begin) throw BrokenValue("its end lies before its beginning");
            count = (end - begin) * 8 + number_at(reader, value, "_M_impl._M_finish._M_offset");
        } else {
            begin = RunAddress(number_at(reader, value, "__begin_"));
            count = number_at(reader, value, "__size_");
        }
        Meaning meaning;
        meaning.arrangement = Arrangement::elements;
        meaning.count = count;
        meaning.detail = counted_elements(count);
        if (count == 0) meaning.text = "empty";
        meaning.next = [&reader, begin, count,
                        i = std::uint64_t{0}]() mutable -> std::optional<Part> {
            if (i == count) return std::nullopt;
            RunAddress at = begin + i / 8;
            require_readable(reader, at, "element", i);
            Value bit = value_in_memory(bool_type(), at);
            bit.bit_offset = i % 8;
            bit.bit_size = 1;
            ++i;
            return Part{{}, bit, {}};
        };
        return meaning;
    }
};

class ArrayView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::array", "std::span", "std::initializer_list"};
    }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_elems", "__elems_"}).empty() || !begin_path(type).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        if (std::string_view path = first_path(type, {"_M_elems", "__elems_"}); !path.empty()) {
            Value elements = part_at(reader, value, path);
            const TemplateArgument* count = argument_value(type, "_Nm", 1);
            if (count && *count->value == 0)
                return contiguous(reader, argument(type, 0), RunAddress(0), 0);
            Meaning meaning;
            meaning.alone = elements;
            return meaning;
        }
        RunAddress start(number_at(reader, value, begin_path(type)));
        std::string_view path =
            first_path(type, {"_M_extent._M_extent_value", "_M_len", "__size_", "__size"});
        const TemplateArgument* fixed = argument_value(type, "_Extent", 1);
        bool is_fixed = fixed && *fixed->value != -1;
        std::uint64_t count = is_fixed       ? static_cast<std::uint64_t>(*fixed->value)
                              : path.empty() ? 0
                                             : number_at(reader, value, path);
        Meaning meaning = contiguous(reader, argument(type, 0), start, count);
        meaning.detail = counted_elements(count);
        return meaning;
    }

  private:
    static std::string_view begin_path(const Type& type) {
        return first_path(type, {"_M_ptr", "_M_array", "__data_", "__data", "__begin_"});
    }
};

}  // namespace

const LibraryView& cpp_vector_view() {
    static const VectorView view;
    return view;
}
const LibraryView& cpp_bool_vector_view() {
    static const BoolVectorView view;
    return view;
}
const LibraryView& cpp_array_view() {
    static const ArrayView view;
    return view;
}

}  // namespace lantern
