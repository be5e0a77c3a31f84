// What nothing leads to any more, and by which pointers a block is kept.
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/analysis/address_note.h"
#include "core/analysis/heap_content.h"
#include "core/analysis/heap_growth.h"
#include "core/analysis/heap_places.h"
#include "core/expressions/evaluator.h"
#include "core/heap/reachability.h"
#include "core/support/error.h"
#include "core/values/builtin_types.h"
#include "core/values/object_part.h"

namespace lantern {
namespace {

// "next", "[3].crew": what lies at that byte of a block that holds one or several of the type.
std::string part_of_block(const Type* type, std::uint64_t byte) {
    std::uint64_t size = type ? plain(*type).size : 0;
    if (!size || is_scalar(*type)) return {};
    std::string element = byte < size ? "" : fmt::format("[{}]", byte / size);
    std::string part = element + part_at_offset(*type, byte % size, pointer_to(void_type()));
    return part.starts_with('.') ? part.substr(1) : part;
}

// What the variable points to, what that one's member points to, and so on.
void name_along(const Moment& moment, HeapPathReport& report) {
    const Type* holder = nullptr;
    for (HeapPathStep& step : report.steps) {
        const Type* pointer = nullptr;
        if (&step == &report.steps.front()) {
            try {
                pointer = evaluate(step.where, moment.context()).type;
            } catch (const Error&) {  // the root is no variable
            }
        } else if (holder && plain(*holder).size) {
            std::uint64_t byte = step.from_byte % plain(*holder).size;
            auto part = scalar_part_at(*holder, byte);
            pointer = part ? part->type : nullptr;
            if (part) {
                step.from_part = part_of_block(holder, step.from_byte);
                step.where = fmt::format("{} of the block at {:#x}", step.from_part,
                                         step.pointer - step.from_byte);
            }
        }
        bool leads = pointer && plain(*pointer).kind == TypeKind::pointer && step.offset == 0;
        holder = leads ? &target_of(plain(*pointer)) : nullptr;
        if (holder && plain(*holder).size) step.what = type_text(*holder);
    }
    if (!report.steps.empty() && report.block.what.empty())
        report.block.what = report.steps.back().what;
}

}  // namespace

HeapLeaksReport report_heap_leaks(const Moment& moment, const std::vector<KeptHeap>& kept,
                                  std::size_t limit, const Progress& progress) {
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
    report.growing = what_only_grows(moment, heap, reach, kept, progress);
    // Groups that look the same are told once.
    std::map<std::tuple<std::uint64_t, std::string, std::uint64_t, std::string>, std::size_t> alike;
    BirthPlaces births(moment);
    std::vector<LostGroup> groups = lost_groups(heap, reach);
    report.groups = groups.size();
    constexpr std::size_t kNamed = 10'000;  // beyond these the content is not looked at
    for (std::size_t i = 0; i < groups.size(); ++i) {
        const HeapBlock& first = heap.blocks[groups[i].first];
        HeapBlockRow named = i < kNamed ? row_of(moment, first) : row_without_content(first);
        bool is_text = named.what.starts_with('"');
        auto key = std::tuple(first.size(), is_text ? std::string("a text") : named.what,
                              groups[i].blocks, births.of(first.address));
        auto [known, is_new] = alike.try_emplace(key, report.rows.size());
        if (is_new) report.rows.push_back({std::move(named), 0, {}, std::get<3>(key)});
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
    // Of a large heap only the blocks on the way are named, by the pointers of the way.
    bool is_small = bytes_of_arenas(heap) <= kQuicklyRead;
    BlockTypes types;
    if (is_small)
        types = find_block_types(target, heap, progress);
    else
        types.name_none(heap.blocks.size());
    std::size_t block = static_cast<std::size_t>(&meant - heap.blocks.data());
    report.block = row_of(moment, heap, types, block);
    if (!meant.is_in_use())
        throw RequestError(
            fmt::format("the block at {:#x} is {}", meant.address, report.block.state));
    Reachability reach(target, heap, [&](double done) {
        if (progress) progress(0.5 + done / 2);
    });
    if (reach.of(block) == Reachability::Kind::lost) return report;
    for (std::uint32_t at = static_cast<std::uint32_t>(block);;) {
        HeapPathStep step;
        auto pointer = reach.pointer_to(at);
        step.pointer = pointer ? pointer->value : 0;
        step.block = heap.blocks[at].address;
        step.size = heap.blocks[at].size();
        step.what = row_of(moment, heap, types, at).what;
        std::uint32_t from = reach.reached_from(at);
        if (pointer && from != Reachability::kNone)
            step.from_byte = pointer->value - heap.blocks[from].address;
        if (pointer) step.offset = target.read<std::uint64_t>(*pointer) - step.block;
        if (from != Reachability::kNone)
            step.from_part = part_of_block(types.type(from), step.from_byte);
        step.where =
            !pointer ? "a register"
            : from == Reachability::kNone
                ? root_name(moment, *pointer)
                : fmt::format("{} of the block at {:#x}",
                              step.from_part.empty() ? fmt::format("byte {}", step.from_byte)
                                                     : step.from_part,
                              heap.blocks[from].address);
        report.steps.push_back(std::move(step));
        if (from == Reachability::kNone) break;
        at = from;
    }
    std::reverse(report.steps.begin(), report.steps.end());
    if (!is_small) name_along(moment, report);
    return report;
}

}  // namespace lantern
