#include "core/dwarf/macro_table.h"

#include <fmt/format.h>

namespace lantern::dwarf {
namespace {

enum MacroOpcode : std::uint8_t {
    kDefine = 0x01,
    kUndefine = 0x02,
    kStartFile = 0x03,
    kEndFile = 0x04,
    kDefineAt = 0x05,
    kUndefineAt = 0x06,
    kImport = 0x07,
    kDefineElsewhere = 0x08,
    kUndefineElsewhere = 0x09,
    kImportElsewhere = 0x0a,
    kDefineIndexed = 0x0b,
    kUndefineIndexed = 0x0c,
};
constexpr std::uint8_t kVendorEntry = 0xff;  // of .debug_macinfo
constexpr unsigned kDeepestImport = 64, kMostImports = 100'000;
constexpr std::size_t kMostEntries = 4'000'000;

class MacroReader {
  public:
    explicit MacroReader(const Unit& unit) : unit_(unit), sections_(unit.sections()) {}

    std::vector<MacroEntry> run(std::uint64_t offset, bool is_old) {
        if (is_old)
            read_old(ByteReader(sections_.macinfo, ".debug_macinfo", offset));
        else
            read_unit(offset, 0);
        return std::move(entries_);
    }

  private:
    void read_unit(std::uint64_t offset, unsigned depth) {
        ByteReader reader(sections_.macro, ".debug_macro", offset);
        if (depth > kDeepestImport || ++imports_ > kMostImports)
            reader.fail("macros are imported in a circle");
        std::uint16_t version = reader.u16();
        if (version != 4 && version != 5)
            reader.fail(fmt::format("macros of version {} are not known", version));
        std::uint8_t flags = reader.u8();
        unsigned size = flags & 1 ? 8 : 4;
        if (flags & 2) reader.skip(size);  // where its line table is
        if (flags & 4) reader.fail("macros with operations of their own are not known");
        auto text_at = [&](std::uint64_t at) {
            return ByteReader(sections_.str, ".debug_str", at).c_string();
        };
        for (;;) {
            std::uint8_t opcode = reader.u8();
            if (opcode == 0) return;
            if (opcode == kImport) {
                read_unit(reader.unsigned_of_size(size), depth + 1);
                continue;
            }
            if (opcode == kEndFile) {
                add({MacroEntry::Kind::end_file, 0, 0, {}}, reader);
                continue;
            }
            if (opcode == kImportElsewhere) {
                reader.skip(size);
                continue;
            }
            auto line = static_cast<std::uint32_t>(reader.uleb());
            switch (opcode) {
                case kDefine:
                case kUndefine:
                    add({kind_of(opcode == kDefine), line, 0, reader.c_string()}, reader);
                    break;
                case kStartFile:
                    add({MacroEntry::Kind::start_file,
                         line,
                         static_cast<std::uint32_t>(reader.uleb()),
                         {}},
                        reader);
                    break;
                case kDefineAt:
                case kUndefineAt:
                    add({kind_of(opcode == kDefineAt), line, 0,
                         text_at(reader.unsigned_of_size(size))},
                        reader);
                    break;
                case kDefineElsewhere:
                case kUndefineElsewhere: reader.skip(size); break;
                case kDefineIndexed:
                case kUndefineIndexed:
                    add({kind_of(opcode == kDefineIndexed), line, 0,
                         text_at(unit_.indexed_string_offset(reader.uleb()))},
                        reader);
                    break;
                default: reader.fail(fmt::format("{:#x} is no operation of a macro table", opcode));
            }
        }
    }

    void read_old(ByteReader reader) {
        for (;;) {
            std::uint8_t kind = reader.u8();
            if (kind == 0) return;
            if (kind == kEndFile) {
                add({MacroEntry::Kind::end_file, 0, 0, {}}, reader);
                continue;
            }
            auto line = static_cast<std::uint32_t>(reader.uleb());
            switch (kind) {
                case kDefine:
                case kUndefine:
                    add({kind_of(kind == kDefine), line, 0, reader.c_string()}, reader);
                    break;
                case kStartFile:
                    add({MacroEntry::Kind::start_file,
                         line,
                         static_cast<std::uint32_t>(reader.uleb()),
                         {}},
                        reader);
                    break;
                case kVendorEntry: reader.c_string(); break;
                default: reader.fail(fmt::format("{:#x} is no entry of a macro table", kind));
            }
        }
    }

    static MacroEntry::Kind kind_of(bool defines) {
        return defines ? MacroEntry::Kind::define : MacroEntry::Kind::undefine;
    }
    void add(MacroEntry entry, const ByteReader& reader) {
        if (entries_.size() >= kMostEntries)
            reader.fail("there are more macros than a program has");
        entries_.push_back(entry);
    }

    const Unit& unit_;
    const Sections& sections_;
    std::vector<MacroEntry> entries_;
    unsigned imports_ = 0;
};

}  // namespace

std::vector<MacroEntry> macros_of(const Unit& unit) {
    const UnitRoot& root = unit.root();
    if (!root.macros) return {};
    return MacroReader(unit).run(*root.macros, root.macros_are_old);
}

}  // namespace lantern::dwarf
