#include "core/symbols/line_table.h"

#include "core/symbols/names.h"

#include <algorithm>

namespace lantern {

LineTable::LineTable(dwarf::LineProgram program, const CodeAreas& areas) : files_(std::move(program.files)) {
    const auto& rows = program.rows;
    entries_.reserve(rows.size());
    for (std::size_t i = 0; i + 1 < rows.size(); ++i) {
        const dwarf::LineRow& row = rows[i];
        if (row.end_sequence) continue;
        FileAddress next = rows[i + 1].address;
        // Code the linker threw away stays behind at addresses that are no code.
        if (next < row.address || !areas.holds(row.address)) continue;
        LineEntry entry;
        entry.range = {row.address, next};
        entry.file = row.file < files_.size() ? row.file : 0;
        entry.line = row.line;
        entry.column = row.column;
        entry.is_statement = row.is_statement;
        entry.prologue_end = row.prologue_end;
        entry.epilogue_begin = row.epilogue_begin;
        entries_.push_back(entry);
    }
    std::stable_sort(entries_.begin(), entries_.end(),
                     [](const LineEntry& a, const LineEntry& b) { return a.range.low < b.range.low; });
}

const LineEntry* LineTable::at(FileAddress address) const {
    auto after = std::upper_bound(entries_.begin(), entries_.end(), address,
                                  [](FileAddress a, const LineEntry& entry) { return a < entry.range.low; });
    while (after != entries_.begin()) {
        --after;
        if (after->range.contains(address)) return &*after;
        if (after->range.size() != 0) return nullptr;
    }
    return nullptr;
}

}  // namespace lantern
