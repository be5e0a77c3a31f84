// Reads the inside of one function: its scopes, parameters, locals and inlined calls (DWARF 5 §3.3,
// §3.5, §4.1).
#pragma once

#include "core/dwarf/debug_info.h"
#include "core/symbols/function.h"
#include "core/symbols/type_table.h"

namespace lantern {

class ScopeReader {
  public:
    // `names` turns the name of an abstract function's entry into the qualified one. All are
    // borrowed.
    using NameOf = std::function<std::string(const dwarf::Entry&)>;
    ScopeReader(const dwarf::DebugInfo& info, const TypeTable& types, TypeTable::FileName file_name,
                NameOf name_of)
        : info_(info),
          types_(types),
          file_name_(std::move(file_name)),
          name_of_(std::move(name_of)) {}

    // Throws FormatError.
    FunctionBody read(const Function& function) const;
    // Only the calls inlined around `pc`, innermost first: far cheaper than the whole body. Throws
    // FormatError.
    std::vector<InlinedCall> inlined_at(const Function& function, FileAddress pc) const;
    Variable read_variable(const dwarf::Entry& entry) const;
    // The call of `function` that returns to `return_address`; nothing if none is recorded. Throws
    // FormatError.
    std::optional<CallSite> call_site_at(const Function& function,
                                         FileAddress return_address) const;
    std::vector<TailCall> tail_calls_of(const Function& function) const;

  private:
    void find_tail_calls(const dwarf::Entry& parent, std::vector<TailCall>& found, int depth) const;
    std::optional<CallSite> find_call_site(const dwarf::Entry& parent, FileAddress return_address,
                                           int depth) const;
    bool descend(const dwarf::Entry& parent, FileAddress pc, std::vector<InlinedCall>& calls,
                 int depth) const;
    void read_scope(Scope& scope, const dwarf::Entry& entry, int depth) const;
    InlinedCall read_inlined_call(const dwarf::Entry& entry) const;

    const dwarf::DebugInfo& info_;
    const TypeTable& types_;
    TypeTable::FileName file_name_;
    NameOf name_of_;
};

}  // namespace lantern
