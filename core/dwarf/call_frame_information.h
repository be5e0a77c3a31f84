// Call-frame information: for each address of a function, where its caller's registers are
// (DWARF 5 §6.4; .eh_frame: Linux Standard Base "Exception Frames").
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/support/address.h"
#include "core/support/byte_reader.h"

namespace lantern::dwarf {

constexpr unsigned kFrameRegisters =
    17;  // the processor's general registers and the return address (x86-64 psABI, figure 3.36)

struct RegisterRule {
    enum class Kind : std::uint8_t {
        unspecified,
        undefined,
        same_value,
        offset,
        value_offset,
        in_register,
        expression,
        value_expression
    };
    Kind kind = Kind::unspecified;
    std::int64_t number = 0;  // an offset from the call frame address, or a register
    ByteSpan expression;      // borrowed from the section
};

struct FrameRow {
    FileRange range;
    bool cfa_is_expression = false;
    unsigned cfa_register = 0;
    std::int64_t cfa_offset = 0;
    ByteSpan cfa_expression;
    std::array<RegisterRule, kFrameRegisters> registers;
};

struct FrameDescription {  // one FDE with what its CIE says
    FileRange range;
    unsigned return_address_register = 16;
    bool is_signal_frame = false;
    std::optional<FileAddress> handlers;  // its table of handlers, see handler_table.h
    std::vector<FrameRow> rows;
};

class CallFrameInformation {
  public:
    enum class Flavour { eh_frame, debug_frame };
    // `section` is borrowed. `section_address` is where it is loaded (file address), for
    // pc-relative pointers.
    CallFrameInformation(ByteSpan section, FileAddress section_address, Flavour flavour,
                         FileAddress data_base = {});

    // The description of the code at `pc`; nothing if there is none. Throws FormatError when it is
    // malformed.
    std::optional<FrameDescription> describe(FileAddress pc) const;
    std::vector<FileRange> covered() const;  // every range described, by address

  private:
    struct Common {  // a CIE
        std::uint64_t code_alignment = 1;
        std::int64_t data_alignment = 1;
        unsigned return_address_register = 16;
        std::uint8_t pointer_encoding = 0;
        std::uint8_t handlers_encoding = 0xff;  // DW_EH_PE_omit: it has none
        bool has_augmentation_data = false, is_signal_frame = false;
        ByteSpan instructions;
    };
    struct IndexEntry {
        FileRange range;
        std::uint64_t offset;
    };

    void index() const;
    Common read_common(std::uint64_t offset) const;
    std::uint64_t read_pointer(ByteReader& reader, std::uint8_t encoding) const;
    std::string_view name() const {
        return flavour_ == Flavour::eh_frame ? ".eh_frame" : ".debug_frame";
    }

    ByteSpan section_;
    FileAddress address_, data_base_;
    Flavour flavour_;
    mutable bool indexed_ = false;
    mutable std::vector<IndexEntry> index_;  // by address
};

}  // namespace lantern::dwarf
