// A fast walk over all entries of a unit, for the questions that concern whole programs: it decodes
// only the attributes asked for and steps over everything else by instructions worked out once for
// each abbreviation. `Entry` is the comfortable way for single entries; this is the quick one.
// (DWARF 5 §2.3, §7.5)
#pragma once

#include <array>
#include <memory>
#include <unordered_map>
#include <vector>

#include "core/dwarf/unit.h"

namespace lantern::dwarf {

enum class Slot : std::uint8_t {
    sibling,
    name,
    declaration,
    low_pc,
    high_pc,
    ranges,
    specification,
    abstract_origin,
    inline_,
    location,
    const_value,
    signature,
    size,
};
constexpr unsigned kSlots = static_cast<unsigned>(Slot::size);
using SlotSet = std::uint32_t;
constexpr SlotSet set_of() {
    return 0;
}
template <class... More>
constexpr SlotSet set_of(Slot first, More... more) {
    return SlotSet{1} << static_cast<unsigned>(first) | set_of(more...);
}

struct ScannedEntry {
    Position position = 0;
    std::uint16_t tag = 0;
    bool has_children = false;
    SlotSet present = 0;
    // Names are TextPositions, references Positions, signatures and constants themselves; an
    // address is a file address; of a block, its size; of a list index or section offset, the
    // number.
    std::array<std::uint64_t, kSlots> value;
    std::array<std::uint16_t, kSlots> form;

    bool has(Slot slot) const { return present >> static_cast<unsigned>(slot) & 1; }
    std::uint64_t operator[](Slot slot) const { return value[static_cast<unsigned>(slot)]; }
    std::uint64_t or_zero(Slot slot) const { return has(slot) ? (*this)[slot] : 0; }
    std::uint16_t form_of(Slot slot) const { return form[static_cast<unsigned>(slot)]; }
};

// A high pc is an address, or else counts from the low pc (DWARF 4 §2.17.2).
bool high_is_address(std::uint16_t form);

// What a walk does with the entries of one tag.
struct Treatment {
    SlotSet slots = 0;
    bool visit = false;  // tell the visitor; its answer says whether the children are walked
    bool enter = false;  // walk the children without telling
};
using TreatTag = Treatment (*)(std::uint16_t tag);

// One for each thread; kept between units, because neighbours often share their abbreviations.
class EntryScanner {
  public:
    explicit EntryScanner(TreatTag treat) : treat_(treat) {}

    // Walks the children of the unit's root. `visitor.entry(const ScannedEntry&)` returns true to
    // have the entry's children walked too; `visitor.leave(Position)` follows when they are
    // through, with the position behind the last. Throws FormatError; what was told till then stays
    // true.
    template <class Visitor>
    void walk(const Unit& unit, Visitor& visitor);
    // Reads the single entry at `position` of the unit, with the slots its tag is treated with.
    // False: the null entry.
    bool read(const Unit& unit, Position position, ScannedEntry& entry);

  private:
    enum class Act : std::uint8_t {
        skip_fixed,
        skip_leb,
        skip_text,
        skip_block1,
        skip_block2,
        skip_block4,
        skip_block,
        skip_indirect,
        take
    };
    struct Step {
        Act act;
        std::uint8_t slot = 0;
        std::uint16_t form = 0;
        std::uint32_t size = 0;  // of skip_fixed
        std::int64_t implicit_const = 0;
    };
    struct Plan {
        std::uint16_t tag = 0;
        bool has_children = false, known = false;
        Treatment treatment;
        std::uint32_t first = 0, count = 0;            // steps that take what is wanted
        std::uint32_t skip_first = 0, skip_count = 0;  // steps that take the sibling alone
    };

    void prepare(const Unit& unit);
    void plan_steps(const Unit& unit, const AbbreviationTable& table,
                    const Abbreviation& abbreviation, SlotSet wanted, std::uint32_t& first,
                    std::uint32_t& count);
    const Plan& plan_of(std::uint64_t code, const std::byte* at) const;
    const std::byte* run(const Unit& unit, const std::byte* at, std::uint32_t first,
                         std::uint32_t count, ScannedEntry& entry) const;
    const std::byte* take(const Unit& unit, const std::byte* at, const Step& step,
                          ScannedEntry& entry) const;
    std::uint64_t leb(const std::byte*& at) const;
    [[noreturn]] void fail(const std::byte* at, const char* what) const;

    // The instructions for one abbreviation table. Units that share a table share them, and who
    // looks back and forth between a few units does not work them out each time.
    struct PlanSet {
        const void* table = nullptr;
        std::uint64_t at = 0, shape = 0, last_used = 0;
        std::vector<Plan> plans;  // by code; a sound compiler numbers them 1, 2, 3 …
        std::unordered_map<std::uint64_t, Plan> sparse;
        std::vector<Step> steps;
    };
    PlanSet& empty_set();

    TreatTag treat_;
    std::vector<std::unique_ptr<PlanSet>> sets_;
    PlanSet* set_ = nullptr;  // that of the unit at hand
    std::uint64_t uses_ = 0;
    const Unit* unit_ = nullptr;
    const std::byte* start_ = nullptr;  // of the section
    const std::byte* end_ = nullptr;    // of the unit
};

inline std::uint64_t EntryScanner::leb(const std::byte*& at) const {
    std::uint64_t result = 0;
    for (unsigned shift = 0; at < end_; shift += 7) {
        std::uint64_t byte = static_cast<std::uint64_t>(*at++);
        if (shift < 64) result |= (byte & 0x7f) << shift;
        if (!(byte & 0x80)) return result;
    }
    fail(at, "the data ends in the middle of a number");
}

template <class Visitor>
void EntryScanner::walk(const Unit& unit, Visitor& visitor) {
    prepare(unit);
    ScannedEntry entry;
    const std::byte* at = start_ + (unit.first_entry - unit.section().base());
    {
        const Plan& root = plan_of(leb(at), at);
        if (!root.has_children) return;
        at = run(unit, at, root.skip_first, root.skip_count, entry);
    }
    // What each open level is: told to the visitor, entered silently, or passed over for want of a
    // sibling attribute.
    enum Level : std::uint8_t { told, silent };
    std::vector<Level> open;
    std::uint64_t passing = 0;
    while (at < end_) {
        const std::byte* entry_at = at;
        std::uint64_t code = leb(at);
        if (code == 0) {
            if (passing) {
                --passing;
                continue;
            }
            if (open.empty()) return;
            if (open.back() == told)
                visitor.leave(unit.section().base() + static_cast<std::uint64_t>(at - start_));
            open.pop_back();
            continue;
        }
        const Plan& plan = plan_of(code, entry_at);
        entry.present = 0;
        bool enter = plan.treatment.enter;
        Level level = silent;
        if (passing == 0 && plan.treatment.visit) {
            at = run(unit, at, plan.first, plan.count, entry);
            entry.tag = plan.tag;
            entry.has_children = plan.has_children;
            entry.position = unit.section().base() + static_cast<std::uint64_t>(entry_at - start_);
            enter = visitor.entry(static_cast<const ScannedEntry&>(entry)) && plan.has_children;
            level = told;
        } else {
            at = run(unit, at, plan.skip_first, plan.skip_count, entry);
        }
        if (!plan.has_children) continue;
        if (passing == 0 && enter) {
            open.push_back(level);
            continue;
        }
        // A sibling that does not lie ahead within the unit is no sibling.
        std::uint64_t sibling =
            entry.has(Slot::sibling) ? entry[Slot::sibling] - unit.section().base() : 0;
        if (sibling >= static_cast<std::uint64_t>(at - start_) &&
            sibling <= static_cast<std::uint64_t>(end_ - start_))
            at = start_ + sibling;
        else
            ++passing;
    }
}

}  // namespace lantern::dwarf
