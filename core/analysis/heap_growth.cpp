#include "core/analysis/heap_growth.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/heap_content.h"

namespace lantern {
namespace {

using ByWhat = std::map<std::string, HeapCount>;

// `counts` tells which blocks, by number, are counted.
ByWhat count_by_what(const Moment& moment, const Heap& heap, const Progress& progress,
                     const std::function<bool(std::size_t block)>& counts) {
    BlockTypes types = find_block_types(moment.target(), heap, progress);
    ByWhat by_what;
    for (std::size_t i = 0; i < heap.blocks.size(); ++i) {
        if (!counts(i)) continue;
        std::string what = kind_of(moment, heap, types, i);
        if (what.empty()) what = fmt::format("blocks of {} bytes", heap.blocks[i].size());
        count(by_what[what], heap.blocks[i]);
    }
    return by_what;
}

HeapCount count_in(const ByWhat& by_what, const std::string& what) {
    auto found = by_what.find(what);
    return found == by_what.end() ? HeapCount{} : found->second;
}

// Each time more of them than the time before.
bool only_grows(const std::vector<KeptHeap>& kept, std::uint64_t life, const std::string& what,
                HeapCount now) {
    constexpr unsigned kTimes = 2;
    unsigned times = 0;
    std::uint64_t before = 0;
    for (const KeptHeap& each : kept) {
        if (each.life != life) continue;
        std::uint64_t blocks = count_in(each.by_what, what).blocks;
        if (times++ && blocks <= before) return false;
        before = blocks;
    }
    return times >= kTimes && now.blocks > before;
}

std::int64_t grown_bytes(const HeapGrowthRow& row) {
    return static_cast<std::int64_t>(row.now.bytes) - static_cast<std::int64_t>(row.before.bytes);
}

void sort_by_growth(std::vector<HeapGrowthRow>& rows) {
    std::stable_sort(rows.begin(), rows.end(), [](const HeapGrowthRow& a, const HeapGrowthRow& b) {
        return grown_bytes(a) > grown_bytes(b);
    });
}

bool is_before(const HeapBlock& a, const HeapBlock& b) {
    return a.address != b.address ? a.address < b.address : a.size() < b.size();
}

// Those of the first that are not among the second; both by address.
HeapCount only_in_first(const std::vector<HeapBlock>& first, const std::vector<HeapBlock>& second) {
    HeapCount only;
    auto other = second.begin();
    for (const HeapBlock& block : first) {
        while (other != second.end() && is_before(*other, block)) ++other;
        if (other == second.end() || is_before(block, *other)) count(only, block);
    }
    return only;
}

std::vector<HeapBlock> blocks_in_use(const Heap& heap) {
    std::vector<HeapBlock> in_use;
    for (const HeapBlock& block : heap.blocks)
        if (block.is_in_use()) in_use.push_back(block);
    return in_use;
}

HeapCount whole(const std::vector<HeapBlock>& blocks) {
    HeapCount all;
    for (const HeapBlock& block : blocks) count(all, block);
    return all;
}

ByWhat all_by_what(const Moment& moment, const Heap& heap, const Progress& progress) {
    return count_by_what(moment, heap, progress,
                         [&heap](std::size_t block) { return heap.blocks[block].is_in_use(); });
}

}  // namespace

KeptHeap keep_heap(const Moment& moment, const std::string& name, const Progress& progress) {
    Heap heap = read_heap(moment.target(), progress);
    KeptHeap kept;
    kept.name = name;
    kept.life = moment.life();
    kept.blocks = blocks_in_use(heap);
    kept.in_use = whole(kept.blocks);
    kept.by_what = all_by_what(moment, heap, progress);
    return kept;
}

HeapGrowthReport report_heap_growth(const Moment& moment, const std::vector<KeptHeap>& kept,
                                    const KeptHeap& since, std::size_t limit,
                                    const Progress& progress) {
    Heap heap = read_heap(moment.target(), progress);
    std::vector<HeapBlock> blocks = blocks_in_use(heap);
    HeapGrowthReport report;
    report.since = since.name;
    report.before = since.in_use;
    report.now = whole(blocks);
    report.is_being_changed = heap.is_being_changed();
    report.is_of_another_run = since.life != moment.life();
    if (!report.is_of_another_run) {
        report.came = only_in_first(blocks, since.blocks);
        report.went = only_in_first(since.blocks, blocks);
    }
    ByWhat now = all_by_what(moment, heap, progress), all = since.by_what;
    all.insert(now.begin(), now.end());
    for (const auto& [what, ignored] : all) {
        HeapGrowthRow row{what, count_in(since.by_what, what), count_in(now, what), false};
        if (row.before.blocks == row.now.blocks && row.before.bytes == row.now.bytes) continue;
        row.only_grows = only_grows(kept, moment.life(), what, row.now);
        report.rows.push_back(std::move(row));
    }
    sort_by_growth(report.rows);
    report.total = report.rows.size();
    report.rows.resize(std::min(report.rows.size(), limit));
    return report;
}

std::vector<HeapGrowthRow> what_only_grows(const Moment& moment, const Heap& heap,
                                           const Reachability& reach,
                                           const std::vector<KeptHeap>& kept,
                                           const Progress& progress) {
    std::vector<HeapGrowthRow> rows;
    if (kept.size() < 2) return rows;
    auto first = std::ranges::find(kept, moment.life(), &KeptHeap::life);
    if (first == kept.end()) return rows;
    ByWhat now = count_by_what(moment, heap, progress, [&](std::size_t block) {
        return heap.blocks[block].is_in_use() && reach.of(block) != Reachability::Kind::lost;
    });
    for (const auto& [what, count] : now)
        if (only_grows(kept, moment.life(), what, count))
            rows.push_back({what, count_in(first->by_what, what), count, true});
    sort_by_growth(rows);
    return rows;
}

}  // namespace lantern
