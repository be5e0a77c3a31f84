#include "core/symbols/code_query.h"

#include <algorithm>

#include "core/symbols/places.h"

namespace lantern {

std::vector<CodeFrame> frames_at(const ModuleSymbols& symbols, FileAddress address) {
    std::vector<CodeFrame> frames;
    const Function* function = symbols.function_at(address);
    if (!function) return frames;
    CodePosition position =
        symbols.positions_of(*function).in_force(address).value_or(CodePosition{});
    // Each frame's line is where the next inner one was called from; the innermost has the line
    // table's.
    std::string file = position.file ? *position.file : "";
    std::uint32_t number = position.line;
    std::uint16_t column = position.column;
    for (const Scope* scope = position.inlined; scope; scope = scope->around) {
        const InlinedCall& call = *scope->inlined;
        frames.push_back({call.name, file, number, column, true});
        file = call.call_file;
        number = call.call_line;
        column = static_cast<std::uint16_t>(call.call_column);
    }
    frames.push_back({function->name, file, number, column, false});
    return frames;
}

std::vector<LineBlock> blocks_of_line(const ModuleSymbols& symbols, std::string_view file,
                                      std::uint32_t line) {
    std::vector<LineBlock> blocks;
    for (const dwarf::Unit* unit : units_mentioning(symbols, file)) {
        const LineTable& lines = symbols.lines_of(*unit);
        for (const LineEntry& entry : lines.entries()) {
            if (entry.line != line || entry.range.size() == 0 ||
                entry.file >= lines.files().size() ||
                !path_matches(lines.files()[entry.file].path, file))
                continue;
            std::vector<CodeFrame> frames = frames_at(symbols, entry.range.low);
            LineBlock block{entry.range, frames.empty() ? "" : frames.front().function, "", line};
            if (frames.size() > 1) block.inlined_into = frames.back().function;
            blocks.push_back(std::move(block));
        }
    }
    std::sort(blocks.begin(), blocks.end(),
              [](const LineBlock& a, const LineBlock& b) { return a.range.low < b.range.low; });
    std::vector<LineBlock> joined;
    for (LineBlock& block : blocks) {
        bool continues = !joined.empty() && joined.back().range.high == block.range.low &&
                         joined.back().function == block.function &&
                         joined.back().inlined_into == block.inlined_into;
        if (continues)
            joined.back().range.high = block.range.high;
        else if (joined.empty() || joined.back().range.low != block.range.low)
            joined.push_back(std::move(block));
    }
    return joined;
}

}  // namespace lantern
