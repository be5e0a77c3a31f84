#include "core/analysis/survey_units.h"

#include <algorithm>

#include "core/dwarf/entry_scan.h"
#include "core/dwarf/ranges.h"
#include "core/support/each_in_parallel.h"
#include "core/support/error.h"

namespace lantern::dwarf {
namespace {

Treatment treat(std::uint16_t tag) {
    switch (tag) {
        case DW_TAG_subprogram:
        case DW_TAG_lexical_block:
        case DW_TAG_inlined_subroutine:
        case DW_TAG_try_block:
            return {set_of(Slot::low_pc, Slot::high_pc, Slot::ranges, Slot::abstract_origin), true,
                    false};
        case DW_TAG_variable:
        case DW_TAG_formal_parameter:
            return {set_of(Slot::location, Slot::const_value, Slot::declaration), true, false};
        case DW_TAG_namespace:
        case DW_TAG_module:
        case DW_TAG_structure_type:
        case DW_TAG_class_type: return {0, false, true};
        default: return {};
    }
}

class UnitWalk {
  public:
    UnitWalk(const Unit& unit, const CodeAreas& areas, UnitSurvey& found)
        : unit_(unit), areas_(areas), found_(found) {}

    bool entry(const ScannedEntry& entry) {
        switch (entry.tag) {
            case DW_TAG_variable:
            case DW_TAG_formal_parameter: variable(entry); return false;
            case DW_TAG_inlined_subroutine:
                if (entry.has(Slot::abstract_origin)) {
                    found_.inlined_origins.push_back(entry[Slot::abstract_origin]);
                    if (!scopes_.empty() && scopes_.back().function != kNone)
                        found_.copies.emplace_back(entry[Slot::abstract_origin],
                                                   found_.each[scopes_.back().function].entry);
                }
                ++found_.inlined_calls;
                return enter(entry);
            case DW_TAG_subprogram: {
                std::uint64_t bytes = bytes_of(entry);
                if (bytes == 0)
                    return false;  // declared, abstract or thrown away: its variables are nobody's
                ++found_.functions;
                found_.code_bytes += bytes;
                found_.each.push_back({entry.position, bytes, 0, 0});
                if (!entry.has_children) return false;
                scopes_.push_back({bytes, found_.each.size() - 1});
                return true;
            }
            default: return enter(entry);
        }
    }

    void leave(Position) { scopes_.pop_back(); }

  private:
    bool enter(const ScannedEntry& entry) {
        if (!entry.has_children) return false;
        std::uint64_t own = bytes_of(entry);
        Open around = scopes_.empty() ? Open{} : scopes_.back();
        scopes_.push_back({own ? own : around.bytes, around.function});
        return true;
    }

    std::uint64_t bytes_of(const ScannedEntry& entry) const {
        std::uint64_t bytes = 0;
        if (entry.has(Slot::ranges)) {
            for (const FileRange& range :
                 range_list(unit_, entry.form_of(Slot::ranges), entry[Slot::ranges]))
                if (areas_.holds(range.low)) bytes += range.size();
            return bytes;
        }
        if (!entry.has(Slot::low_pc) || !entry.has(Slot::high_pc) ||
            !areas_.holds(FileAddress(entry[Slot::low_pc])))
            return 0;
        std::uint64_t high = entry[Slot::high_pc];
        return high_is_address(entry.form_of(Slot::high_pc))
                   ? (high > entry[Slot::low_pc] ? high - entry[Slot::low_pc] : 0)
                   : high;
    }

    void variable(const ScannedEntry& entry) {
        if (scopes_.empty() || scopes_.back().bytes == 0 || entry.or_zero(Slot::declaration))
            return;
        ++found_.variables;
        if (entry.has(Slot::const_value)) return count(1);
        if (!entry.has(Slot::location)) return count(0);
        switch (entry.form_of(Slot::location)) {
            case DW_FORM_sec_offset:
            case DW_FORM_loclistx:
            case DW_FORM_data4:
            case DW_FORM_data8: break;
            default:
                return count(entry[Slot::location] == 0
                                 ? 0
                                 : 1);  // an expression that holds everywhere; empty: removed
        }
        std::uint64_t covered = 0, places = 0;
        for (const LocationRange& location :
             location_list(unit_, entry.form_of(Slot::location), entry[Slot::location])) {
            if (location.expression.empty()) continue;
            ++places;
            if (!location.range) return count(1);
            covered += location.range->size();
        }
        found_.moving += places > 1;
        count(std::min(1.0,
                       static_cast<double>(covered) / static_cast<double>(scopes_.back().bytes)));
    }

    void count(double share) {
        found_.coverage += share;
        if (scopes_.back().function != kNone) {
            UnitSurvey::OfFunction& function = found_.each[scopes_.back().function];
            ++function.variables;
            function.coverage += static_cast<float>(share);
        }
        if (share >= 0.999)
            ++found_.everywhere;
        else if (share > 0)
            ++found_.partly;
        else
            ++found_.nowhere;
    }

    const Unit& unit_;
    const CodeAreas& areas_;
    UnitSurvey& found_;
    // An open scope: bytes of its code, and the function it is of, by index.
    static constexpr std::size_t kNone = ~std::size_t{0};
    struct Open {
        std::uint64_t bytes = 0;
        std::size_t function = kNone;
    };
    std::vector<Open> scopes_;
};

}  // namespace

std::vector<UnitSurvey> survey_units(const DebugInfo& info, const CodeAreas& areas,
                                     const std::function<void(double)>& progress) {
    const auto& units = info.units();
    std::vector<UnitSurvey> found(units.size());
    each_in_parallel(units.size(), units.size() > 1, progress, [&] {
        return [&, scanner = EntryScanner(treat)](std::size_t i) mutable {
            try {
                UnitWalk walk(*units[i], areas, found[i]);
                if (!units[i]->holds_type()) scanner.walk(*units[i], walk);
            } catch (const FormatError&) {
                // Told by the name index, which reads the same entries.
            }
            auto& origins = found[i].inlined_origins;
            std::sort(origins.begin(), origins.end());
            origins.erase(std::unique(origins.begin(), origins.end()), origins.end());
            try {
                found[i].files = read_line_header(*units[i]).files;
            } catch (const FormatError&) {
            }
        };
    });
    return found;
}

}  // namespace lantern::dwarf
