#include "core/symbols/symbol_index.h"

#include <algorithm>

#include "core/dwarf/ranges.h"
#include "core/support/error.h"

namespace lantern {

using namespace dwarf;

namespace {

std::string qualified(const std::string& prefix, std::string_view name) {
    return prefix.empty() ? std::string(name) : prefix + "::" + std::string(name);
}

class UnitIndexer {
  public:
    UnitIndexer(const DebugInfo& info, const Unit& unit, SymbolIndex& index) : info_(info), unit_(unit), index_(index) {}

    void run() {
        auto root = Entry::at(unit_, unit_.first_entry);
        if (root) visit_children(*root, "", 0);
    }

  private:
    // Namespaces and classes nest; function bodies are not entered.
    void visit_children(const Entry& parent, const std::string& prefix, int depth) {
        if (depth > 200) return;
        for_each_child(parent, [&](const Entry& entry) { visit(entry, prefix, depth); });
    }

    void visit(const Entry& entry, const std::string& prefix, int depth) {
        switch (entry.tag()) {
            case DW_TAG_subprogram: add_function(entry, prefix); break;
            case DW_TAG_variable: case DW_TAG_member: add_global(entry, prefix); break;
            case DW_TAG_namespace: case DW_TAG_module: {
                auto name = entry.text(DW_AT_name);
                visit_children(entry, qualified(prefix, name.value_or("(anonymous)")), depth + 1);
                break;
            }
            case DW_TAG_structure_type: case DW_TAG_class_type: case DW_TAG_union_type: case DW_TAG_enumeration_type:
                add_type(entry, prefix);
                if (entry.tag() == DW_TAG_enumeration_type) index_.enumerations.push_back(entry.offset());
                if (nests_names() && entry.tag() != DW_TAG_enumeration_type) {
                    if (auto name = entry.text(DW_AT_name)) visit_children(entry, qualified(prefix, *name), depth + 1);
                }
                break;
            case DW_TAG_typedef: case DW_TAG_base_type: add_type(entry, prefix); break;
            default: break;
        }
    }

    bool nests_names() const { return unit_.is_cplusplus() || unit_.is_rust(); }

    void add_type(const Entry& entry, const std::string& prefix) {
        auto name = entry.text(DW_AT_name);
        if (!name || entry.flag(DW_AT_declaration)) return;
        std::string_view keyword;
        if (!nests_names()) {
            if (entry.tag() == DW_TAG_structure_type) keyword = "struct ";
            if (entry.tag() == DW_TAG_union_type) keyword = "union ";
            if (entry.tag() == DW_TAG_enumeration_type) keyword = "enum ";
        }
        index_.types.try_emplace(std::string(keyword) + qualified(prefix, *name), entry.offset());
    }

    // A definition may say its name itself, or leave that to its declaration.
    struct Identity {
        std::string name, linkage_name;
        std::uint32_t file = 0, line = 0;
        std::optional<std::uint64_t> declaration;
    };
    Identity identify(const Entry& entry, const std::string& prefix) const {
        Identity identity;
        std::optional<Entry> current = entry;
        for (int hops = 0; current && hops < 4; ++hops) {
            if (identity.name.empty())
                if (auto name = current->text(DW_AT_name)) {
                    auto known = hops ? declared_.find(current->offset()) : declared_.end();
                    identity.name = known != declared_.end() ? known->second : qualified(hops ? "" : prefix, *name);
                }
            if (identity.linkage_name.empty()) {
                if (auto name = current->text(DW_AT_linkage_name)) identity.linkage_name = *name;
                else if (auto old = current->text(DW_AT_MIPS_linkage_name)) identity.linkage_name = *old;
            }
            if (!identity.line) {
                identity.file = static_cast<std::uint32_t>(current->number(DW_AT_decl_file).value_or(0));
                identity.line = static_cast<std::uint32_t>(current->number(DW_AT_decl_line).value_or(0));
            }
            auto next = info_.referred(*current, DW_AT_abstract_origin);
            if (!next) next = info_.referred(*current, DW_AT_specification);
            current = next;
        }
        return identity;
    }

    void add_function(const Entry& entry, const std::string& prefix) {
        if (entry.flag(DW_AT_declaration)) {
            if (nests_names())
                if (auto name = entry.text(DW_AT_name)) declared_[entry.offset()] = qualified(prefix, *name);
            return;
        }
        Function function;
        function.ranges = ranges_of(entry);
        bool inlined_only = function.ranges.empty() && entry.number(DW_AT_inline).value_or(0) != 0;
        if (function.ranges.empty() && !inlined_only) return;
        Identity identity = identify(entry, prefix);
        if (identity.name.empty()) return;
        if (inlined_only) declared_[entry.offset()] = identity.name;
        function.name = std::move(identity.name);
        function.linkage_name = std::move(identity.linkage_name);
        function.declared_file = identity.file;
        function.declared_line = identity.line;
        function.entry_offset = entry.offset();
        function.unit = &unit_;
        index_.functions.push_back(std::move(function));
    }

    void add_global(const Entry& entry, const std::string& prefix) {
        if (entry.flag(DW_AT_declaration)) {  // a static member: the definition outside of the class refers to it
            if (auto name = entry.text(DW_AT_name)) declared_[entry.offset()] = qualified(prefix, *name);
            return;
        }
        if (entry.tag() == DW_TAG_member || !(entry.has(DW_AT_location) || entry.has(DW_AT_const_value))) return;
        Identity identity = identify(entry, prefix);
        if (!identity.name.empty()) index_.globals.push_back({std::move(identity.name), entry.offset()});
    }

    const DebugInfo& info_;
    const Unit& unit_;
    SymbolIndex& index_;
    std::unordered_map<std::uint64_t, std::string> declared_;
};

}  // namespace

const Function* SymbolIndex::function_at(FileAddress address) const {
    auto after = std::upper_bound(by_address.begin(), by_address.end(), address,
                                  [](FileAddress a, const Covered& covered) { return a < covered.range.low; });
    if (after == by_address.begin()) return nullptr;
    const Covered& covered = *std::prev(after);
    return covered.range.contains(address) ? &functions[covered.function] : nullptr;
}

const Function* SymbolIndex::function_of_entry(std::uint64_t offset) const {
    auto found = std::lower_bound(functions.begin(), functions.end(), offset,
                                  [](const Function& function, std::uint64_t at) { return function.entry_offset < at; });
    return found != functions.end() && found->entry_offset == offset ? &*found : nullptr;
}

SymbolIndex build_symbol_index(const DebugInfo& info) {
    SymbolIndex index;
    index.problems = info.problems();
    for (const auto& unit : info.units()) {
        if (unit->type != DW_UT_compile && unit->type != DW_UT_partial && unit->type != DW_UT_type) continue;
        try {
            UnitIndexer(info, *unit, index).run();
        } catch (const FormatError& error) {
            index.problems.push_back(error.what());  // what was found before the damage stays
        }
    }
    // The walk meets them in this order in any sound file.
    std::stable_sort(index.functions.begin(), index.functions.end(), [](const Function& a, const Function& b) { return a.entry_offset < b.entry_offset; });
    for (std::uint32_t i = 0; i < index.functions.size(); ++i)
        for (const FileRange& range : index.functions[i].ranges) index.by_address.push_back({range, i});
    std::sort(index.by_address.begin(), index.by_address.end(),
              [](const auto& a, const auto& b) { return a.range.low < b.range.low; });
    return index;
}

}  // namespace lantern
