#include "core/analysis/heap_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/analysis/heap_content.h"
#include "core/analysis/heap_places.h"
#include "core/heap/block_types.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::size_t kSizesShown = 10, kLargestShown = 8;
constexpr std::uint64_t kWord = 8;

// "canal::Barge" is meant by itself and by "Barge".
bool is_called(std::string_view what, std::string_view wanted) {
    if (!what.ends_with(wanted)) return false;
    what.remove_suffix(wanted.size());
    return what.empty() || what.ends_with("::");
}

HeapCount& count_of(HeapArenaRow& row, HeapBlock::State state) {
    return state == HeapBlock::State::free     ? row.free
           : state == HeapBlock::State::cached ? row.cached
                                               : row.in_use;
}

std::vector<HeapArenaRow> arena_rows(const Moment& moment, const Heap& heap) {
    std::vector<HeapArenaRow> rows(heap.arenas.size() + 1);
    for (const HeapArena& arena : heap.arenas) {
        HeapArenaRow& row = rows[arena.number];
        row.number = arena.number;
        row.rest = arena.top_size;
        row.is_locked = arena.is_locked;
        for (ThreadId thread : arena.threads)
            row.threads.push_back(moment.target().thread_number(thread));
        for (const RunRange& piece : arena.pieces) row.whole += piece.size();
    }
    for (const HeapBlock& block : heap.blocks) {
        HeapArenaRow& row = rows[block.arena()];
        if (block.arena() == 0) row.whole += block.size();
        if (block.state() != HeapBlock::State::of_library)
            count(count_of(row, block.state()), block);
        if (block.state() == HeapBlock::State::free)
            row.largest_free = std::max(row.largest_free, block.size());
    }
    std::rotate(rows.begin(), rows.begin() + 1, rows.end());  // mappings of their own come last
    std::erase_if(rows, [](const HeapArenaRow& row) { return row.whole == 0; });
    return rows;
}

// What ran over the end of a block, where it is a text.
std::string text_in(Target& target, RunAddress at) {
    constexpr std::size_t kShown = 24;
    std::array<std::byte, 4096> bytes{};
    std::size_t got = target.read_available(at, bytes);
    std::string text;
    for (std::size_t i = 0; i < got; ++i) {
        auto letter = static_cast<unsigned char>(bytes[i]);
        if (letter < 0x20 || letter > 0x7e) break;
        text += static_cast<char>(letter);
    }
    if (text.size() <= kShown) return text.empty() ? text : quote(text);
    return fmt::format("{}…, {} bytes of text", quote(text.substr(0, kShown)), text.size());
}

}  // namespace

HeapReport report_heap(const Moment& moment, const Progress& progress) {
    Heap heap = read_heap(moment.target(), progress);
    HeapReport report;
    report.library = heap.library;
    report.arenas = arena_rows(moment, heap);
    for (const HeapArenaRow& row : report.arenas)
        report.largest_free = std::max(report.largest_free, row.largest_free);
    report.damage = heap.damage.size();
    report.is_being_changed = heap.is_being_changed();
    std::map<std::uint64_t, HeapSizeRow> sizes;
    std::vector<const HeapBlock*> largest;
    for (const HeapBlock& block : heap.blocks) {
        if (block.state() == HeapBlock::State::of_library) continue;
        HeapSizeRow& row = sizes[block.size()];
        row.size = block.size();
        count(block.is_in_use() ? row.in_use : row.not_in_use, block);
        count(block.is_in_use()                           ? report.in_use
              : block.state() == HeapBlock::State::cached ? report.cached
                                                          : report.free,
              block);
        if (block.is_in_use()) largest.push_back(&block);
    }
    for (const auto& [size, row] : sizes) report.sizes.push_back(row);
    std::stable_sort(
        report.sizes.begin(), report.sizes.end(),
        [](const HeapSizeRow& a, const HeapSizeRow& b) { return a.in_use.bytes > b.in_use.bytes; });
    report.sizes.resize(std::min(report.sizes.size(), kSizesShown));
    std::size_t shown = std::min(largest.size(), kLargestShown);
    std::partial_sort(largest.begin(), largest.begin() + static_cast<std::ptrdiff_t>(shown),
                      largest.end(), [](const HeapBlock* a, const HeapBlock* b) {
                          return a->size() != b->size() ? a->size() > b->size()
                                                        : a->address < b->address;
                      });
    for (std::size_t i = 0; i < shown; ++i) report.largest.push_back(row_of(moment, *largest[i]));
    return report;
}

HeapBlocksReport report_heap_blocks(const Moment& moment, const HeapBlocksQuery& query,
                                    const Progress& progress) {
    Heap heap = read_heap(moment.target(), progress);
    BlockTypes types = find_block_types(moment.target(), heap, progress);
    HeapBlocksReport report;
    std::size_t first = 0, last = heap.blocks.size();
    if (query.at) {
        constexpr std::size_t kNeighbours = 2;
        const HeapBlock& block = block_meant(heap, *query.at);
        std::size_t number = static_cast<std::size_t>(&block - heap.blocks.data());
        std::uint64_t offset = query.at->value - block.address;
        report.note = offset >= block.size()
                          ? fmt::format("{:#x} is one past the end of the block at {:#x}",
                                        query.at->value, block.address)
                          : fmt::format("{:#x} is byte {} of the block at {:#x}", query.at->value,
                                        offset, block.address);
        first = number - std::min(number, kNeighbours);
        last = std::min(last, number + kNeighbours + 1);
    }
    for (std::size_t i = first; i < last; ++i) {
        const HeapBlock& block = heap.blocks[i];
        bool fits = block.size() >= query.least && block.size() <= query.most &&
                    (query.at || query.with_free || block.is_in_use()) &&
                    (query.type.empty() || is_called(kind_of(moment, heap, types, i), query.type));
        if (!fits) continue;
        ++report.total;
        if (report.rows.size() >= query.limit) continue;
        report.rows.push_back(row_of(moment, heap, types, i));
        report.rows.back().is_meant = query.at && heap.block_at(*query.at) == &block;
    }
    return report;
}

HeapTypesReport report_heap_types(const Moment& moment, std::size_t limit,
                                  const Progress& progress) {
    Heap heap = read_heap(moment.target(), progress);
    BlockTypes types = find_block_types(moment.target(), heap, progress);
    HeapTypesReport report;
    std::map<std::string, HeapCount> by_type;
    for (std::size_t i = 0; i < heap.blocks.size(); ++i) {
        const HeapBlock& block = heap.blocks[i];
        if (!block.is_in_use()) continue;
        count(report.in_use, block);
        count(by_type[kind_of(moment, heap, types, i)], block);
    }
    for (auto& [what, whole] : by_type) report.rows.push_back({what, whole});
    report.total = report.rows.size();
    std::stable_sort(
        report.rows.begin(), report.rows.end(),
        [](const HeapTypeRow& a, const HeapTypeRow& b) { return a.in_use.bytes > b.in_use.bytes; });
    report.rows.resize(std::min(report.rows.size(), limit));
    return report;
}

HeapCheckReport report_heap_check(const Moment& moment, const Progress& progress) {
    Heap heap = read_heap(moment.target(), progress);
    HeapCheckReport report;
    report.blocks = heap.blocks.size();
    report.is_being_changed = heap.is_being_changed();
    if (heap.damage.empty()) return report;
    BlockTypes types = find_block_types(moment.target(), heap, progress);
    BirthPlaces births(moment);
    for (const HeapDamage& damage : heap.damage) {
        HeapDamageRow row{damage.at.value, damage.what, {}, {}, {}};
        if (damage.before && damage.kind != HeapDamage::Kind::overlap) {
            const HeapBlock* before = heap.block_at(RunAddress(damage.before->address));
            row.before =
                row_of(moment, heap, types, static_cast<std::size_t>(before - heap.blocks.data()));
            row.content = text_in(moment.target(), RunAddress(damage.before->end()));
            row.born = births.of(damage.before->address);
        }
        report.rows.push_back(std::move(row));
    }
    return report;
}

}  // namespace lantern
