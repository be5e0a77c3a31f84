// Rust's Rc and Arc with their counts, and pointers to traits with the type behind them.
#include <fmt/format.h>

#include "core/support/text.h"
#include "core/values/library/library_view.h"
#include "core/values/library/symbols_behind.h"

namespace lantern {
namespace {

class CountedView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"alloc::rc::Rc", "alloc::sync::Arc", "alloc::rc::Weak", "alloc::sync::Weak"};
    }
    bool fits(const Type& type) const override {
        return type_at_path(type, "ptr.pointer") != nullptr;
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        bool is_weak = family_name(plain(*value.type).full_name()).ends_with("Weak");
        Value pointer = part_at(reader, value, "ptr.pointer");
        bool is_fat = plain(*pointer.type).kind == TypeKind::structure;
        Value thin =
            is_fat ? part_at(reader, pointer, first_path(*pointer.type, {"data_ptr", "pointer"}))
                   : pointer;
        RunAddress block = reader.pointed_at(thin);
        Meaning meaning;
        if (is_weak && block.value == ~std::uint64_t{0}) {
            meaning.text = "of nothing";
            return meaning;
        }
        require_readable(reader, block + 15, "its count of owners");
        // The counts come first; all owners together watch once.
        std::uint64_t owners = reader.target().read<std::uint64_t>(block),
                      watchers = reader.target().read<std::uint64_t>(block + 8);
        if (owners > (1u << 30) || (owners && watchers == 0))
            throw BrokenValue(fmt::format("it claims {} owners and {} watchers", owners, watchers));
        if (owners) --watchers;
        meaning.owners = owners;
        meaning.text = fmt::format("{:#x} ({}{})", block.value, counted(owners, "owner"),
                                   watchers ? ", " + counted(watchers, "watcher") : "");
        if (is_weak && !owners) {
            meaning.text = "expired, " + meaning.text;
            return meaning;
        }
        if (!is_fat) {
            Value counted_value = value_in_memory(target_of(plain(*thin.type)), block);
            lead_to(meaning, part_at(reader, counted_value,
                                     first_path(*counted_value.type, {"value", "data"})));
            return meaning;
        }
        if (type_at_path(*pointer.type, "length") &&
            pointer.type->name.find("str") != std::string::npos)
            meaning.text += " → " + quote(*text_meaning(reader, block + 16,
                                                        number_at(reader, pointer, "length"), 1)
                                               .content);
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        Value pointer = part_at(reader, value, "ptr.pointer");
        if (plain(*pointer.type).kind == TypeKind::structure) return std::nullopt;
        Value counted_value = reader.dereference(pointer);
        return part_at(reader, counted_value, first_path(*counted_value.type, {"value", "data"}));
    }
};

const Type* type_of_table(Target& target, RunAddress table) {
    const Module* module = target.module_at(table);
    return module ? module->symbols().type_of_trait_table(module->to_file(table)) : nullptr;
}

class TraitObjectView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override { return {"dyn"}; }
    bool fits(const Type& type) const override {
        return type_at_path(type, "pointer") && type_at_path(type, "vtable");
    }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Meaning meaning;
        RunAddress object(number_at(reader, value, "pointer")),
            table(number_at(reader, value, "vtable"));
        require_readable(reader, table, "its table of functions");
        const Type* type = type_of_table(reader.target(), table);
        meaning.text = fmt::format("{:#x} ({})", object.value,
                                   type ? type_text(*type) : "of a type that cannot be told");
        if (type) lead_to(meaning, value_in_memory(*type, object));
        return meaning;
    }
    std::optional<Value> target(const ValueReader& reader, const Value& value) const override {
        const Type* type =
            type_of_table(reader.target(), RunAddress(number_at(reader, value, "vtable")));
        if (!type) return std::nullopt;
        return value_in_memory(*type, RunAddress(number_at(reader, value, "pointer")));
    }
};

}  // namespace

const LibraryView& rust_counted_view() {
    static const CountedView view;
    return view;
}
const LibraryView& rust_trait_object_view() {
    static const TraitObjectView view;
    return view;
}

}  // namespace lantern
