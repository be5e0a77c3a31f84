#include "core/symbols/unit_map.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/dwarf/address_table.h"
#include "core/support/error.h"

namespace lantern {

using namespace dwarf;

void UnitMap::read_table() {
    state_ = State::table;
    try {
        std::vector<AddressTableEntry> entries;
        for (const auto& unit : info_.units()) {
            ByteSpan table = (unit->skeleton ? *unit->skeleton : *unit).sections().aranges;
            if (!table.empty()) entries = read_address_table(table);
            break;
        }
        const Unit* last = nullptr;
        Position last_start = 0;
        for (const AddressTableEntry& entry : entries) {
            if (!last || last_start != entry.unit) last = info_.unit_starting(entry.unit);
            last_start = entry.unit;
            if (!last)
                throw FormatError(fmt::format(
                    ".debug_aranges names a unit at {:#x}, where none starts", entry.unit));
            if (areas_.holds(entry.range.low)) owned_.push_back({entry.range, last});
        }
    } catch (const FormatError& error) {
        distrust_ = error.what();
        read_roots();
        return;
    }
    if (owned_.empty()) return read_roots();
    std::sort(owned_.begin(), owned_.end(),
              [](const Owned& a, const Owned& b) { return a.range.low < b.range.low; });
}

void UnitMap::read_roots() {
    state_ = State::roots;
    owned_.clear();
    for (const auto& unit : info_.units()) {
        if (unit->holds_type()) continue;
        try {
            for (const FileRange& range : ranges_of_unit(*unit))
                if (areas_.holds(range.low)) owned_.push_back({range, unit.get()});
        } catch (const FormatError&) {
            continue;  // the unit's own problem; it is told where its entries are read
        }
    }
    std::stable_sort(owned_.begin(), owned_.end(),
                     [](const Owned& a, const Owned& b) { return a.range.low < b.range.low; });
}

// What the table says of a unit must lie within what the unit itself says.
bool UnitMap::agrees(const Unit& unit) {
    if (agreed_.empty()) agreed_.resize(info_.units().size());
    if (agreed_[unit.index]) return true;
    std::vector<FileRange> own = ranges_of_unit(unit);
    for (const Owned& owned : owned_)
        if (owned.unit == &unit && !any_contains(own, owned.range.low)) return false;
    agreed_[unit.index] = true;
    return true;
}

bool UnitMap::check_table() {
    UnitMap fresh(info_, areas_);
    fresh.read_table();
    if (fresh.state_ == State::table)
        for (const auto& unit : info_.units()) {
            bool good = false;
            try {
                good = fresh.agrees(*unit);
            } catch (const FormatError&) {
            }
            if (!good && fresh.distrust_.empty())
                fresh.distrust_ = fmt::format(
                    ".debug_aranges does not agree with the unit at {:#x}; it is not used",
                    unit->offset);
        }
    if (!fresh.distrust_.empty()) distrust_ = fresh.distrust_;
    return fresh.distrust_.empty();
}

const Unit* UnitMap::look_up(FileAddress address) const {
    auto after =
        std::upper_bound(owned_.begin(), owned_.end(), address,
                         [](FileAddress a, const Owned& owned) { return a < owned.range.low; });
    // Ranges of two units may overlap in odd files: look a little further back.
    for (int tries = 0; after != owned_.begin() && tries < 8; ++tries) {
        --after;
        if (after->range.contains(address)) return after->unit;
    }
    return nullptr;
}

const Unit* UnitMap::find(FileAddress address) {
    if (state_ == State::fresh) read_table();
    const Unit* unit = look_up(address);
    if (state_ == State::roots) return unit;
    if (unit) {
        bool good = false;
        try {
            good = agrees(*unit);
        } catch (const FormatError&) {
        }
        if (good) return unit;
        distrust_ = fmt::format(
            ".debug_aranges does not agree with the unit at {:#x}; it is not used", unit->offset);
    }
    // A table may leave units out: before "nobody" is the answer, the units themselves are asked.
    read_roots();
    return look_up(address);
}

}  // namespace lantern
