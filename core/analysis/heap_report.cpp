#include "core/analysis/heap_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/analysis/address_note.h"
#include "core/heap/block_types.h"
#include "core/heap/reachability.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/demangle.h"
#include "core/values/builtin_types.h"

namespace lantern {
namespace {

constexpr std::size_t kSizesShown = 10, kLargestShown = 8;
constexpr std::uint64_t kWord = 8;

std::string state_word(HeapBlock::State state) {
    switch (state) {
        case HeapBlock::State::in_use: return "in use";
        case HeapBlock::State::free: return "free";
        case HeapBlock::State::cached: return "free, kept for the next request";
        case HeapBlock::State::of_library: return "the library's own";
    }
    return {};
}

// An object of a class with virtual functions names it; a text is a text.
std::string content_of(const Moment& moment, const HeapBlock& block) {
    if (!block.is_in_use() || block.size() < kWord) return {};
    Target& target = moment.target();
    std::uint64_t word = 0;
    if (target.read_available(RunAddress(block.address),
                              std::as_writable_bytes(std::span(&word, 1))) != sizeof word)
        return {};
    const Module* module = target.module_at(RunAddress(word));
    const ElfSymbol* symbol =
        module ? module->symbols().symbol_table().covering(module->to_file(RunAddress(word)))
               : nullptr;
    if (symbol && symbol->name.starts_with("_ZTV")) {
        constexpr std::string_view kBefore = "vtable for ";
        std::string name = demangled(symbol->name);
        return name.starts_with(kBefore) ? name.substr(kBefore.size()) : name;
    }
    return text_at_address(moment, RunAddress(block.address));
}

HeapBlockRow row_of(const Moment& moment, const HeapBlock& block) {
    return {block.address,
            block.size(),
            state_word(block.state()),
            block.arena(),
            content_of(moment, block),
            false};
}

// By the pointers that lead to it, where that says more.
HeapBlockRow row_of(const Moment& moment, const Heap& heap, const BlockTypes& types,
                    std::size_t number) {
    HeapBlockRow row = row_of(moment, heap.blocks[number]);
    const std::string& type = types.name(number);
    if (row.what.empty() || (!type.empty() && !row.what.starts_with('"'))) row.what = type;
    return row;
}

void count(HeapCount& into, const HeapBlock& block) {
    ++into.blocks;
    into.bytes += block.size();
}

HeapCount& count_of(HeapArenaRow& row, HeapBlock::State state) {
    return state == HeapBlock::State::free     ? row.free
           : state == HeapBlock::State::cached ? row.cached
                                               : row.in_use;
}

std::vector<HeapArenaRow> arena_rows(const Heap& heap) {
    std::vector<HeapArenaRow> rows(heap.arenas.size() + 1);
    for (const HeapArena& arena : heap.arenas) {
        HeapArenaRow& row = rows[arena.number];
        row.number = arena.number;
        row.rest = arena.top_size;
        row.is_locked = arena.is_locked;
        for (const RunRange& piece : arena.pieces) row.whole += piece.size();
    }
    for (const HeapBlock& block : heap.blocks) {
        HeapArenaRow& row = rows[block.arena()];
        if (block.arena() == 0) row.whole += block.size();
        if (block.state() != HeapBlock::State::of_library)
            count(count_of(row, block.state()), block);
    }
    std::rotate(rows.begin(), rows.begin() + 1, rows.end());  // mappings of their own come last
    std::erase_if(rows, [](const HeapArenaRow& row) { return row.whole == 0; });
    return rows;
}

const HeapBlock& block_meant(const Heap& heap, RunAddress address) {
    const HeapBlock* block = heap.block_at(address);
    if (!block) throw RequestError(fmt::format("{:#x} is in no block of the heap", address.value));
    return *block;
}

// The variable that a pointer from outside of the heap is in, else whose memory it is.
std::string root_name(const Moment& moment, RunAddress pointer) {
    std::string object = moment.surroundings().object_at(pointer, pointer_to(void_type()));
    if (!object.empty()) return object;
    std::string note = address_note(moment, pointer);
    return note.empty() ? "memory" : note;
}

// What ran over the end of a block, where it is a text.
std::string text_in(Target& target, RunAddress at) {
    std::array<std::byte, 16> bytes{};
    std::size_t got = target.read_available(at, bytes);
    std::string text;
    for (std::size_t i = 0; i < got; ++i) {
        auto letter = static_cast<unsigned char>(bytes[i]);
        if (letter < 0x20 || letter > 0x7e) break;
        text += static_cast<char>(letter);
    }
    return text.empty() ? text : quote(text);
}

}  // namespace

HeapReport report_heap(const Moment& moment, const Progress& progress) {
    Heap heap = read_heap(moment.target(), progress);
    HeapReport report;
    report.library = heap.library;
    report.arenas = arena_rows(heap);
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
                    (query.at || query.with_free || block.is_in_use());
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
        std::string what = types.name(i);
        if (what.empty()) what = content_of(moment, block);
        if (what.starts_with('"') || what == "char") what = "text";
        count(by_type[what], block);
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
    for (const HeapDamage& damage : heap.damage) {
        HeapDamageRow row{damage.at.value, damage.what, {}, {}};
        if (damage.before) {
            row.before = row_of(moment, *damage.before);
            row.content = text_in(moment.target(), RunAddress(damage.before->end()));
        }
        report.rows.push_back(std::move(row));
    }
    return report;
}

HeapLeaksReport report_heap_leaks(const Moment& moment, std::size_t limit,
                                  const Progress& progress) {
    Target& target = moment.target();
    Heap heap = read_heap(target, [&](double done) {
        if (progress) progress(done / 2);
    });
    Reachability reach(target, heap, [&](double done) {
        if (progress) progress(0.5 + done / 2);
    });
    HeapLeaksReport report;
    report.is_being_changed = heap.is_being_changed();
    for (std::size_t i = 0; i < heap.blocks.size(); ++i) {
        if (!heap.blocks[i].is_in_use()) continue;
        count(report.in_use, heap.blocks[i]);
        if (reach.of(i) == Reachability::Kind::lost) count(report.lost, heap.blocks[i]);
        if (reach.of(i) == Reachability::Kind::from_inside)
            count(report.from_inside, heap.blocks[i]);
    }
    // Groups that look the same are told once.
    std::map<std::tuple<std::uint64_t, std::string, std::uint64_t>, std::size_t> alike;
    std::vector<LostGroup> groups = lost_groups(target, heap, reach, progress);
    report.groups = groups.size();
    constexpr std::size_t kNamed = 10'000;  // beyond these the content is not looked at
    for (std::size_t i = 0; i < groups.size(); ++i) {
        const HeapBlock& first = heap.blocks[groups[i].first];
        HeapBlockRow named{first.address,
                           first.size(),
                           state_word(first.state()),
                           first.arena(),
                           i < kNamed ? content_of(moment, first) : "",
                           false};
        bool is_text = named.what.starts_with('"');
        auto key = std::tuple(first.size(), is_text ? std::string("a text") : named.what,
                              groups[i].blocks);
        auto [known, is_new] = alike.try_emplace(key, report.rows.size());
        if (is_new) report.rows.push_back({std::move(named), 0, {}});
        HeapLostRow& row = report.rows[known->second];
        ++row.times;
        row.whole.blocks += groups[i].blocks;
        row.whole.bytes += groups[i].bytes;
    }
    std::stable_sort(
        report.rows.begin(), report.rows.end(),
        [](const HeapLostRow& a, const HeapLostRow& b) { return a.whole.bytes > b.whole.bytes; });
    report.rows.resize(std::min(report.rows.size(), limit));
    return report;
}

HeapPathReport report_heap_path(const Moment& moment, RunAddress address,
                                const Progress& progress) {
    Target& target = moment.target();
    Heap heap = read_heap(target, [&](double done) {
        if (progress) progress(done / 2);
    });
    const HeapBlock& meant = block_meant(heap, address);
    HeapPathReport report;
    report.block = row_of(moment, heap, find_block_types(target, heap, progress),
                          static_cast<std::size_t>(&meant - heap.blocks.data()));
    if (!meant.is_in_use())
        throw RequestError(
            fmt::format("the block at {:#x} is {}", meant.address, report.block.state));
    Reachability reach(target, heap, [&](double done) {
        if (progress) progress(0.5 + done / 2);
    });
    std::size_t block = static_cast<std::size_t>(&meant - heap.blocks.data());
    if (reach.of(block) == Reachability::Kind::lost) return report;
    for (std::uint32_t at = static_cast<std::uint32_t>(block);;) {
        HeapPathStep step;
        auto pointer = reach.pointer_to(at);
        step.pointer = pointer ? pointer->value : 0;
        step.block = heap.blocks[at].address;
        step.size = heap.blocks[at].size();
        std::uint32_t from = reach.reached_from(at);
        if (pointer) step.offset = target.read<std::uint64_t>(*pointer) - step.block;
        step.where = !pointer ? "a register"
                     : from == Reachability::kNone
                         ? root_name(moment, *pointer)
                         : fmt::format("the block at {:#x}, byte {}", heap.blocks[from].address,
                                       pointer->value - heap.blocks[from].address);
        report.steps.push_back(std::move(step));
        if (from == Reachability::kNone) break;
        at = from;
    }
    std::reverse(report.steps.begin(), report.steps.end());
    return report;
}

}  // namespace lantern
