#include "core/values/dynamic_type.h"

#include <fmt/format.h>

#include "core/support/error.h"
#include "core/symbols/demangle.h"

namespace lantern {
namespace {

// Where in the object the pointer to its table is; through the bases that stand at a fixed place.
std::optional<std::uint64_t> table_offset(const Type& type, int depth) {
    if (type.kind != TypeKind::structure || depth > 20) return std::nullopt;
    for (const Member& member : type.members())
        if (member.name.starts_with("_vptr")) return member.offset;
    for (const Member& member : type.members()) {
        if (!member.is_base_class || member.is_virtual_base) continue;
        if (auto inner = table_offset(plain(*member.type), depth + 1))
            return member.offset + *inner;
    }
    return std::nullopt;
}

DynamicType damaged(const Value& object, std::string why) {
    return {object, {}, std::move(why), false};
}

}  // namespace

std::string class_of_table(Target& target, RunAddress address) {
    const Module* module = target.module_at(address);
    const ElfSymbol* symbol =
        module ? module->symbols().symbol_table().covering(module->to_file(address)) : nullptr;
    if (!symbol || !symbol->name.starts_with("_ZTV")) return {};
    std::string name = demangled(symbol->name);
    return name.substr(std::min(name.size(), std::string_view("vtable for ").size()));
}

std::optional<DynamicType> dynamic_type(const ValueReader& reader, const Value& object) {
    if (!object.address) return std::nullopt;
    auto offset = table_offset(plain(*object.type), 0);
    if (!offset) return std::nullopt;
    Target& target = reader.target();
    try {
        RunAddress table(target.read<std::uint64_t>(*object.address + *offset));
        if (!table.value)
            return damaged(
                object,
                "its table of virtual functions is null: it is not made yet, or no longer there");
        const Module* module = target.module_at(table);
        const ElfSymbol* symbol =
            module ? module->symbols().symbol_table().covering(module->to_file(table)) : nullptr;
        if (!symbol || !symbol->name.starts_with("_ZTV")) {
            // The part of a table that serves while a base is made is named after both classes.
            if (symbol && symbol->name.starts_with("_ZTC")) return std::nullopt;
            return damaged(object,
                           fmt::format("its table of virtual functions would be at {:#x}, where "
                                       "none is: it is damaged, freed or not made yet",
                                       table.value));
        }
        std::string name = class_of_table(target, table);
        // Two words before the functions: how far up the whole object starts, and the class's own
        // description.
        auto to_top = target.read<std::int64_t>(RunAddress(table.value - 16));
        const Type* type = module->symbols().type_spelled(name);
        for (const Module& other : target.modules())
            if (!type) type = other.symbols().type_spelled(name);
        std::int64_t up = to_top + static_cast<std::int64_t>(*offset);
        RunAddress start(object.address->value + static_cast<std::uint64_t>(up));
        DynamicType found{
            object, readable_type_name(type ? plain(*type).full_name() : name, false), {}, false};
        const Type& seen = plain(*object.type);
        found.is_other =
            comparable_type_name(seen.full_name(), false) != comparable_type_name(name, false);
        if (type && found.is_other && plain(*type).size >= seen.size)
            found.object = value_in_memory(*type, start);
        return found;
    } catch (const Error&) {
        return std::nullopt;  // the object itself cannot be read; its members will say so
    }
}

}  // namespace lantern
