#include "core/analysis/origin_link.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/code/function_code.h"
#include "core/target/module.h"

namespace lantern {

void place_link(OriginLink& link, const FunctionCode& code, std::uint32_t node,
                const Module* module) {
    FileAddress at = code.node(node).address;
    link.function = code.flow.function().name;
    link.at = module ? module->to_run(at).value : 0;
    if (auto line = code.symbols.line_at(at)) {
        link.file = line->file;
        link.line = line->line;
    }
}

namespace {

// Of the function's own file: what was inlined from another one is of the line of its call. 0: not
// known.
std::uint32_t own_line_of(const FunctionCode& code, std::uint32_t node) {
    const Function& function = code.flow.function();
    FileAddress at = code.node(node).address;
    auto line = code.symbols.line_at(at);
    if (!line) return 0;
    return line->file == function.declared_in
               ? line->line
               : code.symbols.positions_of(function).within(at, nullptr).line;
}

}  // namespace

std::string lines_of_nodes(const FunctionCode& code, const std::vector<std::uint32_t>& nodes) {
    std::vector<std::string> lines;
    for (std::uint32_t node : nodes)
        if (std::uint32_t line = own_line_of(code, node)) {
            std::string number = std::to_string(line);
            if (std::ranges::find(lines, number) == lines.end()) lines.push_back(number);
        }
    if (lines.empty()) return "a place without a line";
    return lines.size() == 1 ? "line " + lines[0]
                             : fmt::format("one of the lines {}", fmt::join(lines, ", "));
}

}  // namespace lantern
