// std::list and std::forward_list: nodes that lead on to one another.
#include <fmt/format.h>

#include "core/values/library/library_view.h"

namespace lantern {
namespace {

constexpr std::uint64_t kMostWalked = 100'000;  // nodes of a list that does not keep its length

struct Chain {
    RunAddress first, end;          // `end` is where the walk stops: the list's own node, or 0
    std::uint64_t next_offset = 0;  // of the pointer to the following node
    std::optional<std::uint64_t> previous_offset;
    std::uint64_t value_offset = 0;
    std::optional<std::uint64_t> count;
};

RunAddress word_at(const ValueReader& reader, RunAddress node, std::uint64_t offset,
                   std::uint64_t index) {
    require_readable(reader, node, "node", index);
    return RunAddress(reader.target().read<std::uint64_t>(node + offset));
}

// How many nodes there are where the list does not say. Throws BrokenValue for a circle.
std::uint64_t walked(const ValueReader& reader, const Chain& chain) {
    std::uint64_t count = 0;
    RunAddress checked = chain.first;
    std::uint64_t next_check = 2;
    for (RunAddress node = chain.first; node != chain.end; ++count) {
        if (count == kMostWalked) break;
        RunAddress next(0);
        try {
            next = word_at(reader, node, chain.next_offset, count);
        } catch (const Error&) {
            return count + 1;  // the elements will say where it breaks
        }
        if (next == checked)
            throw BrokenValue(fmt::format("its nodes form a circle: node {} leads back to {:#x}",
                                          count, next.value));
        if (count == next_check) {
            checked = node;
            next_check *= 2;
        }
        node = next;
    }
    return count;
}

Meaning along(const ValueReader& reader, const Type& element, const Chain& chain) {
    Meaning meaning;
    meaning.arrangement = Arrangement::elements;
    meaning.count = chain.count ? *chain.count : walked(reader, chain);
    if (*meaning.count == 0) {
        meaning.text = "empty";
        if (chain.first != chain.end)
            throw BrokenValue("it claims no elements but has a first node");
    }
    meaning.detail = counted_elements(*meaning.count) +
                     (chain.count || *meaning.count < kMostWalked ? "" : " at least");
    meaning.next = [&reader, &element, chain, node = chain.first, before = chain.end,
                    i = std::uint64_t{0}, count = *meaning.count]() mutable -> std::optional<Part> {
        if (i == count) return std::nullopt;
        if (node == chain.end)
            throw BrokenValue(
                fmt::format("it claims {} but ends after {}", counted_elements(count), i));
        RunAddress next = word_at(reader, node, chain.next_offset, i);
        if (chain.previous_offset && word_at(reader, node, *chain.previous_offset, i) != before)
            throw BrokenValue(fmt::format(
                "node {} at {:#x} does not lead back to the one before it", i, node.value));
        require_readable(reader, node + chain.value_offset, "the value of node", i);
        Part part{{}, value_in_memory(element, node + chain.value_offset), {}};
        before = node;
        node = next;
        ++i;
        return part;
    };
    return meaning;
}

class ListView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::list", "std::forward_list"};
    }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_impl._M_node._M_next", "_M_impl._M_head._M_next",
                                  "__end_.__next_", "__before_begin_.__value_.__next_"})
                    .empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        const Type& type = plain(*value.type);
        const Type& element = argument(type, 0);
        std::uint64_t alignment = alignment_of(element);
        auto pointer = [&](const char* path) { return RunAddress(number_at(reader, value, path)); };
        Chain chain;
        if (type_at_path(type, "_M_impl._M_head._M_next")) {
            chain.first = pointer("_M_impl._M_head._M_next");
            chain.value_offset = rounded_up(8, alignment);
        } else if (type_at_path(type, "__before_begin_.__value_.__next_")) {
            chain.first = pointer("__before_begin_.__value_.__next_");
            chain.value_offset = rounded_up(8, alignment);
        } else {
            bool gnu = type_at_path(type, "_M_impl._M_node._M_next") != nullptr;
            Value own = part_at(reader, value, gnu ? "_M_impl._M_node" : "__end_");
            if (!own.address) throw BrokenValue("it does not live in memory");
            chain.end = *own.address;
            chain.first = pointer(gnu ? "_M_impl._M_node._M_next" : "__end_.__next_");
            // gnu: next, previous; clang: previous, next
            chain.next_offset = gnu ? 0 : 8;
            chain.previous_offset = gnu ? 8 : 0;
            chain.value_offset = rounded_up(16, alignment);
            if (gnu && type_at_path(type, "_M_impl._M_node._M_size"))
                chain.count = number_at(reader, value, "_M_impl._M_node._M_size");
            if (!gnu) chain.count = number_at(reader, value, "__size_alloc_.__value_");
        }
        return along(reader, element, chain);
    }
    // The list's own node, as an iterator there reads it.
    std::optional<RunAddress> end(const ValueReader& reader, const Value& value) const override {
        std::string_view path = first_path(plain(*value.type), {"_M_impl._M_node", "__end_"});
        if (path.empty()) return std::nullopt;  // a list in one direction ends at no node
        Value own = part_at(reader, value, path);
        return own.address
                   ? std::optional(*own.address +
                                   rounded_up(16, alignment_of(argument(plain(*value.type), 0))))
                   : std::nullopt;
    }
};

}  // namespace

const LibraryView& cpp_list_view() {
    static const ListView view;
    return view;
}

}  // namespace lantern
