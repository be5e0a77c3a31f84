#include "core/analysis/heap_content.h"

#include <fmt/format.h>

#include "core/analysis/address_note.h"
#include "core/heap/heap_walk.h"
#include "core/support/error.h"
#include "core/values/builtin_types.h"
#include "core/values/dynamic_type.h"

namespace lantern {

std::string content_of(const Moment& moment, const HeapBlock& block) {
    if (!block.is_in_use() || block.size() < sizeof(std::uint64_t)) return {};
    auto word = word_at(moment.target(), RunAddress(block.address));
    if (!word) return {};
    std::string own_class = class_of_table(moment.target(), RunAddress(*word));
    return own_class.empty() ? text_at_address(moment, RunAddress(block.address)) : own_class;
}

std::string kind_of(const Moment& moment, const Heap& heap, const BlockTypes& types,
                    std::size_t number) {
    std::string what = types.name(number);
    if (what.empty()) what = content_of(moment, heap.blocks[number]);
    return what.starts_with('"') || what == "char" ? "text" : what;
}

namespace {

std::string state_word(HeapBlock::State state) {
    switch (state) {
        case HeapBlock::State::in_use: return "in use";
        case HeapBlock::State::free: return "free";
        case HeapBlock::State::cached: return "free, kept for the next request";
        case HeapBlock::State::of_library: return "the library's own";
    }
    return {};
}

}  // namespace

HeapBlockRow row_without_content(const HeapBlock& block) {
    return {block.address, block.size(), state_word(block.state()), block.arena(), {}, false};
}

HeapBlockRow row_of(const Moment& moment, const HeapBlock& block) {
    HeapBlockRow row = row_without_content(block);
    row.what = content_of(moment, block);
    return row;
}

HeapBlockRow row_of(const Moment& moment, const Heap& heap, const BlockTypes& types,
                    std::size_t number) {
    HeapBlockRow row = row_of(moment, heap.blocks[number]);
    const std::string& type = types.name(number);
    if (row.what.empty() || (!type.empty() && !row.what.starts_with('"'))) row.what = type;
    return row;
}

const HeapBlock& block_meant(const Heap& heap, RunAddress address) {
    const HeapBlock* block = heap.block_at(address);
    if (!block) throw RequestError(fmt::format("{:#x} is in no block of the heap", address.value));
    return *block;
}

void count(HeapCount& into, const HeapBlock& block) {
    ++into.blocks;
    into.bytes += block.size();
}

std::string root_name(const Moment& moment, RunAddress pointer) {
    std::string object = moment.surroundings().object_at(pointer, pointer_to(void_type()));
    if (!object.empty()) return object;
    std::string note = address_note(moment, pointer);
    return note.empty() ? "memory" : note;
}

}  // namespace lantern
