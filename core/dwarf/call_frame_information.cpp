// Two kinds of records: a CIE says what many functions share, an FDE covers the code of one. Their
// instructions are run one after the other and give rows: from this address on, the caller's frame
// is found so.
//
//     CIE   def_cfa rsp+8; return address at cfa-8
//     FDE   0x1139..0x1160
//           advance 1; def_cfa_offset 16; rbp at cfa-16      behind "push rbp"
//           advance 3; def_cfa_register rbp                  behind "mov rbp, rsp"
//
// Records are found by address through an index that is made when it is first asked for. What comes
// before a damaged record stays usable.
#include "core/dwarf/call_frame_information.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/dwarf/constants.h"
#include "core/dwarf/encoded_pointer.h"
#include "core/dwarf/unit.h"
#include "core/support/error.h"

namespace lantern::dwarf {
namespace {

struct RecordHeader {
    std::uint64_t end = 0;        // offset after the record
    std::uint64_t id = 0;         // what tells a CIE from an FDE
    std::uint64_t id_offset = 0;  // where that field is: .eh_frame counts back from here
    bool is_common = false, is_terminator = false;
};

RecordHeader read_record_header(ByteReader& reader, CallFrameInformation::Flavour flavour) {
    RecordHeader header;
    auto [length, offset_size] = read_initial_length(reader);
    if (length == 0) {
        header.is_terminator = true;
        header.end = reader.offset();
        return header;
    }
    if (length > reader.remaining()) reader.fail("a record runs past the section");
    header.end = reader.offset() + length;
    header.id_offset = reader.offset();
    bool eh = flavour == CallFrameInformation::Flavour::eh_frame;
    header.id = reader.unsigned_of_size(eh ? 4 : offset_size);
    header.is_common =
        eh ? header.id == 0 : header.id == (offset_size == 8 ? ~std::uint64_t{0} : 0xffffffff);
    return header;
}

// Runs the instructions of a CIE and then of an FDE into rows (DWARF 5 §6.4.2, §6.4.3).
class RowMachine {
  public:
    RowMachine(FileRange range, std::uint64_t code_alignment, std::int64_t data_alignment,
               std::string_view section)
        : code_alignment_(code_alignment), data_alignment_(data_alignment), section_(section) {
        row_.range = range;
    }

    void run_common(ByteSpan instructions) {
        run(instructions);
        initial_ = row_;
        rows_.clear();
    }
    std::vector<FrameRow> run_description(ByteSpan instructions) {
        run(instructions);
        rows_.push_back(row_);
        return std::move(rows_);
    }

  private:
    void advance(std::uint64_t to) {
        if (to <= row_.range.low.value) return;
        FrameRow done = row_;
        done.range.high = FileAddress(to);
        rows_.push_back(done);
        row_.range.low = FileAddress(to);
    }
    // An offset in units of the data alignment. Damaged bytes may make it overflow, which must not
    // be undefined.
    std::int64_t factored(std::uint64_t number) const {
        return static_cast<std::int64_t>(number * static_cast<std::uint64_t>(data_alignment_));
    }
    void advance_by(std::uint64_t delta) {
        advance(row_.range.low.value + delta * code_alignment_);
    }

    void rule(std::uint64_t number, RegisterRule::Kind kind, std::int64_t value = 0,
              ByteSpan expression = {}) {
        if (number < kFrameRegisters) row_.registers[number] = {kind, value, expression};
    }
    void restore(std::uint64_t number) {
        if (number < kFrameRegisters) row_.registers[number] = initial_.registers[number];
    }
    void define_cfa(std::uint64_t number, std::int64_t offset) {
        row_.cfa_is_expression = false;
        row_.cfa_register = static_cast<unsigned>(number);
        row_.cfa_offset = offset;
    }

    void run(ByteSpan instructions) {
        using Kind = RegisterRule::Kind;
        ByteReader reader(instructions, section_);
        while (!reader.at_end()) {
            std::uint8_t op = reader.u8();
            std::uint8_t low = op & 0x3f;
            switch (op & 0xc0) {
                case DW_CFA_advance_loc: advance_by(low); continue;
                case DW_CFA_offset: rule(low, Kind::offset, factored(reader.uleb())); continue;
                case DW_CFA_restore: restore(low); continue;
                default: break;
            }
            switch (op) {
                case DW_CFA_nop: break;
                case DW_CFA_set_loc: advance(reader.u64()); break;
                case DW_CFA_advance_loc1: advance_by(reader.u8()); break;
                case DW_CFA_advance_loc2: advance_by(reader.u16()); break;
                case DW_CFA_advance_loc4: advance_by(reader.u32()); break;
                case DW_CFA_offset_extended: {
                    std::uint64_t number = reader.uleb();
                    rule(number, Kind::offset, factored(reader.uleb()));
                    break;
                }
                case DW_CFA_offset_extended_sf: {
                    std::uint64_t number = reader.uleb();
                    rule(number, Kind::offset, factored(static_cast<std::uint64_t>(reader.sleb())));
                    break;
                }
                case DW_CFA_GNU_negative_offset_extended: {
                    std::uint64_t number = reader.uleb();
                    rule(number, Kind::offset, factored(std::uint64_t{0} - reader.uleb()));
                    break;
                }
                case DW_CFA_val_offset: {
                    std::uint64_t number = reader.uleb();
                    rule(number, Kind::value_offset, factored(reader.uleb()));
                    break;
                }
                case DW_CFA_val_offset_sf: {
                    std::uint64_t number = reader.uleb();
                    rule(number, Kind::value_offset,
                         factored(static_cast<std::uint64_t>(reader.sleb())));
                    break;
                }
                case DW_CFA_restore_extended: restore(reader.uleb()); break;
                case DW_CFA_undefined: rule(reader.uleb(), Kind::undefined); break;
                case DW_CFA_same_value: rule(reader.uleb(), Kind::same_value); break;
                case DW_CFA_register: {
                    std::uint64_t number = reader.uleb();
                    rule(number, Kind::in_register, static_cast<std::int64_t>(reader.uleb()));
                    break;
                }
                case DW_CFA_remember_state:
                    if (remembered_.size() > 1000) reader.fail("states are remembered without end");
                    remembered_.push_back(row_);
                    break;
                case DW_CFA_restore_state: {
                    if (remembered_.empty())
                        reader.fail("a state is restored that was never remembered");
                    FileRange range = row_.range;
                    row_ = remembered_.back();
                    row_.range = range;
                    remembered_.pop_back();
                    break;
                }
                case DW_CFA_def_cfa: {
                    std::uint64_t number = reader.uleb();
                    define_cfa(number, static_cast<std::int64_t>(reader.uleb()));
                    break;
                }
                case DW_CFA_def_cfa_sf: {
                    std::uint64_t number = reader.uleb();
                    define_cfa(number, factored(static_cast<std::uint64_t>(reader.sleb())));
                    break;
                }
                case DW_CFA_def_cfa_register: define_cfa(reader.uleb(), row_.cfa_offset); break;
                case DW_CFA_def_cfa_offset:
                    row_.cfa_offset = static_cast<std::int64_t>(reader.uleb());
                    break;
                case DW_CFA_def_cfa_offset_sf:
                    row_.cfa_offset = factored(static_cast<std::uint64_t>(reader.sleb()));
                    break;
                case DW_CFA_def_cfa_expression:
                    row_.cfa_is_expression = true;
                    row_.cfa_expression = reader.block(reader.uleb());
                    break;
                case DW_CFA_expression: {
                    std::uint64_t number = reader.uleb();
                    rule(number, Kind::expression, 0, reader.block(reader.uleb()));
                    break;
                }
                case DW_CFA_val_expression: {
                    std::uint64_t number = reader.uleb();
                    rule(number, Kind::value_expression, 0, reader.block(reader.uleb()));
                    break;
                }
                case DW_CFA_GNU_args_size: reader.uleb(); break;
                default: reader.fail(fmt::format("call-frame instruction {:#x} is not known", op));
            }
        }
    }

    std::uint64_t code_alignment_;
    std::int64_t data_alignment_;
    std::string_view section_;
    FrameRow row_, initial_;
    std::vector<FrameRow> rows_, remembered_;
};

}  // namespace

CallFrameInformation::CallFrameInformation(ByteSpan section, FileAddress section_address,
                                           Flavour flavour, FileAddress data_base)
    : section_(section), address_(section_address), data_base_(data_base), flavour_(flavour) {}

std::uint64_t CallFrameInformation::read_pointer(ByteReader& reader, std::uint8_t encoding) const {
    return read_encoded_pointer(reader, encoding, address_, data_base_);
}

CallFrameInformation::Common CallFrameInformation::read_common(std::uint64_t offset) const {
    ByteReader reader(section_, name(), offset);
    RecordHeader header = read_record_header(reader, flavour_);
    if (!header.is_common) reader.fail("a description refers to a record that is no CIE");
    Common common;
    std::uint8_t version = reader.u8();
    if (version != 1 && version != 3 && version != 4)
        reader.fail(fmt::format("CIE version {} is not known", version));
    std::string_view augmentation = reader.c_string();
    if (version == 4) reader.u16();  // address size, segment selector size
    common.code_alignment = reader.uleb();
    common.data_alignment = reader.sleb();
    common.return_address_register =
        static_cast<unsigned>(version == 1 ? reader.u8() : reader.uleb());
    std::uint64_t instructions = 0;
    if (augmentation.starts_with('z')) {
        common.has_augmentation_data = true;
        std::uint64_t size = reader.uleb();
        instructions = reader.offset() + size;
        for (char c : augmentation.substr(1)) {
            if (c == 'R') common.pointer_encoding = reader.u8();
            if (c == 'L') common.handlers_encoding = reader.u8();
            if (c == 'P') {
                std::uint8_t encoding = reader.u8();
                read_pointer(reader, encoding);
            }
            if (c == 'S') common.is_signal_frame = true;
        }
        reader.seek(instructions);
    } else if (!augmentation.empty()) {
        reader.fail(fmt::format("augmentation \"{}\" is not known", std::string(augmentation)));
    }
    if (reader.offset() > header.end) reader.fail("a CIE runs past its end");
    common.instructions = section_.subspan(reader.offset(), header.end - reader.offset());
    return common;
}

void CallFrameInformation::index() const {
    if (indexed_) return;
    indexed_ = true;
    try {
        ByteReader reader(section_, name());
        std::uint64_t last_common = ~std::uint64_t{0};
        std::uint8_t encoding = 0;
        while (!reader.at_end()) {
            std::uint64_t offset = reader.offset();
            RecordHeader header = read_record_header(reader, flavour_);
            if (header.is_terminator) {
                if (flavour_ == Flavour::eh_frame && reader.remaining() < 4) break;
                continue;
            }
            if (!header.is_common) {
                std::uint64_t common =
                    flavour_ == Flavour::eh_frame ? header.id_offset - header.id : header.id;
                if (common != last_common) {
                    encoding = read_common(common).pointer_encoding;
                    last_common = common;
                }
                std::uint64_t low = read_pointer(reader, encoding);
                std::uint64_t size = read_pointer(reader, encoding & 0x0f);
                if (size && low)
                    index_.push_back({{FileAddress(low), FileAddress(low + size)}, offset});
            }
            reader.seek(header.end);
        }
    } catch (const FormatError&) {
        // What was read up to the damage stays usable.
    }
    std::sort(index_.begin(), index_.end(),
              [](const IndexEntry& a, const IndexEntry& b) { return a.range.low < b.range.low; });
}

std::vector<FileRange> CallFrameInformation::covered() const {
    index();
    std::vector<FileRange> ranges;
    for (const IndexEntry& entry : index_) ranges.push_back(entry.range);
    return ranges;
}

std::optional<FrameDescription> CallFrameInformation::describe(FileAddress pc) const {
    index();
    auto after = std::upper_bound(
        index_.begin(), index_.end(), pc,
        [](FileAddress a, const IndexEntry& entry) { return a < entry.range.low; });
    if (after == index_.begin() || !std::prev(after)->range.contains(pc)) return std::nullopt;
    const IndexEntry& entry = *std::prev(after);

    ByteReader reader(section_, name(), entry.offset);
    RecordHeader header = read_record_header(reader, flavour_);
    Common common =
        read_common(flavour_ == Flavour::eh_frame ? header.id_offset - header.id : header.id);
    read_pointer(reader, common.pointer_encoding);
    read_pointer(reader, common.pointer_encoding & 0x0f);
    std::uint64_t handlers = 0;
    if (common.has_augmentation_data) {
        std::uint64_t size = reader.uleb(), behind = reader.offset() + size;
        try {
            if (size) handlers = read_pointer(reader, common.handlers_encoding);
        } catch (const FormatError&) {
            // Frames are found without it.
        }
        reader.seek(behind);
    }
    if (reader.offset() > header.end) reader.fail("a description runs past its end");

    RowMachine machine(entry.range, common.code_alignment, common.data_alignment, name());
    machine.run_common(common.instructions);
    FrameDescription description;
    description.range = entry.range;
    description.return_address_register = common.return_address_register;
    description.is_signal_frame = common.is_signal_frame;
    if (handlers) description.handlers = FileAddress(handlers);
    description.rows =
        machine.run_description(section_.subspan(reader.offset(), header.end - reader.offset()));
    return description;
}

}  // namespace lantern::dwarf
