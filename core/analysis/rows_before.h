// Which rows of the line table lead to where a frame stands, by statement; and whether something
// is changed on the way from them, whatever it is that is asked about.
//
//     0x1180  line 9    ─┐ leads here past what changes it: one of the others
//     0x1184  line 10    │ changes it
//     0x1188  line 10   ─┤ leads here and nothing changes it: unchanged
//     0x118c  line 12   ◄┘ here
#pragma once

#include <cstdint>
#include <functional>
#include <vector>

#include "core/analysis/source_changes.h"
#include "core/code/kept_code.h"
#include "core/session/moment.h"

namespace lantern {

class RowsBefore {
  public:
    // Both are borrowed. The frame has a module, a function and a line; `changes`: of the source
    // of its own function. Throws FormatError.
    RowsBefore(const Frame& frame, const SourceChanges& changes);

    // By node: whether some way leads from it here past none that changes it, the node itself
    // included. Those that do are added to `changed_by`.
    std::vector<bool> unchanged_from(const std::function<bool(std::uint32_t)>& changes_it,
                                     std::vector<std::uint32_t>& changed_by) const;

    // Of the statement's own rows that lead here, those that are unchanged, and the others.
    struct Counted {
        unsigned unchanged = 0, others = 0;
        bool only_unchanged() const { return unchanged > 0 && others == 0; }
    };
    Counted count(std::size_t statement, const std::vector<bool>& unchanged,
                  const std::function<bool(const CodePosition&)>& is_same_at) const;
    // The statement that the instruction is of; nothing where that is not known.
    std::optional<std::size_t> statement_of(std::uint32_t node) const;
    // Of several rows at one address the instruction may be of any: the compiler moves what an
    // earlier or a later statement does to where it is.
    bool is_of(std::uint32_t node, std::size_t statement) const;

    // On every way from where the function's body starts to here it has begun before.
    bool has_begun(std::size_t statement) const;
    bool leads_here(std::uint32_t node) const { return leads_here_[node]; }

    KeptCode& code() const { return code_; }
    std::uint32_t here() const { return node_; }

  private:
    const Scope* own_scope() const;

    const Frame& frame_;
    const SourceChanges& changes_;
    KeptCode& code_;
    std::uint32_t node_;
    std::vector<bool> leads_here_;  // by node, on whatever way
};

}  // namespace lantern
