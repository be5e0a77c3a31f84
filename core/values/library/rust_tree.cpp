// Rust's BTreeMap and BTreeSet: nodes of up to eleven keys; inner nodes add the edges to their
// children.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/active_variant.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

constexpr std::uint64_t kMostHeight = 32;

struct TreePlace {
    RunAddress node;
    std::uint64_t height = 0, index = 0;
};

class RustWalk {
  public:
    RustWalk(const ValueReader& reader, const Type& leaf, RunAddress root, std::uint64_t height,
             std::uint64_t count, bool is_map)
        : reader_(reader), leaf_(leaf), count_(count), is_map_(is_map) {
        if (count) descend(root, height);
    }

    std::optional<Part> next() {
        if (done_ == count_) return std::nullopt;
        while (!path_.empty() && path_.back().index >= keys_in(path_.back().node)) path_.pop_back();
        if (path_.empty())
            throw BrokenValue(
                fmt::format("it claims {} but ends after {}", counted_elements(count_), done_));
        TreePlace& at = path_.back();
        Value node = value_in_memory(leaf_, at.node);
        Value key = slot(node, "keys", at.index);
        Part part{{}, is_map_ ? slot(node, "vals", at.index) : key, {}};
        if (is_map_) part.key = key;
        ++at.index;
        ++done_;
        if (at.height > 0) descend(edge(at), at.height - 1);
        return part;
    }

  private:
    std::uint64_t keys_in(RunAddress node) {
        require_readable(reader_, node + (plain(leaf_).size - 1), "a node");
        std::uint64_t keys = number_at(reader_, value_in_memory(leaf_, node), "len");
        if (keys > 11)
            throw BrokenValue(fmt::format("the node at {:#x} claims {} keys", node.value, keys));
        return keys;
    }
    // The elements of a node are wrapped for not being there yet, more deeply in newer libraries.
    Value slot(const Value& node, const char* name, std::uint64_t index) {
        Value inner =
            reader_.element(part_at(reader_, node, name), static_cast<std::int64_t>(index));
        for (;;) {
            std::string family = family_name(plain(*inner.type).name);
            if (family == "MaybeUninit" || family == "ManuallyDrop")
                inner = part_at(reader_, inner, "value");
            else if (family == "MaybeDangling")
                inner = part_at(reader_, inner, "__0");
            else
                return inner;
        }
    }
    RunAddress edge(const TreePlace& at) {
        RunAddress place = at.node + rounded_up(plain(leaf_).size, 8) + at.index * 8;
        require_readable(reader_, place, "an inner node");
        return RunAddress(reader_.target().read<std::uint64_t>(place));
    }
    void descend(RunAddress node, std::uint64_t height) {
        for (;; --height) {
            keys_in(node);
            path_.push_back({node, height, 0});
            if (height == 0) return;
            node = edge(path_.back());
        }
    }

    const ValueReader& reader_;
    const Type& leaf_;
    std::uint64_t count_, done_ = 0;
    bool is_map_;
    std::vector<TreePlace> path_;
};

class RustTreeView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"alloc::collections::btree::map::BTreeMap",
                "alloc::collections::btree::set::BTreeSet"};
    }
    bool fits(const Type& type) const override {
        return type_at_path(type, "root") || type_at_path(type, "map.root");
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        bool is_map = type_at_path(plain(*value.type), "root") != nullptr;
        Value map = is_map ? value : part_at(reader, value, "map");
        std::uint64_t count = number_at(reader, map, "length");
        Meaning meaning;
        meaning.arrangement = is_map ? Arrangement::pairs : Arrangement::elements;
        meaning.count = count;
        meaning.detail = counted_elements(count);
        auto root = active_variant(reader, part_at(reader, map, "root"));
        bool has_root = root && root->name == "Some";
        if (!count || !has_root) {
            if (count)
                throw BrokenValue(
                    fmt::format("it claims {} but has no nodes", counted_elements(count)));
            meaning.text = "empty";
            return meaning;
        }
        Value top = part_at(reader, root->content, "__0");
        std::uint64_t height = number_at(reader, top, "height");
        if (height > kMostHeight)
            throw BrokenValue(fmt::format("it claims a tree {} nodes high", height));
        Value node = part_at(reader, top, first_path(*top.type, {"node.pointer", "node"}));
        const Type& leaf = target_of(plain(*node.type));
        meaning.next = [walk = RustWalk(reader, leaf, reader.pointed_at(node), height, count,
                                        is_map)]() mutable { return walk.next(); };
        return meaning;
    }
};

}  // namespace

const LibraryView& rust_tree_view() {
    static const RustTreeView view;
    return view;
}

}  // namespace lantern
