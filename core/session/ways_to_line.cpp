#include "core/session/ways_to_line.h"

#include <algorithm>
#include <set>

#include "core/machine/instruction.h"

namespace lantern {
namespace {

constexpr std::size_t kMostInstructions = 200'000;

// Whether control can come from the function's entry to `wanted` without passing one of `closed`.
bool reaches(Target& target, const Module& module, const Function& function, FileAddress wanted, const std::set<FileAddress>& closed) {
    std::set<FileAddress> seen;
    std::vector<FileAddress> waiting{function.low()};
    while (!waiting.empty() && seen.size() < kMostInstructions) {
        FileAddress at = waiting.back();
        waiting.pop_back();
        // Straight on, as far as that goes.
        while (any_contains(function.ranges, at) && !closed.count(at) && seen.insert(at).second) {
            if (at == wanted) return true;
            std::byte bytes[kLongestInstruction];
            RunAddress here = module.to_run(at);
            auto instruction = decode_instruction(ByteSpan(bytes, target.read_available(here, bytes)), here);
            if (!instruction) break;
            bool jumps = instruction->kind == Instruction::Kind::jump || instruction->kind == Instruction::Kind::conditional_jump;
            if (jumps && instruction->target) waiting.push_back(module.to_file(*instruction->target));
            if (!instruction->falls_through()) break;
            at = at + instruction->length;
        }
    }
    return false;
}

// Where the block's first statement begins; nothing if it only goes on with one.
std::optional<FileAddress> first_statement(const ModuleSymbols& symbols, const LineBlock& block) {
    for (FileAddress at = block.range.low; at < block.range.high;) {
        auto line = symbols.line_at(at);
        if (!line) return std::nullopt;
        if (line->is_statement && line->range.low == at) return at;
        if (line->range.high <= at) return std::nullopt;
        at = line->range.high;
    }
    return std::nullopt;
}

}  // namespace

std::vector<FileAddress> further_ways(Target& target, const Module& module, const Function& function, const std::vector<LineBlock>& blocks,
                                      const std::vector<FileAddress>& chosen) {
    std::set<FileAddress> closed(chosen.begin(), chosen.end());
    std::vector<FileAddress> further;
    for (const LineBlock& block : blocks) {
        bool is_covered = block.range.low == function.low() || !any_contains(function.ranges, block.range.low) ||
                          std::any_of(closed.begin(), closed.end(), [&](FileAddress at) { return block.range.contains(at); });
        if (is_covered) continue;
        auto start = first_statement(module.symbols(), block);
        if (!start || !reaches(target, module, function, *start, closed)) continue;
        further.push_back(*start);
        closed.insert(*start);
    }
    return further;
}

}  // namespace lantern
