// How a name is found. The records of all units lie in buckets, by the hash of their own name
// without template arguments: "canal::Barge::load<int>" is looked for as "load", and the few in
// its bucket are read and compared with their scopes:
//
//     bucket of "load"  →  [Barge::load in unit 3] [load in unit 7] [Wagon::load in unit 9]
//
// Nothing else is decoded, and the same records can be mapped from a file.
#include "core/symbols/symbol_index.h"

#include <algorithm>

#include "core/support/each_in_parallel.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {

using namespace dwarf;

namespace {

struct OwnedTables {
    std::vector<NameEntry> names;
    std::vector<NameScope> scopes;
    std::vector<CodeRange> code;
    std::vector<UnitSlice> units;
    std::vector<std::uint32_t> heads, chain;
};

bool has_names(const Unit& unit) {
    return unit.type != DW_UT_skeleton;
}

std::vector<UnitNames> scan_all(const DebugInfo& info, const CodeAreas& areas,
                                const std::function<void(double)>& progress) {
    const auto& units = info.units();
    std::vector<UnitNames> found(units.size());
    std::uint64_t total = 0;
    for (const auto& unit : units) total += unit->end - unit->offset;
    constexpr std::uint64_t kWorthThreads =
        1 << 20;  // below this starting a thread takes longer than the pass
    each_in_parallel(units.size(), total >= kWorthThreads, progress, [&] {
        return [&, scanner = std::make_shared<NameScanner>(info, areas)](std::size_t i) {
            if (has_names(*units[i])) found[i] = scanner->scan(*units[i]);
        };
    });
    return found;
}

UnitSlice end_of(const OwnedTables& all) {
    return {static_cast<std::uint32_t>(all.names.size()),
            static_cast<std::uint32_t>(all.scopes.size()),
            static_cast<std::uint32_t>(all.code.size())};
}

void append(OwnedTables& all, UnitNames& unit) {
    all.units.push_back(end_of(all));
    all.names.insert(all.names.end(), unit.names.begin(), unit.names.end());
    all.scopes.insert(all.scopes.end(), unit.scopes.begin(), unit.scopes.end());
    all.code.insert(all.code.end(), unit.code.begin(), unit.code.end());
    unit = {};
}

}  // namespace

std::uint32_t SymbolIndex::hash_of(std::string_view text) {
    std::uint64_t hash = 0xcbf29ce484222325;
    for (char c : text) hash = (hash ^ static_cast<unsigned char>(c)) * 0x100000001b3;
    return static_cast<std::uint32_t>(hash ^ hash >> 32);
}

// A definition whose declaration stands in another unit has its name already; the scope is looked
// up there.
void SymbolIndex::resolve_foreign_scopes(const DebugInfo& info, std::vector<NameEntry>& names,
                                         const std::vector<NameScope>& scopes,
                                         const std::vector<UnitSlice>& slices) {
    for (NameEntry& name : names) {
        if (name.scope != NameScanner::kForeignScope) continue;
        name.scope = kNoScope;
        std::optional<Position> at;
        try {
            at = NameScanner::declaration_of(info, name.position);
        } catch (const FormatError&) {
            continue;  // told when somebody asks for the entry itself
        }
        const Unit* holder = at ? info.unit_holding(*at) : nullptr;
        if (!holder) continue;
        std::size_t index = holder->index;
        std::span<const NameScope> theirs(scopes.data() + slices[index].scopes,
                                          slices[index + 1].scopes - slices[index].scopes);
        std::uint32_t local = scope_at(theirs, *at);
        if (local != kNoScope) name.scope = slices[index].scopes + local;
    }
}

SymbolIndex SymbolIndex::build(const DebugInfo& info, const CodeAreas& areas,
                               const std::function<void(double)>& progress) {
    std::vector<UnitNames> found = scan_all(info, areas, progress);
    auto all = std::make_shared<OwnedTables>();
    std::vector<std::string> problems;
    std::size_t names = 0, scopes = 0, code = 0;
    for (const UnitNames& unit : found) {
        names += unit.names.size();
        scopes += unit.scopes.size();
        code += unit.code.size();
    }
    all->names.reserve(names);
    all->scopes.reserve(scopes);
    all->code.reserve(code);
    all->units.reserve(found.size() + 1);
    for (UnitNames& unit : found) {
        if (!unit.damage.empty()) problems.push_back(unit.damage);
        std::uint32_t first_scope = static_cast<std::uint32_t>(all->scopes.size());
        for (NameEntry& name : unit.names)
            if (name.scope < NameScanner::kForeignScope) name.scope += first_scope;
        append(*all, unit);
    }
    all->units.push_back(end_of(*all));
    resolve_foreign_scopes(info, all->names, all->scopes, all->units);

    // Buckets by counting: how many fall into each, where each starts, then the entries themselves.
    std::size_t buckets = 16;
    while (buckets < all->names.size()) buckets *= 2;
    all->heads.assign(buckets + 1, 0);
    std::vector<std::uint32_t> bucket_of(all->names.size());
    for (std::size_t i = 0; i < all->names.size(); ++i) {
        bucket_of[i] = hash_of(without_template_arguments(info.text(all->names[i].name))) % buckets;
        ++all->heads[bucket_of[i] + 1];
    }
    for (std::size_t i = 0; i < buckets; ++i) all->heads[i + 1] += all->heads[i];
    all->chain.resize(all->names.size());
    std::vector<std::uint32_t> fill(all->heads.begin(), all->heads.end() - 1);
    for (std::size_t i = 0; i < all->names.size(); ++i)
        all->chain[fill[bucket_of[i]]++] = static_cast<std::uint32_t>(i);

    SymbolIndex index(
        info, {all->names, all->scopes, all->code, all->units, all->heads, all->chain}, all);
    index.problems_ = std::move(problems);
    return index;
}

SymbolIndex::SymbolIndex(const DebugInfo& info, Tables tables, std::shared_ptr<const void> keeper)
    : info_(&info), tables_(tables), keeper_(std::move(keeper)) {}

std::span<const CodeRange> SymbolIndex::code_of(std::size_t unit) const {
    if (unit + 1 >= tables_.units.size()) return {};
    std::size_t from = tables_.units[unit].code, to = tables_.units[unit + 1].code;
    return from <= to && to <= tables_.code.size() ? tables_.code.subspan(from, to - from)
                                                   : std::span<const CodeRange>();
}

std::span<const NameScope> SymbolIndex::scopes_of(std::size_t unit) const {
    if (unit + 1 >= tables_.units.size()) return {};
    std::size_t from = tables_.units[unit].scopes, to = tables_.units[unit + 1].scopes;
    return from <= to && to <= tables_.scopes.size() ? tables_.scopes.subspan(from, to - from)
                                                     : std::span<const NameScope>();
}

std::size_t SymbolIndex::memory() const {
    return tables_.names.size_bytes() + tables_.scopes.size_bytes() + tables_.code.size_bytes() +
           tables_.units.size_bytes() + tables_.heads.size_bytes() + tables_.chain.size_bytes();
}

const std::string& SymbolIndex::scope_name(std::uint32_t scope) const {
    static const std::string none;
    if (scope >= tables_.scopes.size()) return none;
    if (scope_names_.empty()) scope_names_.resize(tables_.scopes.size());
    std::string& name = scope_names_[scope];
    if (!name.empty()) return name;
    // A scope's parent is counted within its unit, and the unit's slice starts where the slice
    // table says.
    auto slice =
        std::upper_bound(tables_.units.begin(), tables_.units.end(), scope,
                         [](std::uint32_t at, const UnitSlice& unit) { return at < unit.scopes; });
    if (slice == tables_.units.begin()) return none;
    std::size_t unit = static_cast<std::size_t>(slice - tables_.units.begin() - 1);
    name = join_scope_names(*info_, scopes_of(unit), scope - tables_.units[unit].scopes);
    return name;
}

std::string SymbolIndex::qualified_name(const NameEntry& entry) const {
    const std::string& scope = scope_name(entry.scope);
    std::string name(own_name(entry));
    return scope.empty() ? name : scope + "::" + name;
}

std::string join_scope_names(const DebugInfo& info, std::span<const NameScope> scopes,
                             std::uint32_t scope) {
    std::vector<std::string_view> parts;
    constexpr std::size_t kDeepest = 200;
    for (; scope < scopes.size() && parts.size() < kDeepest; scope = scopes[scope].parent) {
        std::string_view name = info.text(scopes[scope].name);
        parts.push_back(name.empty() ? "(anonymous)" : name);
    }
    std::string joined;
    for (auto part = parts.rbegin(); part != parts.rend(); ++part) {
        if (!joined.empty()) joined += "::";
        joined += *part;
    }
    return joined;
}

namespace {

bool ends_in_component(std::string_view qualified, std::string_view wanted) {
    if (!qualified.ends_with(wanted)) return false;
    std::string_view before = qualified.substr(0, qualified.size() - wanted.size());
    return before.empty() || before.ends_with("::");
}

std::string without_anonymous(std::string name) {
    for (std::size_t at; (at = name.find("(anonymous)::")) != std::string::npos;)
        name.erase(at, 13);
    return name;
}

}  // namespace

namespace {

// "vector<int>" for "vector<int, std::allocator<int> >": arguments that were left out at the end
// were defaults.
bool matches_with_defaults(const std::string& qualified, std::string_view wanted) {
    if (!wanted.ends_with('>')) return false;
    std::string name = without_spaces(qualified), asked = without_spaces(wanted);
    std::string_view own = last_component(name), start = last_component(asked);
    start.remove_suffix(1);
    if (!own.starts_with(start) || own.size() == start.size() ||
        (own[start.size()] != ',' && own[start.size()] != '>'))
        return false;
    std::string_view scope = std::string_view(name).substr(0, name.size() - own.size());
    std::string_view asked_scope =
        std::string_view(asked).substr(0, asked.size() - start.size() - 1);
    return ends_in_component(scope, asked_scope);
}

}  // namespace

bool name_matches(const std::string& qualified, std::string_view wanted) {
    if (ends_in_component(qualified, wanted)) return true;
    std::string named = without_anonymous(qualified);
    return ends_in_component(named, wanted) ||
           ends_in_component(without_all_template_arguments(named), wanted) ||
           matches_with_defaults(named, wanted);
}

}  // namespace lantern
