// The types of a module by name, and the name index that its file may have brought (see
// module_symbols.h).
#include <fmt/format.h>

#include <algorithm>

#include "core/support/error.h"
#include "core/symbols/module_symbols.h"

namespace lantern {

using namespace dwarf;

namespace {

struct WantedType {
    std::string_view name;
    std::optional<NameKind> kind;  // from a keyword: "struct barge"
};

WantedType wanted_type(std::string_view text) {
    static constexpr std::pair<std::string_view, NameKind> kKeywords[] = {
        {"struct ", NameKind::structure},
        {"class ", NameKind::structure},
        {"union ", NameKind::union_},
        {"enum ", NameKind::enumeration}};
    for (auto [word, kind] : kKeywords)
        if (text.starts_with(word)) return {text.substr(word.size()), kind};
    return {text, std::nullopt};
}

std::optional<NameKind> kind_of_type(std::uint16_t tag) {
    switch (tag) {
        case DW_TAG_structure_type:
        case DW_TAG_class_type: return NameKind::structure;
        case DW_TAG_union_type: return NameKind::union_;
        case DW_TAG_enumeration_type: return NameKind::enumeration;
        case DW_TAG_typedef: return NameKind::alias;
        case DW_TAG_base_type: return NameKind::base_type;
        default: return std::nullopt;
    }
}

// In C a structure is only named with its keyword; in C++ and Rust the name is enough.
bool keyword_is_needed(const DebugInfo& info, const NameEntry& entry) {
    if (entry.kind == NameKind::alias || entry.kind == NameKind::base_type) return false;
    const Unit* unit = info.unit_holding(entry.position);
    return unit && !unit->is_cplusplus() && !unit->is_rust();
}

}  // namespace

std::string ModuleSymbols::type_name(const NameEntry& entry) const {
    std::string name = index().qualified_name(entry);
    if (name.empty() || !keyword_is_needed(debug_info(), entry)) return name;
    return (entry.kind == NameKind::structure ? "struct "
            : entry.kind == NameKind::union_  ? "union "
                                              : "enum ") +
           name;
}

std::vector<const Type*> ModuleSymbols::types_named(const std::string& text) const {
    WantedType wanted = wanted_type(text);
    std::vector<const Type*> found;
    if (wanted.name.empty()) return found;
    index().for_each_named(last_component(wanted.name), [&](const NameEntry& entry) {
        if (!is_type(entry.kind)) return;
        if (wanted.kind ? entry.kind != *wanted.kind : keyword_is_needed(debug_info(), entry))
            return;
        std::string name = index().qualified_name(entry);
        if (!name_matches(name, wanted.name)) return;
        const Type* type = types().type_at(entry.position);
        // Every unit that saw a definition repeats it.
        bool known = std::any_of(found.begin(), found.end(), [&](const Type* other) {
            return other->kind == type->kind && other->size == type->size &&
                   other->declared_in == type->declared_in &&
                   other->declared_at == type->declared_at && other->name == type->name &&
                   qualified_name(other->entry_offset) == name;
        });
        if (!known) found.push_back(type);
    });
    // The name as it was asked for comes before those that merely end in it, and types before their
    // template instances.
    std::stable_sort(found.begin(), found.end(), [&](const Type* a, const Type* b) {
        auto rank = [&](const Type* type) {
            return qualified_name(type->entry_offset) == wanted.name ? 0
                   : type->name == wanted.name                       ? 1
                                                                     : 2;
        };
        return rank(a) < rank(b);
    });
    return found;
}

const Type* ModuleSymbols::type_named(const std::string& text) const {
    WantedType wanted = wanted_type(text);
    if (wanted.name.empty()) return nullptr;
    if (const NameTable* table = name_table())
        if (auto position = type_in_table(*table, wanted.name, wanted.kind))
            return types().type_at(*position);
    const NameEntry* best = nullptr;
    index().for_each_named(last_component(wanted.name), [&](const NameEntry& entry) {
        if (!is_type(entry.kind) || best) return;
        if (wanted.kind ? entry.kind != *wanted.kind : keyword_is_needed(debug_info(), entry))
            return;
        // Template arguments count here: an expression means one type, not a family.
        std::string name = index().qualified_name(entry);
        if (name == wanted.name ||
            (name.size() > wanted.name.size() + 2 && name.ends_with(wanted.name) &&
             name.compare(name.size() - wanted.name.size() - 2, 2, "::") == 0))
            best = &entry;
    });
    return best ? types().type_at(best->position) : nullptr;
}

const Type* ModuleSymbols::type_spelled(const std::string& text) const {
    if (const Type* type = type_named(text)) return type;
    std::string wanted = comparable_type_name(text, false);
    for (const Type* type : types_named(without_all_template_arguments(text))) {
        std::string name = comparable_type_name(type->full_name(), type->is_rust);
        if (name == wanted || name.ends_with("::" + wanted)) return type;
    }
    return nullptr;
}

const Type& ModuleSymbols::type_of(const Function& function) const {
    auto [slot, is_new] = function_types_.try_emplace(&function);
    if (is_new) {
        const FunctionBody& body = body_of(function);
        slot->second.kind = TypeKind::function;
        slot->second.target = body.returned;
        for (const Variable& variable : body.outermost.variables)
            if (variable.is_parameter) slot->second.parameters.push_back(variable.type);
    }
    return slot->second;
}

// The compiler describes each of these tables as a variable "<TYPE as TRAIT>::{vtable}".
const Type* ModuleSymbols::type_of_trait_table(FileAddress table) const {
    if (!trait_tables_) {
        trait_tables_.emplace();
        for (const NameEntry& entry : index().names()) {
            if (entry.kind != NameKind::global || !index().own_name(entry).ends_with("{vtable}"))
                continue;
            auto variable = global(entry);
            if (!variable || variable->locations.empty()) continue;
            const Type* held = plain(*variable->type).holder;
            ByteReader reader(variable->locations[0].expression, "location");
            if (held && reader.remaining() == 9 && reader.u8() == DW_OP_addr)
                (*trait_tables_)[FileAddress(reader.u64())] = held;
        }
    }
    auto found = trait_tables_->find(table);
    return found == trait_tables_->end() ? nullptr : found->second;
}

// The file's own index is believed when the entry it names is there and is what it says.
std::optional<Position> ModuleSymbols::type_in_table(const NameTable& table, std::string_view name,
                                                     std::optional<NameKind> kind) const {
    try {
        for (const NameTable::Found& found : table.find(last_component(name))) {
            auto entry_kind = kind_of_type(found.tag);
            if (!entry_kind) continue;
            auto entry = debug_info().entry_at(found.position);
            if (!entry || entry->tag() != found.tag ||
                entry->text(DW_AT_name) != last_component(name)) {
                distrust_name_table(
                    fmt::format("it names an entry at {:#x} that is not there", found.position));
                return std::nullopt;
            }
            if (entry->flag(DW_AT_declaration)) continue;
            if (kind ? *entry_kind != *kind
                     : keyword_is_needed(debug_info(), {found.position, 0, 0, *entry_kind, {}}))
                continue;
            if (name_matches(qualified_name(found.position), name)) return found.position;
        }
    } catch (const FormatError& error) {
        distrust_name_table(error.what());
    }
    return std::nullopt;
}

const NameTable* ModuleSymbols::name_table() const {
    if (index_is_ready()) return nullptr;  // ours knows more
    if (name_table_read_) return name_table_.get();
    name_table_read_ = true;
    for (const auto& first : debug_info().units()) {
        const Sections& sections = (first->skeleton ? *first->skeleton : *first).sections();
        if (sections.names.empty()) return nullptr;
        try {
            name_table_ = std::make_unique<NameTable>(sections);
            std::vector<Position> ours;
            for (const auto& unit : debug_info().units())
                if (unit->type == DW_UT_compile || unit->type == DW_UT_split_compile ||
                    unit->type == DW_UT_skeleton)
                    ours.push_back(unit->skeleton ? unit->skeleton->offset : unit->offset);
            std::sort(ours.begin(), ours.end());
            if (ours != name_table_->units())
                distrust_name_table("it does not cover the units that are there");
            if (std::any_of(debug_info().units().begin(), debug_info().units().end(),
                            [](const auto& unit) { return unit->skeleton != nullptr; }))
                name_table_.reset();  // its offsets lead into the split files, which our own index
                                      // reads anyway
        } catch (const FormatError& error) {
            distrust_name_table(error.what());
        }
        break;
    }
    return name_table_.get();
}

void ModuleSymbols::distrust_name_table(const std::string& why) const {
    name_table_.reset();
    name_table_distrust_ = fmt::format(".debug_names is not used: {}", why);
}

std::vector<std::string> ModuleSymbols::own_indexes() const {
    std::vector<std::string> told;
    if (debug_info().units().empty()) return told;
    const Unit& first = *debug_info().units().front();
    const Sections& sections = (first.skeleton ? *first.skeleton : first).sections();
    if (!sections.aranges.empty()) {
        bool agrees = dwarf().unit_map->check_table();
        told.push_back(agrees ? ".debug_aranges agrees with the units and is used"
                              : dwarf().unit_map->distrust());
    }
    if (!sections.names.empty()) {
        bool had_index = index_is_ready();
        if (!had_index) name_table();
        told.push_back(
            !name_table_distrust_.empty()
                ? name_table_distrust_
                : ".debug_names covers the units and is used until the full index is there");
    }
    return told;
}

// A declaration's definition: in its own unit if that has one, else anywhere.
std::optional<Position> ModuleSymbols::find_complete(const Entry& declaration) const {
    auto own = declaration.text(DW_AT_name);
    if (!own) return std::nullopt;
    NameKind kind = declaration.tag() == DW_TAG_union_type         ? NameKind::union_
                    : declaration.tag() == DW_TAG_enumeration_type ? NameKind::enumeration
                                                                   : NameKind::structure;
    std::string name = qualified_name(declaration.offset());
    if (const NameTable* table = name_table())
        if (auto position = type_in_table(*table, name, kind)) return position;
    std::optional<Position> found;
    index().for_each_named(*own, [&](const NameEntry& entry) {
        if (found || entry.kind != kind) return;
        if (index().own_name(entry) == *own && index().qualified_name(entry) == name)
            found = entry.position;
    });
    return found;
}

}  // namespace lantern
