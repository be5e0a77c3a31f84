#include "core/values/place_text.h"

#include <fmt/format.h>

#include <optional>
#include <vector>

#include "core/machine/registers.h"
#include "core/support/byte_reader.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {

namespace {

using dwarf::Unit;
using enum dwarf::Op;

// What one piece's operations come to. Only the kind of place matters here, not where exactly it
// is.
class PieceWords {
  public:
    PieceWords(ByteSpan expression, const Unit* unit)
        : reader_(expression, "location expression"), unit_(unit) {}

    std::string run() {
        std::vector<std::string> pieces;
        while (!reader_.at_end()) {
            std::uint8_t op = reader_.u8();
            if (op == DW_OP_piece || op == DW_OP_bit_piece) {
                std::uint64_t size = reader_.uleb();
                if (op == DW_OP_bit_piece) reader_.uleb();
                pieces.push_back(fmt::format(
                    "{} {}", op == DW_OP_piece ? counted(size, "byte") : counted(size, "bit"),
                    words()));
                start_over();
                continue;
            }
            take(op);
        }
        if (pieces.empty()) return words();
        return fmt::format("split: {}", fmt::join(pieces, ", "));
    }

  private:
    void start_over() { kind_.clear(), is_value_ = false, operations_ = 0; }

    std::string words() const {
        if (operations_ == 0) return "kept nowhere";
        if (is_value_)
            return kind_.empty() || kind_.starts_with("in ") || kind_.starts_with("at ")
                       ? "computed when asked, kept nowhere"
                       : kind_;
        return kind_.empty() ? "at an address that is computed" : kind_;
    }

    void take(std::uint8_t op) {
        bool first = operations_++ == 0;
        auto set = [&](std::string kind) {
            kind_ = first ? std::move(kind)
                          : (kind_.find("entry") != std::string::npos
                                 ? kind_
                                 : "at an address that is computed");
        };
        if (op >= DW_OP_reg0 && op < DW_OP_reg0 + 32)
            return set("in " + register_name(op - DW_OP_reg0));
        if (op >= DW_OP_lit0 && op < DW_OP_lit0 + 32) return set("a constant");
        if (op >= DW_OP_breg0 && op < DW_OP_breg0 + 32) {
            std::int64_t offset = reader_.sleb();
            bool stack =
                op - DW_OP_breg0 == kStackPointerNumber || op - DW_OP_breg0 == kFramePointerNumber;
            return set(stack ? "on the stack"
                             : fmt::format("at {}{:+}", register_name(op - DW_OP_breg0), offset));
        }
        switch (op) {
            case DW_OP_regx:
                return set("in " + register_name(static_cast<unsigned>(reader_.uleb())));
            case DW_OP_fbreg:
                return set(fmt::format("on the stack, {:+} from the frame's base", reader_.sleb()));
            case DW_OP_addr: return set(fmt::format("at {:#x} of the file", reader_.u64()));
            case DW_OP_addrx:
            case DW_OP_GNU_addr_index: {
                std::uint64_t index = reader_.uleb();
                return set(
                    unit_ ? fmt::format("at {:#x} of the file", unit_->indexed_address(index).value)
                          : "at an address of the file");
            }
            case DW_OP_call_frame_cfa: return set("on the stack");
            case DW_OP_stack_value: is_value_ = true; return;
            case DW_OP_implicit_value: reader_.block(reader_.uleb()); return set("a constant");
            case DW_OP_entry_value:
            case DW_OP_GNU_entry_value:
                reader_.block(reader_.uleb());
                kind_ = "what it was on entry, from the caller";
                return;
            case DW_OP_implicit_pointer:
            case DW_OP_GNU_implicit_pointer:
                reader_.unsigned_of_size(unit_ ? unit_->offset_size : 4);
                reader_.sleb();
                return set("a pointer the compiler removed");
            case DW_OP_form_tls_address:
            case DW_OP_GNU_push_tls_address: kind_ = "in the thread's own storage"; return;
            default: skip_operands(op);
        }
        if (first && (op == DW_OP_const1u || op == DW_OP_const1s || op == DW_OP_const2u ||
                      op == DW_OP_const2s || op == DW_OP_const4u || op == DW_OP_const4s ||
                      op == DW_OP_const8u || op == DW_OP_const8s || op == DW_OP_constu ||
                      op == DW_OP_consts))
            kind_ = "a constant";
    }

    void skip_operands(std::uint8_t op) {
        switch (op) {
            case DW_OP_const1u:
            case DW_OP_const1s:
            case DW_OP_pick:
            case DW_OP_deref_size: reader_.u8(); break;
            case DW_OP_const2u:
            case DW_OP_const2s:
            case DW_OP_skip:
            case DW_OP_bra: reader_.u16(); break;
            case DW_OP_const4u:
            case DW_OP_const4s: reader_.u32(); break;
            case DW_OP_const8u:
            case DW_OP_const8s: reader_.u64(); break;
            case DW_OP_constu:
            case DW_OP_consts:
            case DW_OP_plus_uconst:
            case DW_OP_constx:
            case DW_OP_GNU_const_index:
            case DW_OP_convert:
            case DW_OP_GNU_convert:
            case DW_OP_reinterpret:
            case DW_OP_GNU_reinterpret: reader_.uleb(); break;
            case DW_OP_bregx: reader_.uleb(), reader_.sleb(); break;
            case DW_OP_deref_type:
            case DW_OP_GNU_deref_type: reader_.u8(), reader_.uleb(); break;
            case DW_OP_regval_type:
            case DW_OP_GNU_regval_type: reader_.uleb(), reader_.uleb(); break;
            case DW_OP_const_type:
            case DW_OP_GNU_const_type: {
                reader_.uleb();
                unsigned size = reader_.u8();
                reader_.block(size);
                break;
            }
            case DW_OP_GNU_parameter_ref: reader_.u32(); break;
            default: break;  // no operands
        }
    }

    ByteReader reader_;
    const Unit* unit_;
    std::string kind_;
    bool is_value_ = false;
    unsigned operations_ = 0;
};

}  // namespace

std::string place_text(ByteSpan expression, const Unit* unit) {
    try {
        return PieceWords(expression, unit).run();
    } catch (const Error&) {
        return {};
    }
}

PlaceKind place_kind(ByteSpan expression, const dwarf::Unit* unit) {
    std::string words = place_text(expression, unit);
    if (words.empty() || words == "kept nowhere") return PlaceKind::nowhere;
    if (words.starts_with("split")) return PlaceKind::split;
    if (words == "a constant") return PlaceKind::constant;
    if (words.starts_with("in the thread")) return PlaceKind::in_memory;
    if (words.starts_with("in ")) return PlaceKind::in_register;
    if (words.starts_with("on ") || words.starts_with("at ")) return PlaceKind::in_memory;
    return PlaceKind::computed;
}

}  // namespace lantern
