#include "core/symbols/line_table.h"

#include "core/symbols/names.h"

#include <algorithm>

namespace lantern {

LineTable::LineTable(dwarf::LineProgram program, const CodeAreas& areas)
    : files_(std::move(program.files)) {
    const auto& rows = program.rows;
    entries_.reserve(rows.size());
    // Each sequence is in order of its own; it is enough to put the sequences in order (DWARF 5
    // §6.2.5.3).
    struct Sequence {
        FileAddress low;
        std::size_t first, end;
    };
    std::vector<Sequence> sequences;
    for (std::size_t first = 0, i = 0; i < rows.size(); ++i) {
        if (!rows[i].end_sequence) continue;
        sequences.push_back({rows[first].address, first, i + 1});
        first = i + 1;
    }
    std::stable_sort(sequences.begin(), sequences.end(),
                     [](const Sequence& a, const Sequence& b) { return a.low < b.low; });
    for (const Sequence& sequence : sequences) {
        // Code the linker threw away stays behind at addresses that are no code.
        if (!areas.holds(sequence.low)) continue;
        // What a compiler left at the very end has no code, and what begins there is another's.
        FileAddress end = rows[sequence.end - 1].address;
        for (std::size_t i = sequence.first; i + 1 < sequence.end; ++i)
            if (rows[i].address != end) add(rows[i], rows[i + 1].address);
    }
    auto before = [](const LineEntry& a, const LineEntry& b) { return a.range.low < b.range.low; };
    if (!std::is_sorted(entries_.begin(), entries_.end(), before))
        std::stable_sort(entries_.begin(), entries_.end(), before);
}

void LineTable::add(const dwarf::LineRow& row, FileAddress next) {
    if (next < row.address) return;
    LineEntry entry;
    entry.range = {row.address, next};
    entry.file = row.file < files_.size() ? row.file : 0;
    entry.line = row.line;
    entry.column = row.column;
    entry.view = row.view;
    entry.is_statement = row.is_statement;
    entry.prologue_end = row.prologue_end;
    entry.epilogue_begin = row.epilogue_begin;
    entries_.push_back(entry);
}

const LineEntry* LineTable::at(FileAddress address) const {
    auto after =
        std::upper_bound(entries_.begin(), entries_.end(), address,
                         [](FileAddress a, const LineEntry& entry) { return a < entry.range.low; });
    while (after != entries_.begin()) {
        --after;
        if (after->range.contains(address)) return &*after;
        if (after->range.size() != 0) return nullptr;
    }
    return nullptr;
}

}  // namespace lantern
