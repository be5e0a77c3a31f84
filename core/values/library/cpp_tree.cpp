// std::map, std::set and their multi forms: a red-black tree, walked in order.
#include <fmt/format.h>

#include "core/values/library/library_view.h"

namespace lantern {
namespace {

constexpr unsigned kDeepestTree = 128;  // a balanced tree of 2^64 nodes is not deeper

struct Tree {
    RunAddress first, header;  // the walk ends at the header
    RunAddress root;
    std::uint64_t count = 0;
    std::uint64_t parent_offset = 0, left_offset = 0, right_offset = 0, value_offset = 0;
    const Type* element = nullptr;  // of a map: the pair
    bool is_map = false;
};

class TreeWalk {
  public:
    TreeWalk(const ValueReader& reader, const Tree& tree)
        : reader_(reader), tree_(tree), node_(tree.first) {}

    std::optional<Part> next() {
        if (done_ == tree_.count) {
            if (node_ != tree_.header)
                throw BrokenValue(fmt::format("it claims {} but goes on at {:#x}",
                                              counted_elements(tree_.count), node_.value));
            return std::nullopt;
        }
        if (node_ == tree_.header)
            throw BrokenValue(fmt::format("it claims {} but ends after {}",
                                          counted_elements(tree_.count), done_));
        require_readable(reader_, node_ + tree_.value_offset, "node", done_);
        Value element = value_in_memory(*tree_.element, node_ + tree_.value_offset);
        node_ = following(node_);
        ++done_;
        if (!tree_.is_map) return Part{{}, element, {}};
        // clang's pairs stand inside of another structure
        element = reader_.member_named(element, "__cc").value_or(element);
        return Part{
            {}, part_at(reader_, element, "second"), part_at(reader_, element, "first"), element};
    }

  private:
    RunAddress word(RunAddress node, std::uint64_t offset) {
        require_readable(reader_, node, "a node after element", done_);
        return RunAddress(reader_.target().read<std::uint64_t>(node + offset));
    }
    // Down to a child only if the child agrees whose child it is.
    RunAddress child(RunAddress node, std::uint64_t offset) {
        RunAddress below = word(node, offset);
        if (below.value && word(below, tree_.parent_offset) != node)
            throw BrokenValue(
                fmt::format("the node at {:#x} is not a child of the one at {:#x} that leads to it",
                            below.value, node.value));
        return below;
    }
    RunAddress following(RunAddress node) {
        RunAddress right = child(node, tree_.right_offset);
        if (right.value) {
            for (unsigned depth = 0; depth < kDeepestTree; ++depth) {
                RunAddress left = child(right, tree_.left_offset);
                if (!left.value) return right;
                right = left;
            }
        } else {
            for (unsigned depth = 0; depth < kDeepestTree; ++depth) {
                RunAddress parent = word(node, tree_.parent_offset);
                if (parent == tree_.header || word(parent, tree_.left_offset) == node)
                    return parent;
                node = parent;
            }
        }
        throw BrokenValue("its nodes lead round in a circle");
    }

    const ValueReader& reader_;
    Tree tree_;
    RunAddress node_;
    std::uint64_t done_ = 0;
};

class TreeView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::map", "std::multimap", "std::set", "std::multiset"};
    }
    bool fits(const Type& type) const override {
        return !first_path(type, {"_M_t._M_impl._M_header._M_left", "__tree_.__begin_node_"})
                    .empty();
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Tree tree = tree_of(reader, value);
        Meaning meaning;
        meaning.arrangement = tree.is_map ? Arrangement::pairs : Arrangement::elements;
        meaning.count = tree.count;
        meaning.detail = counted_elements(tree.count);
        if (!tree.count) meaning.text = "empty";
        meaning.next = [walk = TreeWalk(reader, tree)]() mutable { return walk.next(); };
        return meaning;
    }

  private:
    static Tree tree_of(const ValueReader& reader, const Value& value) {
        const Type& type = plain(*value.type);
        std::string family = family_name(type.full_name());
        auto pointer = [&](const char* path) { return RunAddress(number_at(reader, value, path)); };
        Tree tree;
        tree.is_map = family == "std::map" || family == "std::multimap";
        if (type_at_path(type, "_M_t._M_impl")) {
            Value header = part_at(reader, value, "_M_t._M_impl._M_header");
            if (!header.address) throw BrokenValue("it does not live in memory");
            tree.header = *header.address;
            tree.first = pointer("_M_t._M_impl._M_header._M_left");
            tree.count = number_at(reader, value, "_M_t._M_impl._M_node_count");
            // colour, parent, left, right, then the value
            tree.parent_offset = 8, tree.left_offset = 16, tree.right_offset = 24;
            tree.element = &argument(*type_at_path(type, "_M_t"), 1);
            tree.value_offset = rounded_up(32, alignment_of(*tree.element));
        } else {
            Value end = part_at(reader, value, "__tree_.__pair1_.__value_");
            if (!end.address) throw BrokenValue("it does not live in memory");
            tree.header = *end.address;
            tree.first = pointer("__tree_.__begin_node_");
            tree.count = number_at(reader, value, "__tree_.__pair3_.__value_");
            // left, right, parent, colour, then the value
            tree.left_offset = 0, tree.right_offset = 8, tree.parent_offset = 16;
            tree.element = &argument(*type_at_path(type, "__tree_"), 0);
            tree.value_offset = rounded_up(25, alignment_of(*tree.element));
        }
        return tree;
    }
};

}  // namespace

const LibraryView& cpp_tree_view() {
    static const TreeView view;
    return view;
}

}  // namespace lantern
