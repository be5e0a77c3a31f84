#include "core/symbols/unit_index.h"

#include "core/symbols/index_file.h"

namespace lantern {

const SymbolIndex& UnitIndex::whole() {
    if (whole_) return *whole_;
    std::function<void(double)> progress;
    if (search_.progress)
        progress = [this](double done) { search_.progress(elf_.path().string(), done); };
    constexpr std::uint64_t kWorthKeeping = 4
                                            << 20;  // below this the pass is quicker than the file
    std::uint64_t bytes = 0;
    for (const auto& section : info_.sections()) bytes += section->bytes.size();
    bool is_kept =
        !search_.index_folder.empty() && elf_.build_id().size() > 2 && bytes >= kWorthKeeping;
    if (is_kept)
        if (auto kept = load_index(search_.index_folder, elf_.build_id(), info_)) {
            whole_ = std::make_unique<SymbolIndex>(std::move(*kept));
            came_from_file_ = true;
            return *whole_;
        }
    whole_ = std::make_unique<SymbolIndex>(SymbolIndex::build(info_, areas_, progress));
    if (progress) progress(1);
    // Damage is found by the pass alone: a program that has some is passed over anew each time.
    if (is_kept && whole_->problems().empty())
        save_index(search_.index_folder, elf_.build_id(), *whole_, info_, search_.index_limit);
    return *whole_;
}

const UnitNames& UnitIndex::names_of(const dwarf::Unit& unit) {
    auto& slot = of_units_.at(unit.index);
    if (!slot) slot = std::make_unique<UnitNames>(NameScanner(info_, areas_).scan(unit));
    return *slot;
}

// Who has asked about this many units, one after the other, will ask about more: all at once, on
// all processors, is quicker.
void UnitIndex::prefer_whole(const dwarf::Unit& unit) {
    constexpr std::size_t kSingleUnits = 8;
    if (!whole_ && !of_units_[unit.index] && ++units_scanned_ > kSingleUnits) whole();
}

std::span<const CodeRange> UnitIndex::code_of(const dwarf::Unit& unit) {
    prefer_whole(unit);
    return whole_ ? whole_->code_of(unit.index) : names_of(unit).code;
}

std::span<const NameScope> UnitIndex::scopes_of(const dwarf::Unit& unit) {
    return whole_ ? whole_->scopes_of(unit.index) : names_of(unit).scopes;
}

}  // namespace lantern
