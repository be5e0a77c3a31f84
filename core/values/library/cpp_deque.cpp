// std::deque: blocks of elements, and a table of the blocks.
#include <fmt/format.h>

#include "core/values/library/library_view.h"

namespace lantern {
namespace {

struct DequeBlocks {
    RunAddress table;             // of pointers to blocks
    std::uint64_t per_block = 1;  // elements
    std::uint64_t first = 0;      // which element of the first block is the deque's own first
    std::uint64_t count = 0;
};

DequeBlocks gnu_blocks(const ValueReader& reader, const Value& value, std::uint64_t size) {
    auto at = [&](const char* path) { return RunAddress(number_at(reader, value, path)); };
    DequeBlocks blocks;
    blocks.per_block = size < 512 ? 512 / size : 1;
    RunAddress start_block = at("_M_impl._M_start._M_first"),
               finish_block = at("_M_impl._M_finish._M_first");
    blocks.table = at("_M_impl._M_start._M_node");
    std::uint64_t between =
        elements_between(blocks.table, at("_M_impl._M_finish._M_node"), 8, "last block");
    blocks.first =
        elements_between(start_block, at("_M_impl._M_start._M_cur"), size, "first element");
    std::uint64_t last =
        elements_between(finish_block, at("_M_impl._M_finish._M_cur"), size, "last element");
    if (blocks.first > blocks.per_block || last > blocks.per_block)
        throw BrokenValue("its first or last element lies outside of its block");
    if (between * blocks.per_block + last < blocks.first)
        throw BrokenValue("its last element lies before its first");
    blocks.count = between * blocks.per_block + last - blocks.first;
    return blocks;
}

DequeBlocks clang_blocks(const ValueReader& reader, const Value& value, std::uint64_t size) {
    DequeBlocks blocks;
    blocks.per_block = size < 256 ? 4096 / size : 16;
    blocks.table = RunAddress(number_at(reader, value, "__map_.__begin_"));
    blocks.first = number_at(reader, value, "__start_");
    blocks.count = number_at(reader, value, "__size_.__value_");
    std::uint64_t held =
        elements_between(blocks.table, RunAddress(number_at(reader, value, "__map_.__end_")), 8,
                         "block table's end");
    if (blocks.count && blocks.first + blocks.count > held * blocks.per_block)
        throw BrokenValue(fmt::format("it claims {} in {} blocks of {}",
                                      counted_elements(blocks.count), held, blocks.per_block));
    return blocks;
}

class DequeView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"std::deque"}; }
    bool fits(const Type& type) const override {
        return plain(argument(type, 0)).size &&
               !first_path(type, {"_M_impl._M_start._M_cur", "__map_.__begin_"}).empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& element = argument(plain(*value.type), 0);
        DequeBlocks blocks = blocks_of(reader, value);
        Meaning meaning;
        meaning.arrangement = Arrangement::elements;
        meaning.count = blocks.count;
        meaning.detail = counted_elements(blocks.count);
        if (!blocks.count) meaning.text = "empty";
        meaning.next = [&reader, &element, blocks,
                        i = std::uint64_t{0}]() mutable -> std::optional<Part> {
            if (i == blocks.count) return std::nullopt;
            return Part{{}, at(reader, element, blocks, i++), {}};
        };
        return meaning;
    }
    std::optional<Value> element(const ValueReader& reader, const Value& value,
                                 std::uint64_t index) const override {
        return at(reader, argument(plain(*value.type), 0), blocks_of(reader, value), index);
    }
    std::optional<RunAddress> end(const ValueReader& reader, const Value& value) const override {
        if (!type_at_path(plain(*value.type), "_M_impl._M_finish._M_cur")) return std::nullopt;
        return RunAddress(number_at(reader, value, "_M_impl._M_finish._M_cur"));
    }

  private:
    static DequeBlocks blocks_of(const ValueReader& reader, const Value& value) {
        const Type& type = plain(*value.type);
        std::uint64_t size = plain(argument(type, 0)).size;
        return type_at_path(type, "_M_impl._M_start._M_cur") ? gnu_blocks(reader, value, size)
                                                             : clang_blocks(reader, value, size);
    }
    static Value at(const ValueReader& reader, const Type& element, const DequeBlocks& blocks,
                    std::uint64_t index) {
        std::uint64_t place = blocks.first + index;
        RunAddress slot = blocks.table + place / blocks.per_block * 8;
        require_readable(reader, slot, "its table of blocks");
        RunAddress start(reader.target().read<std::uint64_t>(slot));
        RunAddress address = start + place % blocks.per_block * plain(element).size;
        require_readable(reader, address, "element", index);
        return value_in_memory(element, address);
    }
};

}  // namespace

const LibraryView& cpp_deque_view() {
    static const DequeView view;
    return view;
}

}  // namespace lantern
