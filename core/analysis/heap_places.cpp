#include "core/analysis/heap_places.h"

#include <algorithm>

#include "core/support/error.h"

namespace lantern {

using heap_tables::Block;
using heap_tables::State;

std::size_t Places::of_stack(std::uint32_t stack) {
    auto [known, is_new] = by_stack_.try_emplace(stack, 0);
    if (!is_new) return known->second;
    Block birth{};
    birth.born_stack = stack;
    HeapEvent event = life_of(moment_, history_, birth).born;
    std::string place = own_place(event);
    if (place.empty()) place = "a place that is not known";
    auto [row, is_other] = by_place_.try_emplace(place, rows.size());
    if (is_other) rows.push_back({place, std::move(event.calls), {}, 0});
    return known->second = row->second;
}

BirthPlaces::BirthPlaces(const Moment& moment) : history_(HeapHistory::in(moment.target())) {
    if (!history_) return;
    blocks_ = history_->blocks().all;
    places_.emplace(moment, *history_);
}

std::string BirthPlaces::of(std::uint64_t address) {
    auto found = std::ranges::lower_bound(blocks_, address, {}, &Block::address);
    if (found == blocks_.end() || found->address != address) return {};
    return places_->rows[places_->of_stack(found->born_stack)].place;
}

HeapPlacesReport report_heap_places(const Moment& moment, std::size_t limit,
                                    const Progress& progress) {
    HeapHistory history = required_history(moment);
    HeapPlacesReport report;
    Places places(moment, history);
    for (const Block& block : history.blocks(progress).all) {
        if (block.state == State::kept) continue;
        HeapPlaceRow& row = places.rows[places.of_stack(block.born_stack)];
        for (HeapCount* count : {&row.now, &report.now}) {
            ++count->blocks;
            count->bytes += block.size;
        }
    }
    auto pictures = history.pictures();
    const heap_tables::Picture* peak = nullptr;
    for (const auto& picture : pictures)
        if (!peak || picture.total > peak->total) peak = &picture;
    std::vector<std::vector<std::pair<std::size_t, std::uint64_t>>> of_pictures;
    for (const auto& picture : pictures) {
        of_pictures.emplace_back();
        for (const auto& place : picture.places) {
            if (!place.bytes || !place.stack) continue;
            std::size_t row = places.of_stack(place.stack);
            of_pictures.back().emplace_back(row, place.bytes);
            if (&picture == peak) places.rows[row].at_peak += place.bytes;
        }
    }
    report.total = places.rows.size();
    report.births = history.births();
    report.peak_bytes = std::max(history.head().peak_bytes, report.now.bytes);
    report.peak_seconds = peak ? history.seconds(peak->at) : 0;
    std::vector<std::size_t> order(places.rows.size()), rank(places.rows.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::ranges::stable_sort(order, std::greater<>(), [&](std::size_t i) {
        return std::max(places.rows[i].now.bytes, places.rows[i].at_peak);
    });
    for (std::size_t i = 0; i < order.size(); ++i) rank[order[i]] = i;
    for (std::size_t i = 0; i < std::min(order.size(), limit); ++i)
        report.rows.push_back(places.rows[order[i]]);
    for (std::size_t i = 0; i < pictures.size(); ++i) {
        HeapMoment when{history.seconds(pictures[i].at), pictures[i].total,
                        std::vector<std::uint64_t>(report.rows.size())};
        for (auto [row, bytes] : of_pictures[i])
            if (rank[row] < when.bytes.size()) when.bytes[rank[row]] += bytes;
        report.over_time.push_back(std::move(when));
    }
    return report;
}

}  // namespace lantern
