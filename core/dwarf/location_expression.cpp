#include "core/dwarf/location_expression.h"

#include <fmt/format.h>

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
    Evaluator(ByteSpan expression, const Unit* unit, ExpressionContext& context)
        : reader_(expression, "location expression"), unit_(unit), context_(context) {
        if (context_.depth >= kDeepestEvaluation) reader_.fail("the expression asks for itself");
        if (context_.depth++ == 0) context_.operations_left = kMostOperations;
    }
    ~Evaluator() { --context_.depth; }
    Evaluator(const Evaluator&) = delete;
    Evaluator& operator=(const Evaluator&) = delete;

    void push(std::uint64_t value) {
        if (stack_.size() >= kDeepestStack) reader_.fail("the stack grows too deep");
        stack_.push_back(value);
    }

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
            piece.number = stack_.back();
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

    std::uint64_t pop() {
        if (stack_.empty()) reader_.fail("an operation needs a value but the stack is empty");
        std::uint64_t value = stack_.back();
        stack_.pop_back();
        return value;
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
        if (size != 1 && size != 2 && size != 4 && size != 8)
            reader_.fail(fmt::format("a read of {} bytes is not supported", size));
        return context_.read_memory(address, size);
    }

    void branch(std::int16_t distance) {
        std::int64_t target = static_cast<std::int64_t>(reader_.offset()) + distance;
        if (target < 0) reader_.fail("a branch leaves the expression");
        reader_.seek(static_cast<std::uint64_t>(target));
    }

    template <class Compute>
    void binary(Compute compute) {
        std::uint64_t second = pop(), first = pop();
        push(compute(first, second));
    }
    template <class Compare>
    void compare(Compare compare) {
        binary([&](std::uint64_t a, std::uint64_t b) {
            return std::uint64_t{
                compare(static_cast<std::int64_t>(a), static_cast<std::int64_t>(b))};
        });
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
                reader_.uleb();
                push(read(pop(), size));
                break;
            }
            case DW_OP_regval_type:
            case DW_OP_GNU_regval_type: {
                std::uint64_t number = reader_.uleb();
                reader_.uleb();
                push_register(number, 0);
                break;
            }
            case DW_OP_const_type:
            case DW_OP_GNU_const_type: {
                reader_.uleb();
                unsigned size = reader_.u8();
                push(reader_.unsigned_of_size(size));
                break;
            }
            case DW_OP_convert:
            case DW_OP_GNU_convert:
            case DW_OP_reinterpret:
            case DW_OP_GNU_reinterpret:
                reader_.uleb();  // whole numbers of 8 bytes stay as they are; smaller ones are cut
                                 // by whoever reads them
                break;
            case DW_OP_dup: {
                std::uint64_t v = pop();
                push(v);
                push(v);
                break;
            }
            case DW_OP_drop: pop(); break;
            case DW_OP_over: push(peek(1)); break;
            case DW_OP_pick: push(peek(reader_.u8())); break;
            case DW_OP_swap: {
                std::uint64_t a = pop(), b = pop();
                push(a);
                push(b);
                break;
            }
            case DW_OP_rot: {
                std::uint64_t a = pop(), b = pop(), c = pop();
                push(a);
                push(c);
                push(b);
                break;
            }
            case DW_OP_abs: {
                Signed v = static_cast<Signed>(pop());
                push(v < 0 ? 0 - static_cast<std::uint64_t>(v) : static_cast<std::uint64_t>(v));
                break;
            }
            case DW_OP_neg: push(0 - pop()); break;
            case DW_OP_not: push(~pop()); break;
            case DW_OP_plus_uconst: {
                std::uint64_t v = pop();
                push(v + reader_.uleb());
                break;
            }
            case DW_OP_and: binary([](auto a, auto b) { return a & b; }); break;
            case DW_OP_or: binary([](auto a, auto b) { return a | b; }); break;
            case DW_OP_xor: binary([](auto a, auto b) { return a ^ b; }); break;
            case DW_OP_plus: binary([](auto a, auto b) { return a + b; }); break;
            case DW_OP_minus: binary([](auto a, auto b) { return a - b; }); break;
            case DW_OP_mul: binary([](auto a, auto b) { return a * b; }); break;
            case DW_OP_div:
                binary([&](auto a, auto b) {
                    return divide(static_cast<Signed>(a), static_cast<Signed>(b));
                });
                break;
            case DW_OP_mod:
                binary([&](auto a, auto b) {
                    if (!b) reader_.fail("a remainder by zero");
                    return a % b;
                });
                break;
            case DW_OP_shl: binary([](auto a, auto b) { return b < 64 ? a << b : 0; }); break;
            case DW_OP_shr: binary([](auto a, auto b) { return b < 64 ? a >> b : 0; }); break;
            case DW_OP_shra:
                binary([](auto a, auto b) {
                    return static_cast<std::uint64_t>(static_cast<Signed>(a) >> (b < 63 ? b : 63));
                });
                break;
            case DW_OP_eq: compare([](Signed a, Signed b) { return a == b; }); break;
            case DW_OP_ne: compare([](Signed a, Signed b) { return a != b; }); break;
            case DW_OP_lt: compare([](Signed a, Signed b) { return a < b; }); break;
            case DW_OP_le: compare([](Signed a, Signed b) { return a <= b; }); break;
            case DW_OP_gt: compare([](Signed a, Signed b) { return a > b; }); break;
            case DW_OP_ge: compare([](Signed a, Signed b) { return a >= b; }); break;
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

    std::uint64_t divide(std::int64_t a, std::int64_t b) {
        if (b == 0) reader_.fail("a division by zero");
        if (b == -1) return 0 - static_cast<std::uint64_t>(a);
        return static_cast<std::uint64_t>(a / b);
    }

    std::uint64_t peek(std::size_t depth) {
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
    std::vector<std::uint64_t> stack_;
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
