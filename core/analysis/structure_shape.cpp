// What a structure looks like as a whole: a chain, a tree, or a graph of another kind.
#include <algorithm>
#include <map>
#include <set>

#include "core/analysis/structure_report.h"

namespace lantern {
namespace {

constexpr std::size_t kShortestChain = 2;

using Boxes = std::vector<StructureBox>;

// The boxes of the same title, one behind the other, by the rows of one name.
std::vector<unsigned> chain_by(const Boxes& boxes, unsigned start, const std::string& link) {
    const std::string& title = boxes[start - 1].title;
    std::vector<unsigned> chain{start};
    std::set<unsigned> seen{start};
    for (unsigned at = start;;) {
        auto& rows = boxes[at - 1].rows;
        auto next = std::ranges::find_if(
            rows, [&](const StructureRow& row) { return row.name == link && row.to; });
        bool goes_on = next != rows.end() && boxes[next->to - 1].title == title &&
                       seen.insert(next->to).second;
        if (!goes_on) return chain;
        chain.push_back(at = next->to);
    }
}

// All boxes of the title are in it, and lead to their neighbours in it, or to its ends, alone.
bool is_whole_chain(const Boxes& boxes, const std::vector<unsigned>& chain) {
    const std::string& title = boxes[chain.front() - 1].title;
    std::map<unsigned, std::size_t> place;
    for (std::size_t i = 0; i < chain.size(); ++i) place[chain[i]] = i;
    for (const StructureBox& box : boxes) {
        if (box.title != title) continue;
        auto at = place.find(box.number);
        if (at == place.end()) return false;
        for (const StructureRow& row : box.rows) {
            auto to = row.to ? place.find(row.to) : place.end();
            if (to == place.end()) continue;
            bool is_near = to->second + 1 >= at->second && to->second <= at->second + 1;
            bool is_end = to->second == 0 || to->second + 1 == chain.size();
            if (!is_near && !is_end) return false;
        }
    }
    return true;
}

// From the first object on, by the first of its rows that makes one.
std::vector<unsigned> find_chain(const Boxes& boxes) {
    auto first = std::ranges::find_if(boxes, [&](const StructureBox& box) {
        return !box.is_start && std::ranges::any_of(box.rows, [&](const StructureRow& row) {
            return row.to && row.to != box.number && boxes[row.to - 1].title == box.title;
        });
    });
    if (first == boxes.end()) return {};
    for (const StructureRow& link : first->rows) {
        std::vector<unsigned> chain = chain_by(boxes, first->number, link.name);
        if (chain.size() >= kShortestChain && is_whole_chain(boxes, chain)) return chain;
    }
    return {};
}

// Each box is led to from one box that is nearer to the start, and by others only from its
// children.
bool is_tree(const Boxes& boxes) {
    std::map<unsigned, std::set<unsigned>> from;
    for (const StructureBox& box : boxes)
        for (const StructureRow& row : box.rows)
            if (row.to && row.to != box.number) from[row.to].insert(box.number);
    for (const StructureBox& box : boxes) {
        unsigned parents = 0;
        for (unsigned each : from[box.number]) {
            bool is_nearer = boxes[each - 1].depth < box.depth;
            bool is_child = !is_nearer && from[each].contains(box.number);
            if (!is_nearer && !is_child) return false;
            parents += is_nearer;
        }
        if (parents > 1) return false;
    }
    return true;
}

}  // namespace

void recognise_shape(StructureReport& report) {
    if (report.boxes.size() < 2) return;
    report.chain = find_chain(report.boxes);
    report.shape = !report.chain.empty()   ? StructureShape::chain
                   : is_tree(report.boxes) ? StructureShape::tree
                                           : StructureShape::graph;
}

}  // namespace lantern
