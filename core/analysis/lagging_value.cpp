#include "core/analysis/lagging_value.h"

#include <algorithm>
#include <cstring>

#include "core/dwarf/operations.h"
#include "core/support/error.h"
#include "core/unwind/frame_context.h"

namespace lantern {
namespace {

// Keeps which registers were asked for.
class AskedRegisters final : public FrameContext {
  public:
    using FrameContext::FrameContext;
    std::optional<std::uint64_t> register_value(unsigned number) override {
        asked |= RegisterSet::of(number);
        return FrameContext::register_value(number);
    }
    RegisterSet asked;
};

// The piece that holds all of the bytes; null where several do, or none.
const dwarf::LocationPiece* piece_with(const dwarf::Location& location, std::uint64_t offset,
                                       std::uint64_t size) {
    if (location.pieces.size() == 1 && location.pieces[0].bit_size == 0) return &location.pieces[0];
    std::uint64_t at = 0;
    for (const dwarf::LocationPiece& piece : location.pieces) {
        if (at <= offset * 8 && offset * 8 + size * 8 <= at + piece.bit_size) return &piece;
        at += piece.bit_size;
    }
    return nullptr;
}

// What a register held when the function was entered, and nothing computed from it.
bool is_only_value_on_entry(ByteSpan expression) {
    auto first = static_cast<std::uint8_t>(expression.front());
    if (first != dwarf::DW_OP_entry_value && first != dwarf::DW_OP_GNU_entry_value) return false;
    return expression.size() >= 2 &&
           expression.size() <= 3 + static_cast<std::size_t>(expression[1]);
}

}  // namespace

LaggingValues::LaggingValues(const Moment& moment, const Frame& frame, const SourceChanges& changes,
                             std::size_t here)
    : moment_(moment), frame_(frame), changes_(changes), here_(here) {}

const RowsBefore& LaggingValues::rows() {
    if (!rows_) rows_.emplace(frame_, changes_);
    return *rows_;
}

LaggingValues::Place LaggingValues::place_at(const Variable& variable, FileAddress address,
                                             std::uint16_t row, std::uint64_t offset,
                                             std::uint64_t size) const {
    auto expression = dwarf::expression_at(variable.locations, address, row);
    if (!expression || expression->empty()) return {};
    try {
        AskedRegisters context(moment_.target(), frame_);
        dwarf::Location location = dwarf::evaluate_location(*expression, variable.unit, context);
        const dwarf::LocationPiece* piece = piece_with(location, offset, size);
        if (!piece) return {};
        RegisterSet registers = context.asked;
        if (piece->kind == dwarf::LocationPiece::Kind::in_register)
            registers |= RegisterSet::of(static_cast<unsigned>(piece->number));
        std::uint64_t number = piece->number;
        if (!piece->bytes.empty())
            std::memcpy(&number, piece->bytes.data(), std::min(piece->bytes.size(), sizeof number));
        return {piece->kind, number, registers};
    } catch (const Error&) {
        return {};
    }
}

// The slot of the frame, from the call frame address, that a variable was put aside in which is
// elsewhere at other times. Wherever the account says that it is meanwhile, the slot holds what was
// stored there last.
std::optional<std::int64_t> LaggingValues::put_aside_at(const Place& place) const {
    if (place.kind != dwarf::LocationPiece::Kind::memory || !frame_.call_frame_address)
        return std::nullopt;
    auto slot = static_cast<std::int64_t>(place.number - frame_.call_frame_address->value);
    bool is_of_frame = slot < 0 && place.number >= frame_.registers.stack_pointer().value;
    return is_of_frame ? std::optional(slot) : std::nullopt;
}

std::vector<bool> LaggingValues::unchanged_before(const Variable& variable, const Place& now,
                                                  std::uint64_t offset, std::uint64_t size) {
    KeptCode& code = rows().code();
    changed_by_.clear();
    is_moved_ = false;
    if (auto slot = put_aside_at(now)) {
        auto slots = code.slots();
        return rows().unchanged_from(
            [&](std::uint32_t node) {
                return slots->writes_somewhere(node) ||
                       slots->touch(node, *slot, static_cast<unsigned>(size), false) !=
                           FrameSlots::Touch::none;
            },
            changed_by_);
    }
    auto changes_it = [&](std::uint32_t node) {
        FileAddress address = code.flow().nodes()[node].address;
        if (place_at(variable, address, dwarf::kLastRow, offset, size) != now)
            return is_moved_ = true;
        auto effects = register_effects_of(code.bytes_of(node));
        return !effects || !(effects->writes & now.registers).is_empty();
    };
    return rows().unchanged_from(changes_it, changed_by_);
}

std::optional<std::uint32_t> LaggingValues::passed_over(const Variable& variable,
                                                        const std::string& name,
                                                        std::uint64_t offset, std::uint64_t size) {
    using Kind = dwarf::LocationPiece::Kind;
    if (!frame_.module || !frame_.function || !frame_.line) return std::nullopt;
    Place now = place_at(variable, frame_.file_address(), frame_.row(), offset, size);
    bool is_kept =
        now.kind == Kind::in_register || now.kind == Kind::value || now.kind == Kind::bytes;
    std::vector<std::size_t> setting =
        is_kept || put_aside_at(now) ? changes_.all_that_set(name) : std::vector<std::size_t>();
    if (setting.empty()) return std::nullopt;
    auto expression = dwarf::expression_at(variable.locations, frame_.file_address(), frame_.row());
    is_value_on_entry_ = is_only_value_on_entry(*expression);
    if (is_value_on_entry_) {
        SourceChanges::Setter setter = changes_.setter(name, here_);
        if (setter.kind == SourceChanges::Setter::Kind::statement)
            return changes_.statements()[setter.statement].first_line;
    }
    unchanged_ = unchanged_before(variable, now, offset, size);
    auto rows_of = [&](std::size_t statement) {
        return rows().count(statement, unchanged_, [&](const CodePosition& row) {
            return put_aside_at(now) ||
                   place_at(variable, row.address, row.row, offset, size) == now;
        });
    };
    std::optional<std::uint32_t> line;
    for (std::size_t number : setting) {
        if (number >= here_) break;  // of the pass before, if it was passed at all
        RowsBefore::Counted counted = rows_of(number);
        bool is_passed_over = counted.unchanged + counted.others > 0
                                  ? counted.only_unchanged()
                                  : has_been_passed(number, name, rows_of);
        if (is_passed_over && put_aside_at(now) &&
            !was_there_before(number, variable, now, offset, size))
            continue;
        if (is_passed_over) line = changes_.statements()[number].first_line;
    }
    return line;
}

// Before the statement the account named the same slot already: else it may be named on behalf of
// it, and hold what another variable had there, which it was set to.
bool LaggingValues::was_there_before(std::size_t statement, const Variable& variable,
                                     const Place& now, std::uint64_t offset, std::uint64_t size) {
    const auto& nodes = rows().code().flow().nodes();
    for (std::uint32_t node = 0; node < unchanged_.size(); ++node) {
        auto by = unchanged_[node] ? rows().statement_of(node) : std::nullopt;
        if (by && *by < statement &&
            place_at(variable, nodes[node].address, 0, offset, size) == now)
            return true;
    }
    return false;
}

// In its own block a jump follows before here: `level = 0; goto again;`.
bool LaggingValues::goes_elsewhere_behind(std::size_t statement) const {
    const auto& statements = changes_.statements();
    for (std::size_t i = statement + 1; i < std::min(here_, statements.size()); ++i) {
        const SourceStatement& each = statements[i];
        bool jumps = each.kind == SourceStatement::Kind::jump || each.text.starts_with("return") ||
                     each.text.starts_with("throw");
        if (jumps && each.blocks == statements[statement].blocks) return true;
    }
    return false;
}

// A statement that has no row on the way here: it has been passed if all that has changed the place
// is of statements before it, and control has come past it.
bool LaggingValues::has_been_passed(
    std::size_t statement, const std::string& name,
    const std::function<RowsBefore::Counted(std::size_t)>& rows_of) {
    const auto& statements = changes_.statements();
    const auto& blocks = statements[statement].blocks;
    auto is_around = [](const std::vector<std::uint32_t>& outer,
                        const std::vector<std::uint32_t>& inner) {
        return outer.size() <= inner.size() &&
               std::equal(outer.begin(), outer.end(), inner.begin());
    };
    if (goes_elsewhere_behind(statement)) return false;
    bool is_what_calls_returned = true;  // for statements that set it before
    for (std::uint32_t node : changed_by_) {
        auto by = rows().statement_of(node);
        if (!by || *by >= statement) return false;
        is_what_calls_returned &=
            rows().code().flow().nodes()[node].kind == Instruction::Kind::call &&
            changes_.may_set(name, *by);
    }
    // Where the location itself is new, it may be so on behalf of this very statement, unless an
    // earlier one comes behind that.
    bool is_settled = !is_moved_ || is_value_on_entry_ || is_what_calls_returned;
    for (std::size_t i = statement; i-- > 0 && !is_settled;)
        is_settled = is_around(statements[i].blocks, blocks) && rows_of(i).unchanged > 0;
    if (!is_settled) return false;
    static const std::vector<std::uint32_t> kNoBlock;
    if (is_around(blocks, here_ < statements.size() ? statements[here_].blocks : kNoBlock))
        return true;
    for (std::size_t i = 0; i < statements.size(); ++i)
        if (i != statement && is_around(blocks, statements[i].blocks) && rows_of(i).unchanged > 0)
            return true;
    return false;
}

}  // namespace lantern
