#include "core/dwarf/name_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

namespace lantern::dwarf {
namespace {

constexpr const char* kSection = ".debug_names";

// The hash of §7.33: Bernstein's, of the name in lower case.
std::uint32_t hash_of(std::string_view name) {
    std::uint32_t hash = 5381;
    for (char c : name)
        hash = hash * 33 + static_cast<unsigned char>(std::tolower(static_cast<unsigned char>(c)));
    return hash;
}

std::uint64_t read_number(ByteReader& reader, const AttributeSpec& spec, std::uint8_t offset_size) {
    switch (spec.form) {
        case DW_FORM_flag_present: return 1;
        case DW_FORM_implicit_const: return static_cast<std::uint64_t>(spec.implicit_const);
        case DW_FORM_data1:
        case DW_FORM_ref1:
        case DW_FORM_flag: return reader.u8();
        case DW_FORM_data2:
        case DW_FORM_ref2: return reader.u16();
        case DW_FORM_data4:
        case DW_FORM_ref4: return reader.u32();
        case DW_FORM_data8:
        case DW_FORM_ref8:
        case DW_FORM_ref_sig8: return reader.u64();
        case DW_FORM_udata:
        case DW_FORM_ref_udata: return reader.uleb();
        case DW_FORM_sec_offset:
        case DW_FORM_ref_addr: return reader.unsigned_of_size(offset_size);
        default:
            reader.fail(
                fmt::format("attribute form {:#x} has no place in a name index", spec.form));
    }
}

}  // namespace

NameTable::NameTable(const Sections& sections) : sections_(sections) {
    ByteReader reader(sections.names, kSection);
    while (!reader.at_end()) {
        auto [length, offset_size] = read_initial_length(reader);
        if (length > reader.remaining())
            reader.fail(fmt::format("an index claims {:#x} bytes but {:#x} are left", length,
                                    reader.remaining()));
        std::uint64_t end = reader.offset() + length;
        ByteReader inside = reader.part(reader.offset(), end);
        Part part;
        part.offset_size = offset_size;
        part.end = end;
        if (std::uint16_t version = inside.u16(); version != 5)
            inside.fail(fmt::format("name index version {} is not known", version));
        inside.u16();
        std::uint64_t units = inside.u32();
        part.local_types = inside.u32();
        std::uint64_t foreign_types = inside.u32();
        part.buckets = inside.u32();
        part.names = inside.u32();
        std::uint64_t abbreviation_size = inside.u32(), augmentation = inside.u32();
        inside.skip((augmentation + 3) & ~std::uint64_t{3});
        if (units > inside.remaining() / offset_size)
            inside.fail(fmt::format("{} units do not fit", units));
        for (std::uint64_t i = 0; i < units; ++i)
            part.units.push_back(inside.unsigned_of_size(offset_size));
        inside.skip(part.local_types * offset_size);
        inside.skip(foreign_types * 8);
        part.bucket_at = inside.offset();
        inside.skip(part.buckets * 4);
        part.hash_at = inside.offset();
        if (part.buckets) inside.skip(part.names * 4);
        part.string_at = inside.offset();
        inside.skip(part.names * offset_size);
        part.entry_at = inside.offset();
        inside.skip(part.names * offset_size);
        ByteReader table =
            inside.part(inside.offset(), std::min(end, inside.offset() + abbreviation_size));
        while (std::uint64_t code = table.at_end() ? 0 : table.uleb()) {
            Abbreviation& abbreviation = part.abbreviations[code];
            abbreviation = {};
            abbreviation.tag = static_cast<std::uint16_t>(table.uleb());
            for (;;) {
                AttributeSpec spec{static_cast<std::uint16_t>(table.uleb()),
                                   static_cast<std::uint16_t>(table.uleb()), 0};
                if (spec.form == DW_FORM_implicit_const) spec.implicit_const = table.sleb();
                if (spec.name == 0 && spec.form == 0) break;
                abbreviation.attributes.push_back(spec);
            }
        }
        inside.skip(abbreviation_size);
        part.pool_at = inside.offset();
        all_units_.insert(all_units_.end(), part.units.begin(), part.units.end());
        parts_.push_back(std::move(part));
        reader.seek(end);
    }
    std::sort(all_units_.begin(), all_units_.end());
    all_units_.erase(std::unique(all_units_.begin(), all_units_.end()), all_units_.end());
}

std::vector<NameTable::Found> NameTable::find(std::string_view name) const {
    std::vector<Found> found;
    std::uint32_t hash = hash_of(name);
    for (const Part& part : parts_) {
        if (part.buckets == 0)
            continue;  // not hashed: the caller's own index is as quick as looking at every name
        auto number = [&](std::uint64_t at, unsigned size) {
            return ByteReader(sections_.names.first(part.end), kSection, at).unsigned_of_size(size);
        };
        std::uint64_t index = number(part.bucket_at + 4 * (hash % part.buckets), 4);
        for (; index != 0 && index <= part.names; ++index) {
            std::uint32_t other =
                static_cast<std::uint32_t>(number(part.hash_at + 4 * (index - 1), 4));
            if (other % part.buckets != hash % part.buckets) break;
            if (other != hash) continue;
            std::uint64_t text =
                number(part.string_at + part.offset_size * (index - 1), part.offset_size);
            if (ByteReader(sections_.str, ".debug_str", text).c_string() != name) continue;
            collect(part,
                    part.pool_at +
                        number(part.entry_at + part.offset_size * (index - 1), part.offset_size),
                    found);
        }
    }
    return found;
}

void NameTable::collect(const Part& part, std::uint64_t entry, std::vector<Found>& found) const {
    ByteReader reader(sections_.names.first(part.end), kSection, entry);
    while (std::uint64_t code = reader.uleb()) {
        auto abbreviation = part.abbreviations.find(code);
        if (abbreviation == part.abbreviations.end())
            reader.fail(fmt::format("abbreviation {} is not in the index's table", code));
        std::uint64_t unit = 0, offset = 0;
        bool is_type_unit = false;
        for (const AttributeSpec& spec : abbreviation->second.attributes) {
            std::uint64_t value = read_number(reader, spec, part.offset_size);
            if (spec.name == DW_IDX_compile_unit) unit = value;
            if (spec.name == DW_IDX_type_unit) is_type_unit = true;
            if (spec.name == DW_IDX_die_offset) offset = value;
        }
        if (!is_type_unit && unit < part.units.size())
            found.push_back({part.units[unit] + offset, abbreviation->second.tag});
    }
}

}  // namespace lantern::dwarf
