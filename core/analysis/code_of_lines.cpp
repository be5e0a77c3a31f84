#include "core/analysis/code_of_lines.h"

#include <algorithm>

namespace lantern {

const Scope* outermost_call(const Scope* inlined) {
    while (inlined && inlined->around) inlined = inlined->around;
    return inlined;
}

CodeOfLines::CodeOfLines(const FunctionCode& code, const FunctionPositions& positions,
                         const FunctionBody& body, const std::string& file) {
    collect_calls(body.outermost);
    const auto& nodes = code.flow.nodes();
    line_of_.resize(nodes.size());
    call_of_.resize(nodes.size());
    for (std::uint32_t i = 0; i < nodes.size(); ++i) {
        if (nodes[i].is_filler) continue;
        auto position = positions.in_force(nodes[i].address);
        if (!position) continue;
        const Scope* call = outermost_call(position->inlined);
        bool is_of_file =
            call ? call->inlined->call_file == file : position->file && *position->file == file;
        if (!is_of_file) continue;
        std::uint32_t line = call ? call->inlined->call_line : position->line;
        if (!line) continue;
        line_of_[i] = line;
        call_of_[i] = position->inlined;
        lines_[line].nodes.push_back(i);
        if (call) lines_[line].inlined[call].push_back(i);
    }
    for (const CodePosition& position : positions.all()) {
        bool is_own = !position.inlined && position.line && position.file && *position.file == file;
        if (is_own && position.address == position.end)
            lines_[position.line].marks.push_back(position.address);
    }
}

void CodeOfLines::collect_calls(const Scope& scope) {
    for (const auto& inner : scope.inner) {
        if (inner->inlined)
            lines_[inner->inlined->call_line].inlined[inner.get()];
        else
            collect_calls(*inner);
    }
}

CodeOfLine CodeOfLines::together(std::uint32_t first, std::uint32_t last) const {
    CodeOfLine all;
    for (auto it = lines_.lower_bound(first); it != lines_.end() && it->first <= last; ++it) {
        const CodeOfLine& line = it->second;
        all.nodes.insert(all.nodes.end(), line.nodes.begin(), line.nodes.end());
        all.marks.insert(all.marks.end(), line.marks.begin(), line.marks.end());
        for (const auto& [call, nodes] : line.inlined) {
            auto& of_call = all.inlined[call];
            of_call.insert(of_call.end(), nodes.begin(), nodes.end());
        }
    }
    std::sort(all.nodes.begin(), all.nodes.end());
    return all;
}

}  // namespace lantern
