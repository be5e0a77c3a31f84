#include "core/symbols/names.h"

#include <algorithm>

#include "core/dwarf/entry_scan.h"
#include "core/dwarf/ranges.h"
#include "core/support/error.h"

namespace lantern {

using namespace dwarf;

CodeAreas::CodeAreas(std::vector<FileRange> areas) : areas_(std::move(areas)) {
    std::sort(areas_.begin(), areas_.end(),
              [](const FileRange& a, const FileRange& b) { return a.low < b.low; });
}

bool CodeAreas::holds(FileAddress address) const {
    if (address.value == 0) return false;
    if (areas_.empty()) return address.value < ~std::uint64_t{1};
    auto after =
        std::upper_bound(areas_.begin(), areas_.end(), address,
                         [](FileAddress a, const FileRange& area) { return a < area.low; });
    return after != areas_.begin() && std::prev(after)->contains(address);
}

namespace {

constexpr SlotSet kIdentity =
    set_of(Slot::name, Slot::declaration, Slot::specification, Slot::abstract_origin);

Treatment treat(std::uint16_t tag) {
    switch (tag) {
        case DW_TAG_subprogram:
            return {kIdentity | set_of(Slot::low_pc, Slot::high_pc, Slot::ranges, Slot::inline_),
                    true, false};
        case DW_TAG_variable:
        case DW_TAG_member:
        case DW_TAG_constant:
            return {kIdentity | set_of(Slot::location, Slot::const_value), true, false};
        case DW_TAG_namespace:
        case DW_TAG_module:
        case DW_TAG_structure_type:
        case DW_TAG_class_type:
        case DW_TAG_union_type:
        case DW_TAG_enumeration_type:
        case DW_TAG_typedef:
        case DW_TAG_base_type:
        case DW_TAG_unspecified_type:
            return {set_of(Slot::name, Slot::declaration, Slot::specification, Slot::signature),
                    true, false};
        default: return {};
    }
}

// The same for functions inside of functions: lambdas, methods of local classes, nested functions.
Treatment treat_nested(std::uint16_t tag) {
    switch (tag) {
        case DW_TAG_subprogram: return treat(tag);
        case DW_TAG_namespace:
        case DW_TAG_module:
        case DW_TAG_lexical_block:
        case DW_TAG_try_block:
        case DW_TAG_structure_type:
        case DW_TAG_class_type: return {0, false, true};
        default: return {};
    }
}

}  // namespace

struct NameScanner::Work {
    Work(const DebugInfo& i, const CodeAreas& a)
        : info(i), areas(a), scanner(treat), reader(treat), nested_scanner(treat_nested) {}

    const DebugInfo& info;
    const CodeAreas& areas;
    EntryScanner scanner, reader;  // the second looks at single entries while the first walks
    EntryScanner nested_scanner;
    const Unit* unit = nullptr;
    UnitNames found;
    bool nests_names = false;
    std::vector<std::uint32_t> open;  // scopes, outermost first
    struct Unnamed {
        std::size_t entry;
        Position declaration;
    };
    std::vector<Unnamed> unnamed;  // entries that leave their name to another one

    std::uint32_t scope() const { return open.empty() ? kNoScope : open.back(); }

    void add(const ScannedEntry& entry, NameKind kind) {
        found.names.push_back({entry.position, entry.or_zero(Slot::name), scope(), kind});
        // In a type unit the definition stands outside of its namespace, and a declaration inside
        // says which that is.
        if (entry.has(Slot::name) && !(is_type(kind) && entry.has(Slot::specification))) return;
        if (entry.has(Slot::specification))
            unnamed.push_back({found.names.size() - 1, entry[Slot::specification]});
        else if (entry.has(Slot::abstract_origin))
            unnamed.push_back({found.names.size() - 1, entry[Slot::abstract_origin]});
    }

    bool entry(const ScannedEntry& entry) {
        switch (entry.tag) {
            case DW_TAG_subprogram: function(entry); return false;
            case DW_TAG_namespace:
            case DW_TAG_module: open_scope(entry); return entry.has_children;
            case DW_TAG_structure_type:
            case DW_TAG_class_type: type(entry, NameKind::structure); return nest(entry);
            case DW_TAG_union_type: type(entry, NameKind::union_); return nest(entry);
            case DW_TAG_enumeration_type: type(entry, NameKind::enumeration); return false;
            case DW_TAG_typedef: type(entry, NameKind::alias); return false;
            case DW_TAG_base_type:
            case DW_TAG_unspecified_type: type(entry, NameKind::base_type); return false;
            default:
                if (!entry.or_zero(Slot::declaration) && entry.tag != DW_TAG_member &&
                    (entry.has(Slot::location) || entry.has(Slot::const_value)))
                    add(entry, NameKind::global);
                return false;
        }
    }

    void leave(Position end) {
        found.scopes[open.back()].end = end;
        open.pop_back();
    }

    bool nest(const ScannedEntry& entry) {
        if (!nests_names || !entry.has_children) return false;
        open_scope(entry);
        return true;
    }

    void open_scope(const ScannedEntry& entry) {
        if (!entry.has_children) return;
        found.scopes.push_back(
            {entry.position, unit->end,
             entry.has(Slot::name) ? entry[Slot::name] : name_by_signature(entry), scope()});
        open.push_back(static_cast<std::uint32_t>(found.scopes.size() - 1));
    }

    // A class whose definition is a type unit may leave its name to that.
    TextPosition name_by_signature(const ScannedEntry& entry) {
        auto at = entry.has(Slot::signature) ? info.type_of_signature(entry[Slot::signature])
                                             : std::nullopt;
        const Unit* holder = at ? info.unit_holding(*at) : nullptr;
        ScannedEntry target;
        return holder && reader.read(*holder, *at, target) ? target.or_zero(Slot::name) : 0;
    }

    void type(const ScannedEntry& entry, NameKind kind) {
        if (entry.or_zero(Slot::declaration)) return;
        // An enumeration without a name still gives names to its values.
        if (entry.has(Slot::name) || kind == NameKind::enumeration) add(entry, kind);
    }

    void function(const ScannedEntry& entry) {
        if (entry.or_zero(Slot::declaration)) return;
        bool has_code = false;
        if (entry.has(Slot::ranges)) {
            for (const FileRange& range :
                 range_list(*unit, entry.form_of(Slot::ranges), entry[Slot::ranges]))
                has_code |= code(entry, range.low.value, range.high.value);
        } else if (entry.has(Slot::low_pc) && entry.has(Slot::high_pc)) {
            std::uint64_t low = entry[Slot::low_pc], high = entry[Slot::high_pc];
            has_code =
                code(entry, low, high_is_address(entry.form_of(Slot::high_pc)) ? high : low + high);
        }
        if (has_code)
            add(entry, NameKind::function);
        else if (is_abstract(entry))
            add(entry, NameKind::inlined_function);
    }

    // Said to be inlined, or written before it was known what becomes of it (link-time
    // optimisation), so without any place.
    static bool is_abstract(const ScannedEntry& entry) {
        if (entry.has(Slot::inline_)) return entry[Slot::inline_] == 1 || entry[Slot::inline_] == 3;
        return !entry.has(Slot::low_pc) && !entry.has(Slot::ranges);
    }

    bool code(const ScannedEntry& entry, std::uint64_t low, std::uint64_t high) {
        if (low >= high || !areas.holds(FileAddress(low))) return false;
        found.code.push_back({FileAddress(low), entry.position, high - low});
        return true;
    }

    // The first pass does not look into functions: that would be most of the work. Where the unit
    // claims code that no function owns, more of it than the padding between two functions, a
    // second one does.
    bool leaves_code_without_function() {
        constexpr std::uint64_t kPadding = 15;
        auto code = found.code.begin();
        std::vector<FileRange> claimed = ranges_of_unit(*unit);
        std::sort(claimed.begin(), claimed.end(),
                  [](const FileRange& a, const FileRange& b) { return a.low < b.low; });
        for (const FileRange& range : claimed) {
            if (!areas.holds(range.low)) continue;
            std::uint64_t reached = range.low.value;
            while (code != found.code.end() && code->low < range.low) ++code;
            for (; code != found.code.end() && code->low < range.high; ++code) {
                if (code->low.value > reached + kPadding) return true;
                reached = std::max(reached, code->low.value + code->size);
            }
            if (range.high.value > reached + kPadding) return true;
        }
        return false;
    }

    struct NestedFunctions {
        Work& work;
        unsigned depth = 0;
        bool entry(const ScannedEntry& entry) {
            if (depth > 0) work.function(entry);
            if (!entry.has_children) return false;
            ++depth;
            return true;
        }
        void leave(Position) { --depth; }
    };

    void sort_code() {
        std::sort(found.code.begin(), found.code.end(),
                  [](const CodeRange& a, const CodeRange& b) { return a.low < b.low; });
    }

    void scan_nested() {
        std::size_t before = found.names.size();
        NestedFunctions nested{*this};
        nested_scanner.walk(*unit, nested);
        for (std::size_t i = before; i < found.names.size(); ++i)
            found.names[i].scope = scope_at(found.scopes, found.names[i].position);
        sort_code();
    }

    // The declaration has the name, and stands in the scope that qualifies it; it may pass the
    // question on.
    void give_names() {
        ScannedEntry target;
        for (const Unnamed& wanted : unnamed) {
            NameEntry& name = found.names[wanted.entry];
            Position at = wanted.declaration;
            for (int hops = 0; hops < 5; ++hops) {
                const Unit* holder =
                    at >= unit->first_entry && at < unit->end ? unit : info.unit_holding(at);
                if (!holder || !reader.read(*holder, at, target)) break;
                if (target.has(Slot::name)) {
                    name.name = target[Slot::name];
                    name.scope = holder == unit ? scope_at(found.scopes, at) : kForeignScope;
                    break;
                }
                if (target.has(Slot::specification))
                    at = target[Slot::specification];
                else if (target.has(Slot::abstract_origin))
                    at = target[Slot::abstract_origin];
                else
                    break;
            }
        }
        std::erase_if(found.names, [](const NameEntry& name) {
            return name.name == 0 && name.kind != NameKind::enumeration;
        });
    }

    UnitNames scan(const Unit& wanted) {
        unit = &wanted;
        found = {};
        open.clear();
        unnamed.clear();
        nests_names = wanted.is_cplusplus() || wanted.is_rust() || wanted.language() == 0;
        try {
            if (std::string damage = wanted.root().tag ? "" : wanted.damage(); !damage.empty())
                throw FormatError(damage);
            scanner.walk(wanted, *this);
            sort_code();
            if (leaves_code_without_function()) scan_nested();
        } catch (const FormatError& error) {
            found.damage = error.what();
        }
        try {
            give_names();
        } catch (const FormatError& error) {
            if (found.damage.empty()) found.damage = error.what();
        }
        sort_code();
        return std::move(found);
    }
};

NameScanner::NameScanner(const DebugInfo& info, const CodeAreas& areas)
    : work_(std::make_unique<Work>(info, areas)) {}
NameScanner::~NameScanner() = default;

std::optional<Position> NameScanner::declaration_of(const DebugInfo& info, Position definition) {
    auto entry = info.entry_at(definition);
    if (!entry) return std::nullopt;
    for (const Entry& each : info.with_origins(*entry))
        if (each.has(DW_AT_name)) return each.offset();
    return std::nullopt;
}

UnitNames NameScanner::scan(const Unit& unit) {
    return work_->scan(unit);
}

std::vector<FileRange> ranges_of_unit(const Unit& unit) {
    const Unit& holder = unit.skeleton ? *unit.skeleton : unit;
    const UnitRoot& root = holder.root();
    if (root.ranges) return range_list(holder, root.ranges_form, *root.ranges);
    if (root.high_pc && root.low_pc < *root.high_pc) return {{root.low_pc, *root.high_pc}};
    return {};
}

std::uint32_t scope_at(std::span<const NameScope> scopes, Position position) {
    auto after =
        std::upper_bound(scopes.begin(), scopes.end(), position,
                         [](Position at, const NameScope& scope) { return at < scope.begin; });
    if (after == scopes.begin()) return kNoScope;
    std::uint32_t at = static_cast<std::uint32_t>(after - scopes.begin() - 1);
    // Scopes nest: what does not hold the position is left by the way of its parents.
    for (std::size_t bound = scopes.size(); at != kNoScope && at < scopes.size() && bound > 0;
         at = scopes[at].parent, --bound)
        if (position < scopes[at].end) return at;
    return kNoScope;
}

namespace {

// "operator<" holds no template arguments, and "operator()" no parameters.
bool is_operator_at(std::string_view name, std::size_t at) {
    std::string_view rest = name.substr(at);
    if (!rest.starts_with("operator")) return false;
    return rest.size() == 8 ||
           !(std::isalnum(static_cast<unsigned char>(rest[8])) || rest[8] == '_');
}

}  // namespace

std::string_view without_template_arguments(std::string_view name) {
    if (is_operator_at(name, 0)) return name;
    std::size_t at = name.find('<');
    return at == std::string_view::npos || at == 0 ? name : name.substr(0, at);
}

std::string without_all_template_arguments(std::string_view name) {
    std::string out;
    int depth = 0;
    for (std::size_t i = 0; i < name.size(); ++i) {
        bool starts_component = out.empty() || out.back() == ':';
        if (depth == 0 && starts_component && is_operator_at(name, i))
            return out + std::string(name.substr(i));
        if (name[i] == '<' && !(starts_component && depth == 0))
            ++depth;
        else if (name[i] == '>' && depth > 0)
            --depth;
        else if (depth == 0)
            out += name[i];
    }
    return depth == 0 ? out : std::string(name);
}

std::string_view last_component(std::string_view name) {
    int depth = 0;
    std::size_t start = 0;
    for (std::size_t i = 0; i + 1 < name.size(); ++i) {
        if (i == start && is_operator_at(name, i)) return name.substr(start);
        char c = name[i];
        if (c == '<' || c == '(' || c == '{' || c == '[') ++depth;
        if ((c == '>' || c == ')' || c == '}' || c == ']') && depth > 0) --depth;
        if (depth == 0 && c == ':' && name[i + 1] == ':') start = i + 2;
    }
    return name.substr(start);
}

}  // namespace lantern
