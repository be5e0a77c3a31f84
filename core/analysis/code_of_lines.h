// Which instructions of a function belong to which of its own source lines. What was inlined counts
// for the line of its call.
#pragma once

#include <cstdint>
#include <map>
#include <vector>

#include "core/code/function_code.h"
#include "core/symbols/position.h"

namespace lantern {

struct CodeOfLine {
    std::vector<std::uint32_t> nodes;  // of the function's graph, by address; no filler
    // Of a call in the line that was inlined: its outermost scope, and its part of the nodes. All
    // such calls are there, without nodes too.
    std::map<const Scope*, std::vector<std::uint32_t>> inlined;
    std::vector<FileAddress>
        marks;  // where the line table names it without an instruction of its own
};

// The call in the function itself that the scope is, or lies in; null: none.
const Scope* outermost_call(const Scope* inlined);

class CodeOfLines {
  public:
    // All are borrowed.
    CodeOfLines(const FunctionCode& code, const FunctionPositions& positions,
                const FunctionBody& body, const std::string& file);

    const std::map<std::uint32_t, CodeOfLine>& lines() const { return lines_; }
    // 0: it belongs to none, or to another file's.
    std::uint32_t line_of(std::uint32_t node) const { return line_of_[node]; }
    bool is_inlined(std::uint32_t node) const { return call_of_[node] != nullptr; }
    // The innermost inlined call that it is of; null: it is the function's own, or no line's.
    const Scope* call_of(std::uint32_t node) const { return call_of_[node]; }
    // All of several lines, as one.
    CodeOfLine together(std::uint32_t first, std::uint32_t last) const;

  private:
    void collect_calls(const Scope& scope);

    std::map<std::uint32_t, CodeOfLine> lines_;
    std::vector<std::uint32_t> line_of_;  // by node
    std::vector<const Scope*> call_of_;
};

}  // namespace lantern
