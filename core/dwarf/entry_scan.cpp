// Each abbreviation becomes a plan: which attributes to take, and how many bytes to step over
// between them. Attributes of a fixed size that nobody asks for are joined into one step.
//
//     name: strp, decl_file: data1, decl_line: data1, type: ref4, low_pc: addr
//     asked for: name, low_pc          plan: take strp → name │ skip 6 │ take addr → low_pc
//
// Plans depend on what the unit's header says (version, sizes) and are kept with the table of
// abbreviations they were made of; many units share one.
#include "core/dwarf/entry_scan.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "core/support/error.h"

namespace lantern::dwarf {
namespace {

std::optional<Slot> slot_of(std::uint16_t attribute) {
    switch (attribute) {
        case DW_AT_sibling: return Slot::sibling;
        case DW_AT_name: return Slot::name;
        case DW_AT_declaration: return Slot::declaration;
        case DW_AT_low_pc: return Slot::low_pc;
        case DW_AT_high_pc: return Slot::high_pc;
        case DW_AT_ranges: return Slot::ranges;
        case DW_AT_specification: return Slot::specification;
        case DW_AT_abstract_origin: return Slot::abstract_origin;
        case DW_AT_inline: return Slot::inline_;
        case DW_AT_location: return Slot::location;
        case DW_AT_const_value: return Slot::const_value;
        case DW_AT_signature: return Slot::signature;
        default: return std::nullopt;
    }
}

// Bytes a form takes where that is always the same; nothing where it has to be read.
std::optional<std::uint32_t> fixed_size(const Unit& unit, std::uint16_t form) {
    switch (form) {
        case DW_FORM_flag_present:
        case DW_FORM_implicit_const: return 0;
        case DW_FORM_data1:
        case DW_FORM_ref1:
        case DW_FORM_flag:
        case DW_FORM_strx1:
        case DW_FORM_addrx1: return 1;
        case DW_FORM_data2:
        case DW_FORM_ref2:
        case DW_FORM_strx2:
        case DW_FORM_addrx2: return 2;
        case DW_FORM_strx3:
        case DW_FORM_addrx3: return 3;
        case DW_FORM_data4:
        case DW_FORM_ref4:
        case DW_FORM_strx4:
        case DW_FORM_addrx4:
        case DW_FORM_ref_sup4: return 4;
        case DW_FORM_data8:
        case DW_FORM_ref8:
        case DW_FORM_ref_sig8:
        case DW_FORM_ref_sup8: return 8;
        case DW_FORM_data16: return 16;
        case DW_FORM_addr: return unit.address_size;
        case DW_FORM_strp:
        case DW_FORM_line_strp:
        case DW_FORM_sec_offset:
        case DW_FORM_strp_sup:
        case DW_FORM_GNU_ref_alt:
        case DW_FORM_GNU_strp_alt: return unit.offset_size;
        case DW_FORM_ref_addr: return unit.version == 2 ? unit.address_size : unit.offset_size;
        default: return std::nullopt;
    }
}

template <class T>
std::uint64_t load(const std::byte* at) {
    T value;
    std::memcpy(&value, at, sizeof value);
    return value;
}

std::uint64_t load_sized(const std::byte* at, std::uint32_t size) {
    switch (size) {
        case 0: return 1;  // a flag that is there
        case 1: return load<std::uint8_t>(at);
        case 2: return load<std::uint16_t>(at);
        case 3: return load<std::uint16_t>(at) | static_cast<std::uint64_t>(at[2]) << 16;
        case 4: return load<std::uint32_t>(at);
        default: return load<std::uint64_t>(at);
    }
}

}  // namespace

bool high_is_address(std::uint16_t form) {
    switch (form) {
        case DW_FORM_addr:
        case DW_FORM_addrx:
        case DW_FORM_addrx1:
        case DW_FORM_addrx2:
        case DW_FORM_addrx3:
        case DW_FORM_addrx4:
        case DW_FORM_GNU_addr_index: return true;
        default: return false;
    }
}

void EntryScanner::fail(const std::byte* at, const char* what) const {
    throw FormatError(fmt::format("{} at offset {:#x}: {}", unit_->section().name,
                                  static_cast<std::uint64_t>(at - start_), what));
}

const EntryScanner::Plan& EntryScanner::plan_of(std::uint64_t code, const std::byte* at) const {
    if (code < set_->plans.size() && set_->plans[code].known) return set_->plans[code];
    if (auto found = set_->sparse.find(code); found != set_->sparse.end()) return found->second;
    fail(at, "an abbreviation is not in the unit's table");
}

void EntryScanner::prepare(const Unit& unit) {
    unit_ = &unit;
    const InfoSection& section = unit.section();
    start_ = section.bytes.data();
    end_ = start_ + (unit.end - section.base());
    std::uint64_t shape = unit.version * 256u + unit.address_size * 16u + unit.offset_size;
    const void* table_bytes = section.sections.abbrev.data();
    auto fits = [&](const PlanSet& set) {
        return set.table == table_bytes && set.at == unit.abbreviations_at() && set.shape == shape;
    };
    if (!set_ || !fits(*set_)) {
        set_ = nullptr;
        for (const auto& set : sets_)
            if (fits(*set)) set_ = set.get();
    }
    if (set_) {
        set_->last_used = ++uses_;
        return;
    }
    AbbreviationTable table(section.sections.abbrev, unit.abbreviations_at());
    PlanSet& set = empty_set();
    set_ = &set;
    table.for_each([&](std::uint64_t code, const Abbreviation& abbreviation) {
        Plan plan;
        plan.tag = abbreviation.tag;
        plan.has_children = abbreviation.has_children;
        plan.known = true;
        plan.treatment = treat_(abbreviation.tag);
        plan_steps(unit, table, abbreviation, set_of(Slot::sibling), plan.skip_first,
                   plan.skip_count);
        if (plan.treatment.visit)
            plan_steps(unit, table, abbreviation, plan.treatment.slots | set_of(Slot::sibling),
                       plan.first, plan.count);
        if (code == set.plans.size())
            set.plans.push_back(plan);
        else
            set.sparse.emplace(code, plan);
    });
    set.table = table_bytes;
    set.at = unit.abbreviations_at();
    set.shape = shape;
    set.last_used = ++uses_;
}

// A new set, or in place of the one that was not used for longest.
EntryScanner::PlanSet& EntryScanner::empty_set() {
    constexpr std::size_t kMostKept = 32;
    if (sets_.size() < kMostKept) {
        sets_.push_back(std::make_unique<PlanSet>());
    } else {
        auto oldest = std::min_element(
            sets_.begin(), sets_.end(),
            [](const auto& a, const auto& b) { return a->last_used < b->last_used; });
        std::iter_swap(oldest, sets_.end() - 1);
        *sets_.back() = {};
    }
    sets_.back()->plans.assign(1, {});
    return *sets_.back();
}

void EntryScanner::plan_steps(const Unit& unit, const AbbreviationTable& table,
                              const Abbreviation& abbreviation, SlotSet wanted,
                              std::uint32_t& first, std::uint32_t& count) {
    first = static_cast<std::uint32_t>(set_->steps.size());
    bool can_merge = false;
    for (const AttributeSpec& spec : table.specs(abbreviation)) {
        auto slot = slot_of(spec.name);
        auto size = fixed_size(unit, spec.form);
        if (slot && (wanted >> static_cast<unsigned>(*slot) & 1)) {
            set_->steps.push_back({Act::take, static_cast<std::uint8_t>(*slot), spec.form,
                                   size.value_or(0), spec.implicit_const});
            can_merge = false;
            continue;
        }
        if (size) {
            if (*size == 0) continue;
            if (can_merge)
                set_->steps.back().size += *size;
            else
                set_->steps.push_back({Act::skip_fixed, 0, spec.form, *size, 0});
            can_merge = true;
            continue;
        }
        can_merge = false;
        Act act = Act::skip_leb;
        switch (spec.form) {
            case DW_FORM_udata:
            case DW_FORM_sdata:
            case DW_FORM_ref_udata:
            case DW_FORM_strx:
            case DW_FORM_addrx:
            case DW_FORM_loclistx:
            case DW_FORM_rnglistx:
            case DW_FORM_GNU_addr_index:
            case DW_FORM_GNU_str_index: break;
            case DW_FORM_string: act = Act::skip_text; break;
            case DW_FORM_block1: act = Act::skip_block1; break;
            case DW_FORM_block2: act = Act::skip_block2; break;
            case DW_FORM_block4: act = Act::skip_block4; break;
            case DW_FORM_block:
            case DW_FORM_exprloc: act = Act::skip_block; break;
            default:
                act = Act::skip_indirect;  // an indirect form, or one that is not known: the
                                           // careful reader decides
        }
        set_->steps.push_back({act, 0, spec.form, 0, spec.implicit_const});
    }
    count = static_cast<std::uint32_t>(set_->steps.size()) - first;
}

const std::byte* EntryScanner::run(const Unit& unit, const std::byte* at, std::uint32_t first,
                                   std::uint32_t count, ScannedEntry& entry) const {
    auto skip = [&](std::uint64_t size) {
        if (size > static_cast<std::uint64_t>(end_ - at))
            fail(at, "an attribute runs past the end of the unit");
        at += size;
    };
    auto need = [&](std::uint64_t size) {
        if (size > static_cast<std::uint64_t>(end_ - at))
            fail(at, "an attribute runs past the end of the unit");
    };
    const Step* step = set_->steps.data() + first;
    for (const Step* last = step + count; step != last; ++step) {
        switch (step->act) {
            case Act::skip_fixed: skip(step->size); break;
            case Act::skip_leb: leb(at); break;
            case Act::skip_text: {
                const void* end = std::memchr(at, 0, static_cast<std::size_t>(end_ - at));
                if (!end) fail(at, "a string has no terminator");
                at = static_cast<const std::byte*>(end) + 1;
                break;
            }
            case Act::skip_block1:
                need(1);
                skip(load<std::uint8_t>(at) + 1);
                break;
            case Act::skip_block2:
                need(2);
                skip(load<std::uint16_t>(at) + 2);
                break;
            case Act::skip_block4:
                need(4);
                skip(load<std::uint32_t>(at) + 4);
                break;
            case Act::skip_block: {
                std::uint64_t size = leb(at);
                skip(size);
                break;
            }
            case Act::skip_indirect: {
                ByteReader reader =
                    unit.reader_at(unit.section().base() + static_cast<std::uint64_t>(at - start_));
                unit.skip_form(reader, {0, step->form, step->implicit_const});
                at = start_ + reader.offset();
                break;
            }
            case Act::take: at = take(unit, at, *step, entry); break;
        }
    }
    return at;
}

const std::byte* EntryScanner::take(const Unit& unit, const std::byte* at, const Step& step,
                                    ScannedEntry& entry) const {
    if (step.size > static_cast<std::uint64_t>(end_ - at))
        fail(at, "an attribute runs past the end of the unit");
    const InfoSection& section = unit.section();
    entry.present |= SlotSet{1} << step.slot;
    entry.form[step.slot] = step.form;
    std::uint64_t& value = entry.value[step.slot];
    switch (step.form) {
        case DW_FORM_strp:
            value = text_position(section, TextPlace::str, load_sized(at, step.size));
            return at + step.size;
        case DW_FORM_line_strp:
            value = text_position(section, TextPlace::line_str, load_sized(at, step.size));
            return at + step.size;
        case DW_FORM_string: {
            const void* end = std::memchr(at, 0, static_cast<std::size_t>(end_ - at));
            if (!end) fail(at, "a string has no terminator");
            value =
                text_position(section, TextPlace::info, static_cast<std::uint64_t>(at - start_));
            return static_cast<const std::byte*>(end) + 1;
        }
        case DW_FORM_strx1:
        case DW_FORM_strx2:
        case DW_FORM_strx3:
        case DW_FORM_strx4:
            value = text_position(section, TextPlace::str,
                                  unit.indexed_string_offset(load_sized(at, step.size)));
            return at + step.size;
        case DW_FORM_strx:
        case DW_FORM_GNU_str_index:
            value = text_position(section, TextPlace::str, unit.indexed_string_offset(leb(at)));
            return at;
        case DW_FORM_strp_sup:
        case DW_FORM_GNU_strp_alt:
            if (section.shared)
                value = text_position(*section.shared, TextPlace::str, load_sized(at, step.size));
            else
                entry.present &= ~(SlotSet{1} << step.slot);
            return at + step.size;
        case DW_FORM_ref1:
        case DW_FORM_ref2:
        case DW_FORM_ref4:
        case DW_FORM_ref8: value = unit.offset + load_sized(at, step.size); return at + step.size;
        case DW_FORM_ref_udata: value = unit.offset + leb(at); return at;
        case DW_FORM_ref_addr:
            value = section.base() + load_sized(at, step.size);
            return at + step.size;
        case DW_FORM_GNU_ref_alt:
        case DW_FORM_ref_sup4:
        case DW_FORM_ref_sup8:
            if (section.shared)
                value = section.shared->base() + load_sized(at, step.size);
            else
                entry.present &= ~(SlotSet{1} << step.slot);
            return at + step.size;
        case DW_FORM_addrx1:
        case DW_FORM_addrx2:
        case DW_FORM_addrx3:
        case DW_FORM_addrx4:
            value = unit.indexed_address(load_sized(at, step.size)).value;
            return at + step.size;
        case DW_FORM_addrx:
        case DW_FORM_GNU_addr_index: value = unit.indexed_address(leb(at)).value; return at;
        case DW_FORM_implicit_const:
            value = static_cast<std::uint64_t>(step.implicit_const);
            return at;
        case DW_FORM_udata:
        case DW_FORM_loclistx:
        case DW_FORM_rnglistx: value = leb(at); return at;
        case DW_FORM_sdata: {
            const std::byte* first = at;
            value = leb(at);
            unsigned bits = 7 * static_cast<unsigned>(at - first);
            bool is_negative = (at[-1] & std::byte{0x40}) != std::byte{};
            if (is_negative && bits < 64) value |= ~std::uint64_t{0} << bits;
            return at;
        }
        case DW_FORM_exprloc:
        case DW_FORM_block: {
            value = leb(at);
            if (value > static_cast<std::uint64_t>(end_ - at))
                fail(at, "an attribute runs past the end of the unit");
            return at + value;
        }
        case DW_FORM_block1:
        case DW_FORM_block2:
        case DW_FORM_block4:
        case DW_FORM_indirect: {
            ByteReader reader =
                unit.reader_at(section.base() + static_cast<std::uint64_t>(at - start_));
            FormValue read = unit.read_form(reader, {0, step.form, 0});
            entry.form[step.slot] = read.form;
            value = read.block.empty() ? read.number : read.block.size();
            // Text behind an indirect form has no position of its own to name.
            if (read.form_class == FormClass::string) entry.present &= ~(SlotSet{1} << step.slot);
            return start_ + reader.offset();
        }
        default:
            if (!fixed_size(unit, step.form)) fail(at, "an attribute form is not known");
            value = load_sized(at, step.size);
            return at + step.size;
    }
}

bool EntryScanner::read(const Unit& unit, Position position, ScannedEntry& entry) {
    prepare(unit);
    if (position < unit.first_entry || position >= unit.end) return false;
    const std::byte* at = start_ + (position - unit.section().base());
    std::uint64_t code = leb(at);
    if (code == 0) return false;
    const Plan& plan = plan_of(code, at);
    entry.present = 0;
    entry.position = position;
    entry.tag = plan.tag;
    entry.has_children = plan.has_children;
    bool told = plan.treatment.visit;
    run(unit, at, told ? plan.first : plan.skip_first, told ? plan.count : plan.skip_count, entry);
    return true;
}

}  // namespace lantern::dwarf
