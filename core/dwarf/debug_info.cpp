#include "core/dwarf/debug_info.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/dwarf/package_index.h"
#include "core/support/error.h"

namespace lantern::dwarf {

DebugInfo::DebugInfo(DebugInfoInput input) : input_(std::move(input)) {
    // The program's own .debug_info is section 0: its positions are plain offsets.
    InfoSection& own = add_section(input_.sections.info, ".debug_info", input_.sections);
    InfoSection* types = nullptr;
    if (!input_.sections.types.empty())
        types = &add_section(input_.sections.types, ".debug_types", input_.sections);
    if (input_.shared) {
        InfoSection& shared =
            add_section(input_.shared->info, ".debug_info of the shared file", *input_.shared);
        own.shared = &shared;
        if (types) types->shared = &shared;
    }
    for (std::size_t i = 0; i < sections_.size(); ++i) read_headers(*sections_[i], nullptr);
    join_split_units();
    std::sort(units_.begin(), units_.end(),
              [](const auto& a, const auto& b) { return a->offset < b->offset; });
    for (std::size_t i = 0; i < units_.size(); ++i)
        units_[i]->index = static_cast<std::uint32_t>(i);
    give_partial_units_a_language();
}

InfoSection& DebugInfo::add_section(ByteSpan bytes, std::string name, const Sections& sections) {
    auto section = std::make_unique<InfoSection>();
    section->number = static_cast<std::uint32_t>(sections_.size());
    section->bytes = bytes;
    section->name = std::move(name);
    section->sections = sections;
    sections_.push_back(std::move(section));
    return *sections_.back();
}

void DebugInfo::read_headers(const InfoSection& section,
                             const std::unordered_map<std::uint64_t, Contribution>* parts) {
    for (std::uint64_t offset = 0; offset < section.bytes.size();) {
        std::uint64_t next = 0;
        try {
            ByteReader reader(section.bytes, section.name, offset);
            std::uint64_t length = read_initial_length(reader).length;
            if (length == 0) {  // padding between units
                offset = reader.offset();
                continue;
            }
            if (length <= reader.remaining()) next = reader.offset() + length;
            Contribution part;
            if (parts) {
                auto found = parts->find(offset);
                if (found == parts->end()) {  // not in the package's index: nothing refers to it
                    offset = next ? next : section.bytes.size();
                    continue;
                }
                part = found->second;
            }
            auto unit = std::make_unique<Unit>(section, section.base() + offset, part);
            if (unit->type_signature)
                type_by_signature_.try_emplace(unit->type_signature, unit->type_offset);
            units_.push_back(std::move(unit));
        } catch (const FormatError& error) {
            problems_.push_back(error.what());
            if (next == 0) return;  // without a length there is no way to the next unit
        }
        offset = next;
    }
}

// Pairs each skeleton with the unit in its split file (DWARF 5 §3.1.2, §3.1.3).
void DebugInfo::join_split_units() {
    if (!input_.find_split) return;
    std::vector<std::size_t> found;
    std::unordered_map<std::uint64_t, const Unit*> skeleton_of;
    std::size_t own_units = units_.size();
    bool may_be_old =
        !input_.sections.addr.empty();  // split DWARF 4 has no unit type to tell it by
    for (std::size_t i = 0; i < own_units; ++i) {
        const Unit& unit = *units_[i];
        bool is_skeleton = unit.type == DW_UT_skeleton ||
                           (may_be_old && unit.version < 5 && !unit.root().split_name.empty() &&
                            unit.root().split_id);
        if (!is_skeleton) continue;
        std::string problem;
        const SplitFile* file = input_.find_split(unit, problem);
        if (!file) {
            split_problems_.push_back(problem);
            continue;
        }
        add_split_file(*file, unit);
        skeleton_of.emplace(*unit.root().split_id, &unit);
        found.push_back(i);
    }
    std::unordered_set<const Unit*> joined;
    for (std::size_t i = own_units; i < units_.size(); ++i) {
        Unit& unit = *units_[i];
        if (unit.holds_type()) continue;
        auto id = unit.split_id_in_header ? unit.split_id_in_header : unit.root().split_id;
        auto match = id ? skeleton_of.find(*id) : skeleton_of.end();
        if (match == skeleton_of.end()) continue;
        // The root may have been read without its skeleton, for the id: make the unit anew.
        Contribution parts = unit.contribution();
        auto again = std::make_unique<Unit>(unit.section(), unit.offset, parts);
        again->skeleton = match->second;
        units_[i] = std::move(again);
        joined.insert(match->second);
    }
    for (auto at = found.rbegin(); at != found.rend(); ++at) {
        auto& slot = units_[*at];
        if (!joined.count(slot.get())) {
            split_problems_.push_back(fmt::format("the split file of {} holds another build of it",
                                                  slot->root().split_name));
            continue;
        }
        skeletons_.push_back(std::move(slot));
    }
    std::erase(units_, nullptr);
}

void DebugInfo::add_split_file(const SplitFile& file, const Unit& skeleton) {
    if (!known_split_files_.insert(&file).second) return;
    ++split_sections_;
    Sections sections = file.sections;
    // Addresses stand in the program itself, and in DWARF 4 the ranges too.
    sections.addr = input_.sections.addr;
    if (skeleton.version < 5) sections.ranges = input_.sections.ranges;
    // Type units have a section of their own before version 5; from there on both indexes lead into
    // the same.
    if (file.sections.types.empty()) {
        add_split_section(file, file.sections.info, sections,
                          {file.sections.cu_index, file.sections.tu_index});
    } else {
        add_split_section(file, file.sections.info, sections, {file.sections.cu_index});
        add_split_section(file, file.sections.types, sections, {file.sections.tu_index});
    }
    for (ByteSpan bytes : file.more_info) add_split_section(file, bytes, sections, {});
    for (ByteSpan bytes : file.more_types) {
        sections.types = bytes;  // tells its units that they are type units
        add_split_section(file, bytes, sections, {});
    }
}

// `indexes` are those of a package; empty ones are passed over.
void DebugInfo::add_split_section(const SplitFile& file, ByteSpan bytes, const Sections& sections,
                                  std::initializer_list<ByteSpan> indexes) {
    if (bytes.empty()) return;
    bool holds_types = bytes.data() == sections.types.data();
    InfoSection& section = add_section(
        bytes,
        fmt::format("{} of {}", holds_types ? ".debug_types.dwo" : ".debug_info.dwo", file.path),
        sections);
    section.is_split = true;
    std::unordered_map<std::uint64_t, Contribution> parts;
    bool is_package = false;
    for (ByteSpan index : indexes) {
        if (index.empty()) continue;
        is_package = true;
        try {
            for (const PackageRow& row : read_package_index(index, "the package's index"))
                parts[row.info_offset] = row.parts;
        } catch (const FormatError& error) {
            problems_.push_back(fmt::format("{}: {}", file.path, error.what()));
        }
    }
    read_headers(section, is_package ? &parts : nullptr);
}

// dwz leaves the language out of the partial units it makes: theirs is that of the units that
// import them (DWARF 5 §3.1.1, Appendix E).
void DebugInfo::give_partial_units_a_language() {
    bool any = false;
    const InfoSection* without =
        nullptr;  // dwz puts them first: a version-4 section that starts with another has none
    for (const auto& unit : units_) {
        if (unit->type == DW_UT_partial) {
            any = true;
        } else if (unit->version < 5 && unit->type == DW_UT_compile &&
                   &unit->section() != without) {
            if (unit->root().tag == DW_TAG_partial_unit)
                any = true;
            else
                without = &unit->section();
        }
    }
    if (!any) return;
    // Imports of imports come in a few rounds.
    for (int round = 0; round < 4; ++round) {
        bool changed = false;
        for (const auto& importer : units_) {
            std::uint16_t language = importer->language();
            if (language == 0) continue;
            try {
                auto root = Entry::at(*importer, importer->first_entry);
                for (auto child = root ? root->first_child() : std::nullopt;
                     child && child->tag() == DW_TAG_imported_unit; child = child->next_sibling()) {
                    auto target = child->reference(DW_AT_import);
                    const Unit* unit = target ? unit_holding(*target) : nullptr;
                    if (!unit || unit->language() != 0) continue;
                    const_cast<Unit*>(unit)->fallback_language = language;
                    changed = true;
                }
            } catch (const FormatError&) {
                continue;  // told when the unit itself is read
            }
        }
        if (!changed) break;
    }
}

std::vector<std::string> DebugInfo::problems() const {
    std::vector<std::string> all = problems_;
    all.insert(all.end(), split_problems_.begin(), split_problems_.end());
    for (const auto& unit : units_)
        if (std::string damage = unit->damage(); !damage.empty()) all.push_back(std::move(damage));
    return all;
}

std::string_view DebugInfo::text(TextPosition position) const {
    if (position == 0) return {};  // a unit's header stands there, and never a name
    std::uint64_t place = position >> kOffsetBits, offset = position & kOffsetMask;
    if (place / 4 >= sections_.size()) return {};
    const InfoSection& section = *sections_[place / 4];
    ByteSpan bytes = place % 4 == 0   ? section.bytes
                     : place % 4 == 1 ? section.sections.str
                                      : section.sections.line_str;
    if (offset >= bytes.size()) return {};
    const char* start = reinterpret_cast<const char*>(bytes.data()) + offset;
    const void* end = std::memchr(start, 0, bytes.size() - offset);
    return end ? std::string_view(start,
                                  static_cast<std::size_t>(static_cast<const char*>(end) - start))
               : std::string_view();
}

const Unit* DebugInfo::unit_holding(Position position) const {
    auto after = std::upper_bound(units_.begin(), units_.end(), position,
                                  [](Position at, const auto& unit) { return at < unit->offset; });
    if (after == units_.begin()) return nullptr;
    const Unit& unit = **std::prev(after);
    return position >= unit.first_entry && position < unit.end ? &unit : nullptr;
}

const Unit* DebugInfo::unit_starting(Position header) const {
    auto found = std::lower_bound(units_.begin(), units_.end(), header,
                                  [](const auto& unit, Position at) { return unit->offset < at; });
    if (found != units_.end() && (*found)->offset == header) return found->get();
    // The tables of a split program name the skeletons.
    for (const auto& unit : units_)
        if (unit->skeleton && unit->skeleton->offset == header) return unit.get();
    return nullptr;
}

std::optional<Entry> DebugInfo::entry_at(Position position) const {
    const Unit* unit = unit_holding(position);
    return unit ? Entry::at(*unit, position) : std::nullopt;
}

std::vector<Entry> DebugInfo::with_origins(const Entry& entry) const {
    constexpr std::size_t kLongest = 8;  // compilers write chains of three
    std::vector<Entry> chain{entry};
    for (;;) {
        auto next = referred(chain.back(), DW_AT_abstract_origin);
        if (!next) next = referred(chain.back(), DW_AT_specification);
        if (!next) return chain;
        if (chain.size() == kLongest)
            throw FormatError(fmt::format(
                "the entry at {:#x} leads from origin to origin without end", entry.offset()));
        chain.push_back(*next);
    }
}

std::optional<Position> DebugInfo::type_of_signature(std::uint64_t signature) const {
    auto found = type_by_signature_.find(signature);
    if (found == type_by_signature_.end()) return std::nullopt;
    return found->second;
}

std::optional<Entry> DebugInfo::referred(const FormValue& value) const {
    if (value.form_class == FormClass::reference) return entry_at(value.number);
    if (value.form_class == FormClass::signature)
        if (auto position = type_of_signature(value.number)) return entry_at(*position);
    return std::nullopt;
}

std::optional<Entry> DebugInfo::referred(const Entry& from, At name) const {
    auto value = from.attribute(name);
    return value ? referred(*value) : std::nullopt;
}

}  // namespace lantern::dwarf
