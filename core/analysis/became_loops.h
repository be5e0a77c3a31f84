// What became of the loops of a function's source: which loops of the code they are, and how much
// of the source one pass of those does.
#pragma once

#include <map>
#include <vector>

#include "core/analysis/became_report.h"
#include "core/analysis/code_of_lines.h"
#include "core/analysis/source_statements.h"
#include "core/code/loop_shape.h"

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

// The nodes of a loop, those of loops in it left out.
template <class Visit>
void for_each_own_node(const Blocks& blocks, std::uint32_t loop, const Visit& visit) {
    for (std::uint32_t number : blocks.loops()[loop].blocks) {
        if (blocks.innermost_loop(number) != loop) continue;
        const Blocks::Block& block = blocks.all()[number];
        for (std::uint32_t node = block.first; node < block.end; ++node) visit(node);
    }
}

// The first variable of that name in the scope and those in it, inlined calls left out; null: none.
const Variable* local_named(const Scope& scope, const std::string& name);

// The function's name as a fact tells it, ready to be shown: where it is long, without template
// arguments.
std::string name_in_fact(const InlinedCall& call);

// "computes with several numbers at once, with vectors of 4 numbers of 4 bytes"; empty: it does not
// go by vectors.
std::string vector_work(const LoopShape& shape);
// "at 0x4011a0", where its head begins.
std::string place_of_loop(const Became& became, const LoopShape& shape);

// For each loop of the code the number of the statement whose loop it is; none: it is not known.
std::vector<std::optional<std::size_t>> source_loops(const Became& became);

// The innermost inlined call that the loop's own code is of, that of loops in it left out; a little
// may have been mixed in from elsewhere. Null: the function's own.
const Scope* owner_of_loop(const Became& became, std::uint32_t loop);

// By the number of the loop's statement.
std::map<std::size_t, std::vector<BecameFact>> facts_of_loops(
    const Became& became, const std::vector<std::optional<std::size_t>>& source_loops);

}  // namespace lantern
