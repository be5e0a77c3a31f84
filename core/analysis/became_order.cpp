#include "core/analysis/became_order.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/support/text.h"

namespace lantern {
namespace {

using Ground = BecameFact::Ground;
using Kind = SourceStatement::Kind;

CodeOfLine code_of(const Became& became, const SourceStatement& statement) {
    return became.lines.together(statement.first_line, statement.last_line);
}

// Whenever the second runs, the first has run before, in the same pass of the same loop.
bool runs_before(const Became& became, std::uint32_t first, std::uint32_t second) {
    const Blocks& blocks = became.code.blocks;
    std::uint32_t one = blocks.of_node(first), other = blocks.of_node(second);
    if (one == other) return first < second;
    return blocks.innermost_loop(one) == blocks.innermost_loop(other) &&
           blocks.dominates(one, other);
}

bool runs_before(const Became& became, const CodeOfLine& one, const CodeOfLine& other) {
    for (std::uint32_t first : one.nodes)
        for (std::uint32_t second : other.nodes)
            if (!runs_before(became, first, second)) return false;
    return true;
}

bool stands_in(const SourceStatement& inner, const SourceStatement& outer) {
    return outer.kind == Kind::loop && outer.first_line <= inner.first_line &&
           inner.last_line <= outer.body_last;
}

// So short a text says the same in many places.
bool says_something(const SourceStatement& statement) {
    bool does_something = statement.text.find_first_of("=(") != std::string::npos ||
                          statement.text.starts_with("return ");
    return statement.kind == Kind::plain && does_something;
}

std::size_t instructions_of_no_line(const Became& became) {
    const FunctionPositions& positions = became.module.symbols().positions_of(became.function);
    std::size_t count = 0;
    for (const FlowGraph::Node& node : became.code.flow.nodes()) {
        auto position = node.is_filler ? std::nullopt : positions.in_force(node.address);
        count += position && position->line == 0;
    }
    return count;
}

}  // namespace

std::optional<BecameFact> fact_of_order(const Became& became, std::size_t number) {
    const SourceStatement& statement = became.statements[number];
    CodeOfLine code = code_of(became, statement);
    if (statement.kind != Kind::plain || code.nodes.empty()) return std::nullopt;
    for (std::size_t i = 0; i < number; ++i) {
        const SourceStatement& other = became.statements[i];
        if (other.last_line >= statement.first_line || stands_in(statement, other)) continue;
        CodeOfLine others = code_of(became, other);
        if (others.nodes.empty() || !runs_before(became, code, others)) continue;
        return BecameFact{Ground::seen, fmt::format("all of it runs before what is left of line {}",
                                                    other.first_line)};
    }
    return std::nullopt;
}

std::optional<BecameFact> fact_of_merging(const Became& became, std::size_t number) {
    const SourceStatement& statement = became.statements[number];
    CodeOfLine code = code_of(became, statement);
    if (!code.nodes.empty() || !says_something(statement)) return std::nullopt;
    const SourceStatement *with_code = nullptr, *without = nullptr;
    for (const SourceStatement& other : became.statements) {
        bool is_twin = other.text == statement.text && other.blocks != statement.blocks &&
                       other.first_line != statement.first_line;
        if (!is_twin) continue;
        CodeOfLine others = code_of(became, other);
        auto is_of_other = [&](FileAddress mark) {
            std::uint32_t node = became.code.flow.at(mark);
            return std::binary_search(others.nodes.begin(), others.nodes.end(), node);
        };
        if (std::any_of(code.marks.begin(), code.marks.end(), is_of_other))
            return BecameFact{Ground::seen,
                              fmt::format("merged with line {}, which says the same: the line "
                                          "table names both there",
                                          other.first_line)};
        const SourceStatement*& kept = others.nodes.empty() ? without : with_code;
        if (!kept) kept = &other;
    }
    if (with_code)
        return BecameFact{Ground::possible,
                          fmt::format("merged with line {}, which says the same and has code",
                                      with_code->first_line)};
    std::size_t lineless = without ? instructions_of_no_line(became) : 0;
    if (!lineless) return std::nullopt;
    return BecameFact{Ground::possible,
                      fmt::format("merged with line {}, which says the same: the line table gives "
                                  "{} of the function to no line",
                                  without->first_line, counted(lineless, "instruction"))};
}

}  // namespace lantern
