#include "core/session/line_plan.h"

#include "core/machine/instruction.h"

namespace lantern {

LinePlan plan_ranges(Target& target, const Module& module, std::vector<FileRange> ranges) {
    LinePlan plan;
    plan.ranges = std::move(ranges);
    auto inside = [&](RunAddress address) { return any_contains(plan.ranges, module.to_file(address)); };
    for (const FileRange& range : plan.ranges) {
        std::vector<std::byte> code(range.size());
        RunAddress start = module.to_run(range.low);
        target.read_memory(start, code);
        for (std::size_t offset = 0; offset < code.size();) {
            auto instruction = decode_instruction(ByteSpan(code).subspan(offset), start + offset);
            if (!instruction) {
                plan.is_complete = false;
                break;
            }
            offset += instruction->length;
            if (instruction->falls_through() && !inside(instruction->next())) plan.exits.insert(instruction->next());
            switch (instruction->kind) {
                case Instruction::Kind::call: plan.calls.insert(instruction->address); break;
                case Instruction::Kind::jump:
                case Instruction::Kind::conditional_jump:
                    if (!instruction->target) plan.computed_jumps.insert(instruction->address);
                    else if (!inside(*instruction->target)) plan.exits.insert(*instruction->target);
                    break;
                default: break;
            }
        }
    }
    return plan;
}

std::vector<FileRange> ranges_of_line(const ModuleSymbols& symbols, const Function& function, const SourceLine& line) {
    const LineTable& table = symbols.lines_of(*function.unit);
    std::vector<FileRange> ranges;
    for (const LineEntry& entry : table.entries()) {
        bool same = entry.line == line.line && entry.range.size() != 0 && any_contains(function.ranges, entry.range.low) &&
                    table.files()[entry.file].path == line.file;
        if (!same) continue;
        if (!ranges.empty() && ranges.back().high == entry.range.low) ranges.back().high = entry.range.high;
        else ranges.push_back(entry.range);
    }
    return ranges;
}

}  // namespace lantern
