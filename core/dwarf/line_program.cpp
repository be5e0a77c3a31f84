// The table of rows is written as a program for a small machine: one byte that is an opcode moves
// address and line at once and gives out a row.
//
//     header: opcode_base 13, line_base -5, line_range 14
//     byte 0x4b = 75: 75 - 13 = 62 → address + 62 / 14 = 4, line + (62 % 14) - 5 = +1, and a row
//
// The header names folders and files in two forms: lists that end with an empty name (2 to 4), and
// tables that describe themselves (5).
#include "core/dwarf/line_program.h"

#include <fmt/format.h>

#include <cstring>
#include <filesystem>

#include "core/support/error.h"

namespace lantern::dwarf {
namespace {

struct Header {
    std::uint64_t end = 0, program = 0;
    std::uint8_t offset_size = 4, address_size = 8;
    std::uint8_t minimum_instruction_length = 1, line_range = 1, opcode_base = 1;
    std::int8_t line_base = 0;
    bool default_is_statement = true;
    std::vector<std::uint8_t> operand_counts;
    std::vector<std::string> folders;
};

// Most paths are in order as they are; the others take the long way.
bool is_normal(std::string_view path) {
    for (std::size_t at = path.find('/'); at != std::string_view::npos;
         at = path.find('/', at + 1)) {
        char next = at + 1 < path.size() ? path[at + 1] : '/';
        if (next == '.' || next == '/') return path.size() == 1;
    }
    return !path.starts_with('.');
}

std::string joined(const std::string& folder, std::string_view name) {
    std::string path;
    if (!folder.empty() && !name.starts_with('/')) {
        path.reserve(folder.size() + 1 + name.size());
        path = folder;
        if (!path.ends_with('/')) path += '/';
    }
    path += name;
    return is_normal(path) ? path : std::filesystem::path(path).lexically_normal().string();
}

// The line program of a split unit stands in the program itself, written in the terms of the
// skeleton.
const Unit& holder_of_lines(const Unit& unit) {
    return unit.skeleton ? *unit.skeleton : unit;
}

struct EntryFormat {
    std::uint64_t content, form;
};

struct TableEntry {
    std::string_view path;
    std::uint64_t folder = 0;
    std::optional<std::array<std::uint8_t, 16>> md5;
};

// An assembler may write a 32-bit line program for a 64-bit unit: the width of offsets is that of
// the program's own header.
FormValue read_header_form(ByteReader& reader, const Unit& unit, std::uint16_t form,
                           std::uint8_t offset_size) {
    if (offset_size == unit.offset_size || (form != DW_FORM_line_strp && form != DW_FORM_strp))
        return unit.read_form(reader, {0, form, 0});
    bool is_line = form == DW_FORM_line_strp;
    FormValue value;
    value.form = form;
    value.form_class = FormClass::string;
    value.text =
        ByteReader(is_line ? unit.sections().line_str : unit.sections().str,
                   is_line ? ".debug_line_str" : ".debug_str", reader.unsigned_of_size(offset_size))
            .c_string();
    return value;
}

// The self-describing tables of version 5 (DWARF 5 §6.2.4.1).
std::vector<TableEntry> read_table_5(ByteReader& reader, const Unit& unit,
                                     std::uint8_t offset_size) {
    std::vector<EntryFormat> formats(reader.u8());
    for (EntryFormat& format : formats) format = {reader.uleb(), reader.uleb()};
    std::uint64_t count = reader.uleb();
    if (count > reader.remaining() || (formats.empty() && count))
        reader.fail(fmt::format("{} table entries cannot fit", count));
    std::vector<TableEntry> entries;
    entries.reserve(count);
    for (std::uint64_t i = 0; i < count; ++i) {
        TableEntry entry;
        for (const EntryFormat& format : formats) {
            FormValue value =
                read_header_form(reader, holder_of_lines(unit),
                                 static_cast<std::uint16_t>(format.form), offset_size);
            if (format.content == DW_LNCT_path) entry.path = value.text;
            if (format.content == DW_LNCT_directory_index) entry.folder = value.number;
            if (format.content == DW_LNCT_MD5 && value.block.size() == 16) {
                entry.md5.emplace();
                std::memcpy(entry.md5->data(), value.block.data(), 16);
            }
        }
        entries.push_back(entry);
    }
    return entries;
}

void read_files_5(ByteReader& reader, const Unit& unit, Header& header, LineProgram& program) {
    std::string base(unit.root().compilation_folder);
    for (const TableEntry& folder : read_table_5(reader, unit, header.offset_size))
        header.folders.push_back(joined(base, folder.path));
    for (const TableEntry& file : read_table_5(reader, unit, header.offset_size)) {
        std::string folder =
            file.folder < header.folders.size() ? header.folders[file.folder] : base;
        program.files.push_back({joined(folder, file.path), file.md5});
    }
}

void add_file_4(ByteReader& reader, std::string_view name, const Header& header,
                LineProgram& program) {
    std::uint64_t folder = reader.uleb();
    reader.uleb();  // time
    reader.uleb();  // size
    program.files.push_back(
        {joined(folder < header.folders.size() ? header.folders[folder] : "", name), {}});
}

void read_files_4(ByteReader& reader, const Unit& unit, Header& header, LineProgram& program) {
    header.folders.emplace_back(unit.root().compilation_folder);
    for (;;) {
        std::string_view folder = reader.c_string();
        if (folder.empty()) break;
        header.folders.push_back(joined(header.folders[0], folder));
    }
    program.files.push_back(
        {joined(header.folders[0], unit.root().name), {}});  // file 0 is the unit's own
    for (;;) {
        std::string_view name = reader.c_string();
        if (name.empty()) break;
        add_file_4(reader, name, header, program);
    }
}

// The fixed part, up to the tables of folders and files.
Header read_header_start(ByteReader& reader, const Unit& unit, LineProgram& program) {
    Header header;
    auto [length, offset_size] = read_initial_length(reader);
    if (length > reader.remaining())
        reader.fail(fmt::format("a line program claims {:#x} bytes but {:#x} are left", length,
                                reader.remaining()));
    header.offset_size = offset_size;
    header.end = reader.offset() + length;
    header.address_size = unit.address_size;
    program.version = reader.u16();
    if (program.version < 2 || program.version > 5)
        reader.fail(fmt::format("line program version {} is not known", program.version));
    if (program.version >= 5) {
        header.address_size = reader.u8();
        reader.u8();  // segment selector size
    }
    std::uint64_t header_length = reader.unsigned_of_size(offset_size);
    header.program = reader.offset() + header_length;
    if (header.program > header.end)
        reader.fail("the header is longer than the whole line program");
    header.minimum_instruction_length = reader.u8();
    if (program.version >= 4) reader.u8();  // operations in one VLIW instruction; always 1 here
    header.default_is_statement = reader.u8() != 0;
    header.line_base = reader.i8();
    header.line_range = reader.u8();
    header.opcode_base = reader.u8();
    if (header.line_range == 0) reader.fail("the line range is 0");
    if (header.opcode_base == 0) reader.fail("the opcode base is 0");
    for (unsigned i = 1; i < header.opcode_base; ++i) header.operand_counts.push_back(reader.u8());
    return header;
}

Header read_header(ByteReader& reader, const Unit& unit, LineProgram& program) {
    Header header = read_header_start(reader, unit, program);
    if (program.version >= 5) {
        read_files_5(reader, unit, header, program);
    } else {
        read_files_4(reader, unit, header, program);
    }
    return header;
}

// The state machine of §6.2.2 and its opcodes, §6.2.5.
class Machine {
  public:
    Machine(ByteReader reader, const Header& header, LineProgram& program)
        : reader_(reader), header_(header), program_(program) {
        reset();
    }

    void run() {
        reader_.seek(header_.program);
        while (reader_.offset() < header_.end) {
            std::uint8_t opcode = reader_.u8();
            if (opcode >= header_.opcode_base) {
                special(opcode);
            } else if (opcode == 0) {
                extended();
            } else {
                standard(opcode);
            }
        }
    }

  private:
    void reset() {
        row_ = LineRow{};
        row_.file = 1;
        row_.line = 1;
        row_.is_statement = header_.default_is_statement;
    }
    void emit() {
        program_.rows.push_back(row_);
        ++row_.view;
        row_.prologue_end = row_.epilogue_begin = false;
    }
    void advance(std::uint64_t operations) {
        if (operations) row_.view = 0;
        row_.address = row_.address + operations * header_.minimum_instruction_length;
    }
    void special(std::uint8_t opcode) {
        unsigned adjusted = opcode - header_.opcode_base;
        advance(adjusted / header_.line_range);
        row_.line += header_.line_base + static_cast<int>(adjusted % header_.line_range);
        emit();
    }
    void extended() {
        std::uint64_t length = reader_.uleb();
        if (length == 0) return;
        std::uint64_t next = reader_.offset() + length;
        if (length > header_.end - reader_.offset())
            reader_.fail("an extended opcode runs past the line program");
        switch (reader_.u8()) {
            case DW_LNE_end_sequence:
                row_.end_sequence = true;
                emit();
                reset();
                break;
            case DW_LNE_set_address:
                row_.address =
                    FileAddress(reader_.unsigned_of_size(static_cast<unsigned>(length - 1)));
                row_.view = 0;
                break;
            case DW_LNE_define_file:
                add_file_4(reader_, reader_.c_string(), header_, program_);
                break;
            default: break;
        }
        reader_.seek(next);
    }
    void standard(std::uint8_t opcode) {
        switch (opcode) {
            case DW_LNS_copy: emit(); break;
            case DW_LNS_advance_pc: advance(reader_.uleb()); break;
            case DW_LNS_advance_line:
                row_.line += static_cast<std::uint32_t>(reader_.sleb());
                break;
            case DW_LNS_set_file: row_.file = static_cast<std::uint32_t>(reader_.uleb()); break;
            case DW_LNS_set_column: row_.column = static_cast<std::uint16_t>(reader_.uleb()); break;
            case DW_LNS_negate_stmt: row_.is_statement = !row_.is_statement; break;
            case DW_LNS_set_basic_block: break;
            case DW_LNS_const_add_pc:
                advance((255 - header_.opcode_base) / header_.line_range);
                break;
            case DW_LNS_fixed_advance_pc: row_.address = row_.address + reader_.u16(); break;
            case DW_LNS_set_prologue_end: row_.prologue_end = true; break;
            case DW_LNS_set_epilogue_begin: row_.epilogue_begin = true; break;
            case DW_LNS_set_isa: reader_.uleb(); break;
            default:  // a vendor's opcode: its operands are all LEB128 numbers
                for (unsigned i = 0; i < header_.operand_counts[opcode - 1]; ++i) reader_.uleb();
        }
    }

    ByteReader reader_;
    const Header& header_;
    LineProgram& program_;
    LineRow row_;
};

LineProgram read(const Unit& unit, bool with_rows) {
    LineProgram program;
    if (!unit.root().line_table_offset) return program;
    ByteReader reader(unit.line_section(), ".debug_line", *unit.root().line_table_offset);
    Header header = read_header(reader, unit, program);
    if (with_rows) Machine(reader.part(header.program, header.end), header, program).run();
    return program;
}

}  // namespace

bool may_mention_file(const Unit& unit, std::string_view last_component) {
    if (!unit.root().line_table_offset) return false;
    auto fits = [&](std::string_view path) {
        return path.ends_with(last_component) &&
               (path.size() == last_component.size() ||
                path[path.size() - last_component.size() - 1] == '/');
    };
    try {
        ByteReader reader(unit.line_section(), ".debug_line", *unit.root().line_table_offset);
        LineProgram program;
        Header header = read_header_start(reader, unit, program);
        if (program.version >= 5) {
            read_table_5(reader, unit, header.offset_size);
            std::vector<TableEntry> files = read_table_5(reader, unit, header.offset_size);
            return std::any_of(files.begin(), files.end(),
                               [&](const TableEntry& file) { return fits(file.path); });
        }
        while (!reader.c_string().empty()) {
        }
        for (std::string_view name = reader.c_string(); !name.empty(); name = reader.c_string()) {
            if (fits(name)) return true;
            for (int i = 0; i < 3; ++i) reader.uleb();
        }
        return fits(unit.root().name);
    } catch (const FormatError&) {
        return true;
    }
}

LineProgram read_line_header(const Unit& unit) {
    return read(unit, false);
}

LineProgram read_line_program(const Unit& unit) {
    return read(unit, true);
}

}  // namespace lantern::dwarf
