// The names of one module, ready to be looked up: every function, global variable and type of all
// its units. The records lie in this process or, unchanged, in a file that an earlier session left
// (see index_file.h).
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/symbols/names.h"

namespace lantern {

// The part of the index that is one unit's: from these elements up to those of the next.
struct UnitSlice {
    std::uint32_t names = 0, scopes = 0, code = 0, padding = 0;
};

class SymbolIndex {
  public:
    struct Tables {
        std::span<const NameEntry> names;
        std::span<const NameScope> scopes;
        std::span<const CodeRange> code;
        std::span<const UnitSlice> units;  // one more than there are units
        std::span<const std::uint32_t>
            heads;  // by hash of a name's last component: where its entries start in `chain`
        std::span<const std::uint32_t> chain;  // indexes of names
    };
    // Passes over all units, on all processors. `progress` is told how much of the whole is done, 0
    // to 1, now and then, from the calling thread; it may be empty. It may throw to give up.
    static SymbolIndex build(const dwarf::DebugInfo& info, const CodeAreas& areas,
                             const std::function<void(double)>& progress = {});
    // Over tables that lie elsewhere; `keeper` keeps them alive.
    SymbolIndex(const dwarf::DebugInfo& info, Tables tables, std::shared_ptr<const void> keeper);

    std::span<const NameEntry> names() const { return tables_.names; }
    const Tables& tables() const { return tables_; }
    std::span<const CodeRange> code_of(std::size_t unit) const;  // by address
    std::span<const NameScope> scopes_of(
        std::size_t unit) const;  // their `parent` counts from this span's start
    const std::vector<std::string>& problems() const { return problems_; }
    std::size_t memory() const;  // bytes of all tables

    std::string_view own_name(const NameEntry& entry) const { return info_->text(entry.name); }
    std::string qualified_name(const NameEntry& entry) const;
    const std::string& scope_name(
        std::uint32_t scope) const;  // qualified; empty for none. Kept once made.

    // Calls `visit` for each entry whose last component is `name`, template arguments aside.
    template <class Visit>
    void for_each_named(std::string_view name, Visit&& visit) const {
        if (tables_.heads.size() < 2) return;
        std::string_view base = without_template_arguments(name);
        std::size_t bucket = hash_of(base) % (tables_.heads.size() - 1);
        for (std::uint32_t i = tables_.heads[bucket];
             i < tables_.heads[bucket + 1] && i < tables_.chain.size(); ++i) {
            if (tables_.chain[i] >= tables_.names.size()) continue;
            const NameEntry& entry = tables_.names[tables_.chain[i]];
            if (without_template_arguments(own_name(entry)) == base) visit(entry);
        }
    }

  private:
    static std::uint32_t hash_of(std::string_view base);
    static void resolve_foreign_scopes(const dwarf::DebugInfo& info, std::vector<NameEntry>& names,
                                       const std::vector<NameScope>& scopes,
                                       const std::vector<UnitSlice>& units);

    const dwarf::DebugInfo* info_;
    Tables tables_;
    std::shared_ptr<const void> keeper_;
    std::vector<std::string> problems_;
    mutable std::vector<std::string> scope_names_;
};

// "canal::Lock" for a scope of `scopes`. Anonymous ones read "(anonymous)".
std::string join_scope_names(const dwarf::DebugInfo& info, std::span<const NameScope> scopes,
                             std::uint32_t scope);

// True if `qualified` is `wanted` or ends in "::wanted"; template arguments and anonymous scopes
// may be left out of `wanted`.
bool name_matches(const std::string& qualified, std::string_view wanted);

}  // namespace lantern
