// What became of the loops of a function's source: which loops of the code they are, and how much
// of the source one pass of those does.
#pragma once

#include <map>
#include <vector>

#include "core/analysis/became_report.h"
#include "core/analysis/code_of_lines.h"
#include "core/analysis/source_statements.h"

namespace lantern {

// What is looked at: one function, its statements and its code. All are borrowed.
struct Became {
    Target& target;
    const Module& module;
    const Function& function;
    const FunctionBody& body;
    const FunctionCode& code;
    const CodeOfLines& lines;
    const std::vector<SourceStatement>& statements;
};

// The first variable of that name in the scope and those in it, inlined calls left out; null: none.
const Variable* local_named(const Scope& scope, const std::string& name);

// For each loop of the code the number of the statement whose loop it is; none: it is not known.
std::vector<std::optional<std::size_t>> source_loops(const Became& became);

// By the number of the loop's statement.
std::map<std::size_t, std::vector<BecameFact>> facts_of_loops(
    const Became& became, const std::vector<std::optional<std::size_t>>& source_loops);

}  // namespace lantern
