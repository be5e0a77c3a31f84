// Iterators of the containers of C++: the element they stand at.
#include <fmt/format.h>

#include <span>

#include "core/values/builtin_types.h"
#include "core/values/library/library_view.h"
#include "core/values/library/symbols_behind.h"

namespace lantern {
namespace {

// gnu's tree: its own node is red and the child of its own parent, which no other node is (so end()
// is told).
bool is_end_of_tree(const ValueReader& reader, RunAddress node) {
    auto word = [&](RunAddress at) { return reader.target().read<std::uint64_t>(at); };
    bool is_red = reader.target().read<std::uint32_t>(node) == 0;
    RunAddress parent(word(node + 8));
    return is_red && (!parent.value || word(parent + 8) == node.value);
}

// clang's: every node of a tree but the end is the child of its parent.
bool is_end_of_clangs_tree(const ValueReader& reader, RunAddress node) {
    std::uint64_t parent = 0;
    std::uint64_t children[2] = {};
    auto read = [&](RunAddress at, auto& into) {
        auto bytes = std::as_writable_bytes(std::span(&into, 1));
        return reader.target().read_available(at, bytes) == bytes.size();
    };
    if (!read(node + 16, parent) || !read(RunAddress(parent), children)) return true;
    return children[0] != node.value && children[1] != node.value;
}

struct Standing {
    const Type* element = nullptr;
    RunAddress at;  // 0: behind the last element, or nowhere

    bool is_at_element() const { return at.value && plain(*element).size; }
};

std::string_view path_of_pointer(const Type& type) {
    return first_path(
        type, {"_M_current", "_M_cur", "_M_node", "__i", "__i_", "__ptr_", "__node_", "current"});
}

// The pointer lies in the iterator, or in one that it holds. Where the pointer is a class of the
// user's own, nobody knows what it stands at.
bool leads_to_pointer(const Type& type, int depth = 0) {
    constexpr int kDeepest = 4;
    std::string_view path = path_of_pointer(type);
    const Type* held = path.empty() ? nullptr : type_at_path(type, path);
    if (!held) return false;
    if (plain(*held).kind != TypeKind::structure) return true;
    return depth < kDeepest && leads_to_pointer(plain(*held), depth + 1);
}

class IteratorView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"__gnu_cxx::__normal_iterator",  "std::_Deque_iterator",
                "std::_List_iterator",           "std::_List_const_iterator",
                "std::_Fwd_list_iterator",       "std::_Fwd_list_const_iterator",
                "std::_Rb_tree_iterator",        "std::_Rb_tree_const_iterator",
                "std::__detail::_Node_iterator", "std::__detail::_Node_const_iterator",
                "std::reverse_iterator",         "std::__wrap_iter",
                "std::__map_iterator",           "std::__map_const_iterator",
                "std::__tree_iterator",          "std::__tree_const_iterator",
                "std::__list_iterator",          "std::__list_const_iterator",
                "std::__forward_list_iterator",  "std::__forward_list_const_iterator",
                "std::__hash_map_iterator",      "std::__hash_map_const_iterator",
                "std::__hash_iterator",          "std::__hash_const_iterator",
                "std::__deque_iterator"};
    }
    bool fits(const Type& type) const override { return leads_to_pointer(type); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        if (const Type* inner = type_at_path(plain(*value.type), "current");
            inner && plain(*inner).kind != TypeKind::pointer) {
            meaning = this->meaning(reader, part_at(reader, value, "current"));
            meaning.text = "reversed, behind " + meaning.text;
            return meaning;
        }
        Standing standing = find(reader, value);
        meaning.pointer = value_of_integer(pointer_to(*standing.element), standing.at.value);
        meaning.holds_nothing = !standing.at.value;
        meaning.text =
            standing.at.value ? fmt::format("at {:#x}", standing.at.value) : "at no element";
        if (standing.is_at_element()) lead_to(meaning, element_at(reader, standing));
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        if (type_at_path(plain(*value.type), "current"))
            return std::nullopt;  // it stands for the element before
        Standing standing = find(reader, value);
        return standing.is_at_element() ? std::optional(element_at(reader, standing))
                                        : std::nullopt;
    }

  private:
    static Value element_at(const ValueReader& reader, const Standing& standing) {
        Value element = value_in_memory(*standing.element, standing.at);
        // clang's pairs stand inside of another structure
        return plain(*element.type).kind == TypeKind::structure
                   ? reader.member_named(element, "__cc").value_or(element)
                   : element;
    }
    // gcc leaves the arguments of some of them out; the name still tells.
    static const Type& element_type(const ValueReader& reader, const Type& type) {
        const Type& told = argument(type, 0);
        if (told.kind != TypeKind::nothing) return told;
        const Type* named = type_called(reader.target(), first_argument(type.full_name(), "<"));
        return named ? *named : told;
    }
    static Standing at_node(RunAddress node, const Type& element, std::uint64_t header) {
        return {&element, node.value ? node + rounded_up(header, alignment_of(element)) : node};
    }
    static Standing find(const ValueReader& reader, const Value& value) {
        const Type& type = plain(*value.type);
        Value inner = part_at(reader, value, path_of_pointer(type));
        if (plain(*inner.type).kind == TypeKind::structure) return find(reader, inner);
        std::string family = family_name(type.full_name());
        auto is = [&](std::string_view part) { return family.find(part) != std::string::npos; };
        auto element = [&]() -> const Type& { return element_type(reader, type); };
        RunAddress at(reader.integer(inner));
        if (is("::_Rb_tree"))
            return at_node(at.value && is_end_of_tree(reader, at) ? RunAddress(0) : at, element(),
                           32);
        if (is("::__tree"))
            return at_node(at.value && is_end_of_clangs_tree(reader, at) ? RunAddress(0) : at,
                           element(), 25);
        if (is("::_List") || is("::__list")) return at_node(at, element(), 16);
        if (is("::_Fwd_list") || is("_Node_")) return at_node(at, element(), 8);
        if (is("::__hash") || is("::__forward_list")) {
            const Type* held = type_at_path(target_of(plain(argument(type, 0))), "__value_");
            return at_node(at, held ? *held : void_type(), is("::__hash") ? 16 : 8);
        }
        return {&target_of(plain(*inner.type)), at};
    }
};

}  // namespace

const LibraryView& cpp_iterator_view() {
    static const IteratorView view;
    return view;
}

}  // namespace lantern
