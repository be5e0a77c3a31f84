// A stack machine. What is left on the stack is an address, unless the last operation said that it
// is a register, or the value itself; pieces are put together.
//
//     DW_OP_breg0 8; DW_OP_stack_value             the value is register 0 plus 8: it lies nowhere
//     DW_OP_reg3; DW_OP_piece 4; DW_OP_piece 4     four bytes in register 3, four that are gone
#include "core/dwarf/location_expression.h"

#include <fmt/format.h>

#include "core/dwarf/entry.h"
#include "core/dwarf/typed_number.h"
#include "core/support/error.h"

namespace lantern::dwarf {
namespace {

// Thrown inside the evaluator only: the expression is sound, but the frame does not know what it
// asks for.
struct NotKnown {
    std::string reason;
};

constexpr unsigned kMostOperations =
    100'000;  // an expression may branch backwards; this ends one that never stops
constexpr unsigned kDeepestEvaluation = 64;  // a frame base may ask for a frame base
constexpr std::size_t kDeepestStack = 1024;

class Evaluator {
  public:
    // `plain`: what numbers without a type are cut to.
    Evaluator(ByteSpan expression, const Unit* unit, ExpressionContext& context,
              NumberType plain = {})
        : reader_(expression, "location expression"),
          unit_(unit),
          context_(context),
          plain_(plain) {
        if (context_.depth >= kDeepestEvaluation) reader_.fail("the expression asks for itself");
        if (context_.depth++ == 0) context_.operations_left = kMostOperations;
    }
    ~Evaluator() { --context_.depth; }
    Evaluator(const Evaluator&) = delete;
    Evaluator& operator=(const Evaluator&) = delete;

    void push(TypedNumber value) {
        if (stack_.size() >= kDeepestStack) reader_.fail("the stack grows too deep");
        stack_.push_back(value);
    }
    void push(std::uint64_t value) { push(number_of_type(value, plain_)); }

    Location location() {
        Location result;
        while (!reader_.at_end()) {
            step();
            if (!piece_size_) continue;
            take_piece(result);
        }
        if (result.pieces.empty()) {
            LocationPiece whole = current();
            if (whole.kind != LocationPiece::Kind::missing) result.pieces.push_back(whole);
        }
        return result;
    }

    // It shifts to the right, and nothing else in it asks for more than the low bits of numbers.
    bool only_shifts_look_above() const { return shifts_right_ && !needs_all_bits_; }

    std::uint64_t number() {
        while (!reader_.at_end()) step();
        if (register_) return register_content(*register_);
        return pop();
    }

  private:
    struct PieceSize {
        std::uint64_t bits, offset;
    };

    LocationPiece current() {
        LocationPiece piece;
        if (register_) {
            piece.kind = LocationPiece::Kind::in_register;
            piece.number = *register_;
        } else if (pointer_) {
            piece = *pointer_;
        } else if (implicit_) {
            piece.kind = LocationPiece::Kind::bytes;
            piece.bytes = *implicit_;
        } else if (!stack_.empty()) {
            piece.kind = is_value_ ? LocationPiece::Kind::value : LocationPiece::Kind::memory;
            piece.number = stack_.back().bits;
        }
        return piece;
    }

    void take_piece(Location& result) {
        LocationPiece piece = current();
        piece.bit_size = piece_size_->bits;
        piece.bit_offset = piece_size_->offset;
        result.pieces.push_back(piece);
        piece_size_.reset();
        register_.reset();
        implicit_.reset();
        pointer_.reset();
        is_value_ = false;
        stack_.clear();
    }

    TypedNumber pop_number() {
        if (stack_.empty()) reader_.fail("an operation needs a value but the stack is empty");
        TypedNumber value = stack_.back();
        stack_.pop_back();
        return value;
    }
    std::uint64_t pop() { return pop_number().bits; }

    // The base type whose entry comes next; none for 0, the plain one (DWARF 5 §2.5.1.6).
    NumberType read_type() {
        needs_all_bits_ = true;
        std::uint64_t at = reader_.uleb();
        if (at == 0) return plain_;
        auto entry = Entry::at(unit(), unit().offset + at);
        if (!entry) reader_.fail("a type that an operation names is not there");
        std::uint64_t size = entry->number(DW_AT_byte_size).value_or(0),
                      encoding = entry->number(DW_AT_encoding).value_or(0);
        NumberType type;
        type.size = static_cast<std::uint8_t>(size);
        type.kind = encoding == DW_ATE_float ? NumberType::Kind::floating
                    : encoding == DW_ATE_signed || encoding == DW_ATE_signed_char
                        ? NumberType::Kind::signed_whole
                        : NumberType::Kind::unsigned_whole;
        bool fits = type.is_floating() ? size == 4 || size == 8 : size >= 1 && size <= 8;
        if (!fits || encoding == DW_ATE_complex_float)
            throw NotKnown{fmt::format("it is computed with numbers of {} bytes", size)};
        return type;
    }

    std::uint64_t register_content(std::uint64_t number) {
        auto value = context_.register_value(static_cast<unsigned>(number));
        if (!value) throw NotKnown{"its register was not kept by the functions that were called"};
        return *value;
    }

    void push_register(std::uint64_t number, std::int64_t offset) {
        push(register_content(number) + static_cast<std::uint64_t>(offset));
    }

    std::uint64_t read(std::uint64_t address, unsigned size) {
        needs_all_bits_ = true;
        if (size != 1 && size != 2 && size != 4 && size != 8)
            reader_.fail(fmt::format("a read of {} bytes is not supported", size));
        return context_.read_memory(address, size);
    }

    void branch(std::int16_t distance) {
        std::int64_t target = static_cast<std::int64_t>(reader_.offset()) + distance;
        if (target < 0) reader_.fail("a branch leaves the expression");
        reader_.seek(static_cast<std::uint64_t>(target));
    }

    void binary(std::uint8_t operation) {
        TypedNumber second = pop_number(), first = pop_number();
        push(computed(operation, first, second));
    }

    void entry_value() {
        ByteSpan inner = reader_.block(reader_.uleb());
        auto value = context_.entry_value(inner);
        if (!value)
            throw NotKnown{
                "only the value it had on entry is recorded, and the caller does not say what that "
                "was"};
        push(*value);
    }

    void implicit_pointer() {
        LocationPiece piece;
        piece.kind = LocationPiece::Kind::implicit_pointer;
        piece.number =
            unit().section().base() +
            reader_.unsigned_of_size(unit().version < 3 ? unit().address_size : unit().offset_size);
        piece.offset = reader_.sleb();
        pointer_ = piece;
    }

    void step() {
        if (context_.operations_left-- == 0) {
            context_.operations_left = 0;
            reader_.fail("the expression does not end");
        }
        std::uint8_t op = reader_.u8();
        if (op >= DW_OP_lit0 && op < DW_OP_lit0 + 32) return push(op - DW_OP_lit0);
        if (op >= DW_OP_reg0 && op < DW_OP_reg0 + 32) {
            register_ = op - DW_OP_reg0;
            return;
        }
        if (op >= DW_OP_breg0 && op < DW_OP_breg0 + 32)
            return push_register(op - DW_OP_breg0, reader_.sleb());
        operate(op);
    }

    void operate(std::uint8_t op) {
        using Signed = std::int64_t;
        switch (op) {
            case DW_OP_addr: push(context_.run_address(FileAddress(reader_.u64()))); break;
            case DW_OP_addrx:
            case DW_OP_GNU_addr_index:
                push(context_.run_address(unit().indexed_address(reader_.uleb())));
                break;
            case DW_OP_constx:
            case DW_OP_GNU_const_index: push(unit().indexed_address(reader_.uleb()).value); break;
            case DW_OP_const1u: push(reader_.u8()); break;
            case DW_OP_const1s: push(static_cast<std::uint64_t>(Signed{reader_.i8()})); break;
            case DW_OP_const2u: push(reader_.u16()); break;
            case DW_OP_const2s: push(static_cast<std::uint64_t>(Signed{reader_.i16()})); break;
            case DW_OP_const4u: push(reader_.u32()); break;
            case DW_OP_const4s: push(static_cast<std::uint64_t>(Signed{reader_.i32()})); break;
            case DW_OP_const8u:
            case DW_OP_const8s: push(reader_.u64()); break;
            case DW_OP_constu: push(reader_.uleb()); break;
            case DW_OP_consts: push(static_cast<std::uint64_t>(reader_.sleb())); break;
            case DW_OP_regx: register_ = reader_.uleb(); break;
            case DW_OP_bregx: {
                std::uint64_t number = reader_.uleb();
                push_register(number, reader_.sleb());
                break;
            }
            case DW_OP_fbreg: {
                std::int64_t offset = reader_.sleb();
                auto base = context_.frame_base();
                if (!base) throw NotKnown{"the frame's base is not known here"};
                push(*base + static_cast<std::uint64_t>(offset));
                break;
            }
            case DW_OP_call_frame_cfa: {
                auto address = context_.call_frame_address();
                if (!address) throw NotKnown{"the frame's address is not known here"};
                push(*address);
                break;
            }
            case DW_OP_deref: push(read(pop(), 8)); break;
            case DW_OP_deref_size: {
                unsigned size = reader_.u8();
                push(read(pop(), size));
                break;
            }
            case DW_OP_deref_type:
            case DW_OP_GNU_deref_type: {
                unsigned size = reader_.u8();
                NumberType type = read_type();
                push(number_of_type(read(pop(), size), type));
                break;
            }
            case DW_OP_regval_type:
            case DW_OP_GNU_regval_type: {
                std::uint64_t number = reader_.uleb();
                NumberType type = read_type();
                push(number_of_type(register_content(number), type));
                break;
            }
            case DW_OP_const_type:
            case DW_OP_GNU_const_type: {
                NumberType type = read_type();
                push(number_of_type(reader_.unsigned_of_size(reader_.u8()), type));
                break;
            }
            case DW_OP_convert:
            case DW_OP_GNU_convert: {
                NumberType type = read_type();
                push(converted(pop_number(), type));
                break;
            }
            case DW_OP_reinterpret:
            case DW_OP_GNU_reinterpret: {
                NumberType type = read_type();
                push(number_of_type(pop(), type));
                break;
            }
            case DW_OP_dup: {
                TypedNumber v = pop_number();
                push(v);
                push(v);
                break;
            }
            case DW_OP_drop: pop(); break;
            case DW_OP_over: push(peek(1)); break;
            case DW_OP_pick: push(peek(reader_.u8())); break;
            case DW_OP_swap: {
                TypedNumber a = pop_number(), b = pop_number();
                push(a);
                push(b);
                break;
            }
            case DW_OP_rot: {
                TypedNumber a = pop_number(), b = pop_number(), c = pop_number();
                push(a);
                push(c);
                push(b);
                break;
            }
            case DW_OP_abs:
            case DW_OP_neg:
            case DW_OP_not: push(computed(op, pop_number())); break;
            case DW_OP_plus_uconst: {
                TypedNumber v = pop_number();
                push(computed(DW_OP_plus, v, number_of_type(reader_.uleb(), v.type)));
                break;
            }
            case DW_OP_and:
            case DW_OP_or:
            case DW_OP_xor:
            case DW_OP_plus:
            case DW_OP_minus:
            case DW_OP_mul:
            case DW_OP_div:
            case DW_OP_mod:
            case DW_OP_shl:
            case DW_OP_shr:
            case DW_OP_shra:
                shifts_right_ |= op == DW_OP_shr;
                needs_all_bits_ |= op == DW_OP_div || op == DW_OP_mod || op == DW_OP_shra ||
                                   (op == DW_OP_shr && peek(0).bits >= plain_.size * 8u);
                binary(op);
                break;
            case DW_OP_eq:
            case DW_OP_ne:
            case DW_OP_lt:
            case DW_OP_le:
            case DW_OP_gt:
            case DW_OP_ge: {
                needs_all_bits_ = true;
                TypedNumber second = pop_number(), first = pop_number();
                push(compared(op, first, second));
                break;
            }
            case DW_OP_skip: {
                std::int16_t distance = reader_.i16();
                branch(distance);
                break;
            }
            case DW_OP_bra: {
                std::int16_t distance = reader_.i16();
                if (pop()) branch(distance);
                break;
            }
            case DW_OP_nop: break;
            case DW_OP_piece: piece_size_ = PieceSize{reader_.uleb() * 8, 0}; break;
            case DW_OP_bit_piece: {
                std::uint64_t bits = reader_.uleb();
                piece_size_ = PieceSize{bits, reader_.uleb()};
                break;
            }
            case DW_OP_stack_value: is_value_ = true; break;
            case DW_OP_implicit_value: implicit_ = reader_.block(reader_.uleb()); break;
            case DW_OP_form_tls_address:
            case DW_OP_GNU_push_tls_address: {
                auto address = context_.thread_local_address(pop());
                if (!address)
                    throw NotKnown{"it is thread-local and its thread's storage cannot be found"};
                push(*address);
                break;
            }
            case DW_OP_push_object_address: {
                auto address = context_.object_address();
                if (!address) throw NotKnown{"it is part of an object whose address is not known"};
                push(*address);
                break;
            }
            case DW_OP_entry_value:
            case DW_OP_GNU_entry_value: entry_value(); break;
            case DW_OP_implicit_pointer:
            case DW_OP_GNU_implicit_pointer: implicit_pointer(); break;
            case DW_OP_GNU_uninit: break;
            case DW_OP_GNU_parameter_ref:
                throw NotKnown{"it is a parameter that was optimised away"};
            default: reader_.fail(fmt::format("operation {:#x} is not known", op));
        }
    }

    TypedNumber peek(std::size_t depth) {
        if (depth >= stack_.size()) reader_.fail("an operation reaches below the stack");
        return stack_[stack_.size() - 1 - depth];
    }

    const Unit& unit() {
        if (!unit_) reader_.fail("an operation needs a unit and has none");
        return *unit_;
    }

    ByteReader reader_;
    const Unit* unit_;
    ExpressionContext& context_;
    std::vector<TypedNumber> stack_;
    const NumberType plain_;
    bool shifts_right_ = false, needs_all_bits_ = false;  // by what it is made of
    std::optional<std::uint64_t> register_;
    std::optional<ByteSpan> implicit_;
    std::optional<LocationPiece> pointer_;
    std::optional<PieceSize> piece_size_;
    bool is_value_ = false;
};

}  // namespace

std::optional<std::uint64_t> address_in_frame(ByteSpan expression, ExpressionContext& context) {
    if (expression.empty() || static_cast<std::uint8_t>(expression[0]) != DW_OP_fbreg)
        return std::nullopt;
    ByteReader reader(expression, "location expression", 1);
    std::int64_t offset = reader.sleb();
    auto base = reader.at_end() ? context.frame_base() : std::nullopt;
    if (!base) return std::nullopt;
    return *base + static_cast<std::uint64_t>(offset);
}

Location evaluate_location(ByteSpan expression, const Unit* unit, ExpressionContext& context) {
    try {
        return Evaluator(expression, unit, context).location();
    } catch (const NotKnown& missing) {
        return Location{{}, missing.reason};
    }
}

std::optional<std::uint64_t> evaluate_narrow(ByteSpan expression, const Unit* unit,
                                             ExpressionContext& context, unsigned size) {
    try {
        NumberType narrow;
        narrow.size = static_cast<std::uint8_t>(size);
        Evaluator evaluator(expression, unit, context, narrow);
        Location location = evaluator.location();
        bool is_number = location.pieces.size() == 1 && location.pieces[0].bit_size == 0 &&
                         location.pieces[0].kind == LocationPiece::Kind::value;
        if (is_number && evaluator.only_shifts_look_above()) return location.pieces[0].number;
    } catch (const Error&) {
    } catch (const NotKnown&) {
    }
    return std::nullopt;
}

std::optional<std::uint64_t> evaluate_number(ByteSpan expression, const Unit* unit,
                                             ExpressionContext& context,
                                             std::optional<std::uint64_t> initial) {
    try {
        Evaluator evaluator(expression, unit, context);
        if (initial) evaluator.push(*initial);
        return evaluator.number();
    } catch (const NotKnown&) {
        return std::nullopt;
    }
}

}  // namespace lantern::dwarf
