// Makes Types out of DWARF entries, each once (DWARF 5 §5).
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <unordered_map>

#include "core/dwarf/debug_info.h"
#include "core/symbols/type.h"

namespace lantern {

class TypeTable {
  public:
    // `find_complete` turns the declaration of a structure into its definition, from the whole
    // program.
    using FindComplete =
        std::function<std::optional<dwarf::Position>(const dwarf::Entry& declaration)>;
    using FileName = std::function<std::string(const dwarf::Unit&, std::uint64_t index)>;
    using QualifiedName = std::function<std::string(dwarf::Position)>;
    TypeTable(const dwarf::DebugInfo& info, FindComplete find_complete, FileName file_name,
              QualifiedName qualified_name);

    // The type an entry's DW_AT_type names; void if it has none. Never null. Owned by this table.
    const Type* type_of(const dwarf::Entry& entry) const;
    const Type* type_at(std::uint64_t entry_offset) const;
    // Types that cannot be what their entries say, one sentence each.
    const std::vector<std::string>& problems() const { return problems_; }
    std::vector<Member> read_members(const Type& type) const;
    std::vector<Member> read_static_members(const Type& type) const;
    std::vector<Variant> read_variants(const Type& type) const;
    std::optional<Member> read_discriminant(const Type& type)
        const;  // what tells the variants apart, where that has a place of its own
    std::vector<TemplateArgument> read_arguments(const Type& type) const;
    bool read_passed_by_reference(const Type& type) const;
    // Qualified, and in C with its keyword.
    std::string full_name(const Type& type) const;
    std::vector<std::string> read_methods(
        const Type& type) const;  // names, in the order of declaration

  private:
    void fill(Type& type, const dwarf::Entry& entry) const;
    void break_circle(Type& type) const;
    void fill_base(Type& type, const dwarf::Entry& entry) const;
    void fill_array(Type& type, const dwarf::Entry& entry) const;
    void fill_structure(Type& type, const dwarf::Entry& entry) const;
    void fill_enumeration(Type& type, const dwarf::Entry& entry) const;
    void fill_function(Type& type, const dwarf::Entry& entry) const;
    Member read_member(const dwarf::Entry& entry) const;

    const dwarf::DebugInfo& info_;
    FindComplete find_complete_;
    FileName file_name_;
    QualifiedName qualified_name_;
    mutable unsigned depth_ = 0;
    mutable std::vector<std::string> problems_;
    mutable std::unordered_map<std::uint64_t, std::unique_ptr<Type>> types_;
    mutable std::vector<std::unique_ptr<Type>> inner_dimensions_;
};

}  // namespace lantern
