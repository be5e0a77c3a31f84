// Where a program can stand, as the source has it. In optimised code one address carries several
// rows of the line table, one after another: a statement of the function, then the call of an
// inlined function, then that one's own statements. A position is an address, one of the rows at
// it, and the inlined call that row stands in.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "core/symbols/function.h"
#include "core/symbols/line_table.h"

namespace lantern {

class ModuleSymbols;

struct LineSpan {
    std::uint32_t first = 0, last = 0;
};

struct CodePosition {
    FileAddress address;
    FileAddress end;  // of the row's code; the address itself where another row follows at once
    const std::string* file = nullptr;  // borrowed from the symbols; null where the row has no line
    std::uint32_t line = 0;             // 0: code that belongs to no line
    std::uint16_t column = 0;
    std::uint16_t order = 0;    // among those of the address
    std::uint16_t row = 0;      // among the address's rows of the line table, see LineRow::view
    bool is_statement = false;  // a statement begins here
    bool is_call = false;  // no row: an inlined call begins here, and this is the statement that
                           // holds the call
    bool ends_prologue = false;
    const Scope* inlined =
        nullptr;  // the innermost inlined call it stands in; null: the function itself

    bool is_on(const std::string& wanted_file, std::uint32_t wanted_line) const {
        return line == wanted_line && file && *file == wanted_file;
    }
};

// The positions of one function. How a row's inlined call is found: docs/design/positions.md.
class FunctionPositions {
  public:
    // Borrows both.
    FunctionPositions(const ModuleSymbols& symbols, const Function& function);
    const ModuleSymbols& symbols() const { return symbols_; }

    const std::vector<CodePosition>& all() const { return all_; }  // by address and order
    std::span<const CodePosition> at(FileAddress address) const;   // those that begin there
    // What an address belongs to that something stands at: the last row at or before it, with the
    // inlined call that is running there. Nothing where no row covers it.
    std::optional<CodePosition> in_force(FileAddress address) const;
    // The same; but what has no line and lies between two parts of one statement is of that.
    std::optional<CodePosition> in_statement(FileAddress address) const;
    // Standing at the address in the inlined call `inlined` (null: the function itself) and no
    // deeper: what lies deeper begins here, and the position is that of its call.
    CodePosition within(FileAddress address, const Scope* inlined) const;
    // The first and last line that stretches of code come from, of one function's own source: the
    // function itself, or an inlined call's. What is inlined into that counts as the line of its
    // call. Nothing where no line of it is there.
    std::optional<LineSpan> lines_of(std::span<const FileRange> ranges, const Scope* inlined) const;

  private:
    // A function, as far as the lines of its source tell it from others: its file, by number in one
    // line table, and its first line.
    struct Declared {
        std::uint32_t file = ~0u, line = 0;
        bool is_closure = false;
    };
    struct Claim {
        FileRange range;
        const Scope* scope = nullptr;
    };
    using Scopes = std::vector<const Scope*>;

    bool has_statement_behind(std::uint32_t line) const;
    void collect(const Scope& scope);
    Declared declared(const Function& function) const;
    bool fits(const Declared& function, const LineEntry& row) const;
    const Scope* owner(const LineEntry& row, const Scopes& candidates, const Scope* usual) const;
    void read_range(const FileRange& range);
    void read_address(std::span<const LineEntry> rows, const Scopes& running, const Scopes& ended);
    const Scope* reading(const LineEntry& row, FileAddress address, const Scopes& running,
                         const Scopes& ended, bool has_others);
    CodePosition position_of(const LineEntry& row, const Scope* inlined) const;
    const Scope* unrecorded(const LineEntry& row, const Scope* around);
    void add_calls(FileAddress address, Scopes running, std::size_t first);

    const ModuleSymbols& symbols_;
    const Function& function_;
    const LineTable& lines_;
    FileAddress low_;  // of the function
    std::vector<CodePosition> all_;
    std::map<std::string_view, std::uint32_t> numbers_;  // of files by path
    std::map<const Scope*, Declared> declared_;
    Declared own_;
    FunctionBody::WrittenAt resumed_at_;  // of a part of a coroutine
    std::vector<Claim> claims_;           // of the inlined calls, by address
    std::multimap<FileAddress, const Scope*>
        points_;  // those without code of their own, by where they begin
    bool has_views_ = false;
    std::map<std::pair<const Scope*, const Function*>, std::unique_ptr<Scope>>
        unrecorded_;  // see InlinedCall::is_recorded
};

// True if `inner` is `outer` or lies in it; null stands for the function itself.
bool is_within(const Scope* inner, const Scope* outer);

}  // namespace lantern
