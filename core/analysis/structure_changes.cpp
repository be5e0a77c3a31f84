// Two drawings of the same structure, at two stops.
#include <map>

#include "core/analysis/structure_report.h"

namespace lantern {
namespace {

using Key = std::pair<std::string, std::string>;  // address and title

std::map<Key, const StructureBox*> by_key(const StructureReport& report) {
    std::map<Key, const StructureBox*> all;
    for (const StructureBox& box : report.boxes)
        all[{box.is_start ? "" : box.address, box.title}] = &box;
    return all;
}

// "0x5010" of what it leads to, else what it is.
std::string content_of(const StructureReport& report, const StructureRow& row) {
    if (!row.to) return row.remark.empty() ? row.value : row.value + " " + row.remark;
    std::string address = report.boxes[row.to - 1].address;
    return row.into.empty() ? address : address + " " + row.into;
}

bool mark_rows(const StructureReport& before, const StructureBox& old, StructureReport& now,
               StructureBox& box) {
    bool differs = old.rows.size() != box.rows.size();
    std::map<std::string, const StructureRow*> rows;
    for (const StructureRow& row : old.rows) rows[row.name] = &row;
    for (StructureRow& row : box.rows) {
        auto found = rows.find(row.name);
        std::string was = found == rows.end() ? "" : content_of(before, *found->second);
        if (found != rows.end() && was == content_of(now, row)) continue;
        row.before = was.empty() ? "not there" : was;
        differs = true;
    }
    return differs;
}

}  // namespace

void mark_changes(const StructureReport& before, StructureReport& now) {
    auto old = by_key(before);
    for (StructureBox& box : now.boxes) {
        auto found = old.find({box.is_start ? "" : box.address, box.title});
        if (found == old.end()) {
            box.change = BoxChange::fresh;
            ++now.fresh;
            continue;
        }
        if (mark_rows(before, *found->second, now, box)) {
            box.change = BoxChange::changed;
            ++now.changed;
        }
        old.erase(found);
    }
    for (const StructureBox& box : before.boxes) {
        if (box.change == BoxChange::gone ||
            !old.contains({box.is_start ? "" : box.address, box.title}))
            continue;
        StructureBox gone = box;
        gone.number = static_cast<unsigned>(now.boxes.size()) + 1;
        gone.change = BoxChange::gone;
        for (StructureRow& row : gone.rows) {
            if (row.to) row.value = before.boxes[row.to - 1].address;
            row.to = 0;
            if (row.state == PointerState::leads) row.state = PointerState::none;
        }
        now.boxes.push_back(std::move(gone));
        ++now.gone;
    }
}

}  // namespace lantern
