#include "core/machine/disassembler.h"

#include <Zydis/Zydis.h>
#include <fmt/format.h>

#include <cstring>

#include "core/machine/decoder.h"
#include "core/machine/status_flags.h"

namespace lantern {
namespace {

ZydisFormatterStyle style_of(Syntax syntax) {
    return syntax == Syntax::intel ? ZYDIS_FORMATTER_STYLE_INTEL : ZYDIS_FORMATTER_STYLE_ATT;
}

void set_up(ZydisFormatter& formatter, Syntax syntax) {
    ZydisFormatterInit(&formatter, style_of(syntax));
    ZydisFormatterSetProperty(&formatter, ZYDIS_FORMATTER_PROP_HEX_UPPERCASE, ZYAN_FALSE);
    for (ZydisFormatterProperty padding :
         {ZYDIS_FORMATTER_PROP_ADDR_PADDING_ABSOLUTE, ZYDIS_FORMATTER_PROP_ADDR_PADDING_RELATIVE,
          ZYDIS_FORMATTER_PROP_DISP_PADDING, ZYDIS_FORMATTER_PROP_IMM_PADDING})
        ZydisFormatterSetProperty(&formatter, padding, ZYDIS_PADDING_DISABLED);
}

std::string lower_name(ZydisRegister reg) {
    const char* name = ZydisRegisterGetString(reg);
    return name ? name : "";
}

// The names that the flags of a condition code have (Intel SDM 1, appendix B.1): even codes hold,
// odd ones are their opposites.
struct Condition {
    const char* holds;
    const char* fails;
    bool (*test)(std::uint64_t flags);
};
constexpr Condition kConditions[] = {
    {"OF is set", "OF is not set", [](std::uint64_t f) { return (f & kOverflow) != 0; }},
    {"CF is set", "CF is not set", [](std::uint64_t f) { return (f & kCarry) != 0; }},
    {"ZF is set", "ZF is not set", [](std::uint64_t f) { return (f & kZero) != 0; }},
    {"CF or ZF is set", "neither CF nor ZF is set",
     [](std::uint64_t f) { return (f & (kCarry | kZero)) != 0; }},
    {"SF is set", "SF is not set", [](std::uint64_t f) { return (f & kSign) != 0; }},
    {"PF is set", "PF is not set", [](std::uint64_t f) { return (f & kParity) != 0; }},
    {"SF and OF differ", "SF and OF are the same",
     [](std::uint64_t f) { return ((f & kSign) != 0) != ((f & kOverflow) != 0); }},
    {"ZF is set, or SF and OF differ", "ZF is not set, and SF and OF are the same",
     [](std::uint64_t f) { return (f & kZero) || ((f & kSign) != 0) != ((f & kOverflow) != 0); }},
};

}  // namespace

struct Disassembler::Engine {
    ZydisDecoder decoder;
    ZydisFormatter formatter;
    NameAddress name;
    ZydisFormatterFunc print_address = nullptr;
    char text[256];

    static ZyanStatus print(const ZydisFormatter* formatter, ZydisFormatterBuffer* buffer,
                            ZydisFormatterContext* context) {
        auto* self = static_cast<Engine*>(context->user_data);
        ZyanU64 address = 0;
        if (ZYAN_SUCCESS(ZydisCalcAbsoluteAddress(context->instruction, context->operand,
                                                  context->runtime_address, &address))) {
            std::string name = self->name(RunAddress(address));
            ZyanString* out = nullptr;
            if (!name.empty() &&
                ZYAN_SUCCESS(ZydisFormatterBufferAppend(buffer, ZYDIS_TOKEN_SYMBOL)) &&
                ZYAN_SUCCESS(ZydisFormatterBufferGetString(buffer, &out))) {
                name.resize(std::min<std::size_t>(name.size(), 120));
                ZyanStringView view;
                if (ZYAN_SUCCESS(ZyanStringViewInsideBufferEx(&view, name.data(), name.size())))
                    return ZyanStringAppend(out, &view);
            }
        }
        return self->print_address(formatter, buffer, context);
    }
};

Disassembler::Disassembler(Syntax syntax, NameAddress name) : engine_(std::make_unique<Engine>()) {
    ZydisDecoderInit(&engine_->decoder, ZYDIS_MACHINE_MODE_LONG_64, ZYDIS_STACK_WIDTH_64);
    set_up(engine_->formatter, syntax);
    if (!name) return;
    engine_->name = std::move(name);
    // The library takes the new function and hands the old one back through the same pointer.
    const void* exchanged = reinterpret_cast<const void*>(&Engine::print);
    ZydisFormatterSetHook(&engine_->formatter, ZYDIS_FORMATTER_FUNC_PRINT_ADDRESS_ABS, &exchanged);
    engine_->print_address = reinterpret_cast<ZydisFormatterFunc>(const_cast<void*>(exchanged));
}

Disassembler::~Disassembler() = default;

Disassembler::Line Disassembler::at(ByteSpan bytes, RunAddress address) {
    Engine& engine = *engine_;
    ZydisDecodedInstruction decoded;
    ZydisDecodedOperand operands[ZYDIS_MAX_OPERAND_COUNT];
    ZydisDecoderContext context;
    Line line;
    line.text = "(bad)";
    if (!ZYAN_SUCCESS(ZydisDecoderDecodeInstruction(&engine.decoder, &context, bytes.data(),
                                                    bytes.size(), &decoded)))
        return line;
    if (!ZYAN_SUCCESS(ZydisDecoderDecodeOperands(&engine.decoder, &context, &decoded, operands,
                                                 decoded.operand_count_visible)))
        return line;
    if (!ZYAN_SUCCESS(ZydisFormatterFormatInstruction(&engine.formatter, &decoded, operands,
                                                      decoded.operand_count_visible, engine.text,
                                                      sizeof engine.text, address.value, &engine)))
        return line;
    line.length = decoded.length;
    line.is_instruction = true;
    line.text = engine.text;
    return line;
}

std::vector<OperandFact> operands_of(ByteSpan bytes, RunAddress address, Syntax syntax,
                                     const RegisterValue& value) {
    std::vector<OperandFact> facts;
    Decoded whole;
    if (!decode(bytes, whole)) return facts;
    const ZydisDecodedInstruction& decoded = whole.instruction;
    const ZydisDecodedOperand* operands = whole.operands;
    ZydisFormatter formatter;
    set_up(formatter, syntax);
    for (unsigned i = 0; i < decoded.operand_count_visible; ++i) {
        const ZydisDecodedOperand& operand = operands[i];
        OperandFact fact;
        char text[128] = "";
        ZydisFormatterFormatOperand(&formatter, &decoded, &operand, text, sizeof text,
                                    address.value, nullptr);
        fact.text = text;
        fact.size = operand.size / 8;
        bool is_real = operand.element_type == ZYDIS_ELEMENT_TYPE_FLOAT32 ||
                       operand.element_type == ZYDIS_ELEMENT_TYPE_FLOAT64 ||
                       operand.element_type == ZYDIS_ELEMENT_TYPE_FLOAT80;
        if (is_real) fact.real_size = operand.element_size / 8;
        fact.is_read = (operand.actions & ZYDIS_OPERAND_ACTION_MASK_READ) != 0;
        fact.is_written = (operand.actions & ZYDIS_OPERAND_ACTION_MASK_WRITE) != 0;
        if (operand.type == ZYDIS_OPERAND_TYPE_REGISTER) {
            fact.kind = OperandFact::Kind::in_register;
            fact.name = lower_name(operand.reg.value);
        } else if (operand.type == ZYDIS_OPERAND_TYPE_MEMORY) {
            fact.kind = OperandFact::Kind::memory;
            fact.is_relative = operand.mem.base == ZYDIS_REGISTER_RIP;
            if (operand.mem.type == ZYDIS_MEMOP_TYPE_AGEN)
                fact.is_read = fact.is_written = false;  // the address is all that is wanted
            std::uint64_t sum = operand.mem.disp.has_displacement
                                    ? static_cast<std::uint64_t>(operand.mem.disp.value)
                                    : 0;
            bool known = true;
            auto add = [&](ZydisRegister reg, std::uint64_t times) {
                if (reg == ZYDIS_REGISTER_NONE) return;
                auto part = reg == ZYDIS_REGISTER_RIP
                                ? std::optional(address.value + decoded.length)
                                : value(lower_name(reg));
                if (part)
                    sum += *part * times;
                else
                    known = false;
            };
            add(operand.mem.base, 1);
            add(operand.mem.index, operand.mem.scale);
            if (operand.mem.segment == ZYDIS_REGISTER_FS ||
                operand.mem.segment == ZYDIS_REGISTER_GS) {
                auto base = value(operand.mem.segment == ZYDIS_REGISTER_FS ? "fs_base" : "gs_base");
                if (base)
                    sum += *base;
                else
                    known = false;
            }
            if (known) fact.address = RunAddress(sum);
        } else if (operand.type == ZYDIS_OPERAND_TYPE_IMMEDIATE && operand.imm.is_relative) {
            fact.kind = OperandFact::Kind::target;
            ZyanU64 absolute = 0;
            if (ZYAN_SUCCESS(
                    ZydisCalcAbsoluteAddress(&decoded, &operand, address.value, &absolute)))
                fact.address = RunAddress(absolute);
        }
        facts.push_back(std::move(fact));
    }
    return facts;
}

std::optional<JumpFact> jump_fact(ByteSpan bytes, RunAddress, const RegisterValue& value) {
    Decoded whole;
    if (!decode(bytes, whole)) return std::nullopt;
    const ZydisDecodedInstruction& decoded = whole.instruction;
    if (decoded.meta.category != ZYDIS_CATEGORY_COND_BR) return std::nullopt;
    bool by_count =
        decoded.mnemonic == ZYDIS_MNEMONIC_JRCXZ || decoded.mnemonic == ZYDIS_MNEMONIC_JECXZ ||
        decoded.mnemonic == ZYDIS_MNEMONIC_LOOP || decoded.mnemonic == ZYDIS_MNEMONIC_LOOPE ||
        decoded.mnemonic == ZYDIS_MNEMONIC_LOOPNE;
    if (by_count) {
        auto count = value("rcx"), flags = value("rflags");
        if (!count || !flags) return std::nullopt;
        if (decoded.mnemonic == ZYDIS_MNEMONIC_JRCXZ)
            return JumpFact{*count == 0, fmt::format("rcx is {:#x}", *count)};
        if (decoded.mnemonic == ZYDIS_MNEMONIC_JECXZ)
            return JumpFact{static_cast<std::uint32_t>(*count) == 0,
                            fmt::format("ecx is {:#x}", static_cast<std::uint32_t>(*count))};
        bool zero = (*flags & kZero) != 0;
        bool wants = decoded.mnemonic == ZYDIS_MNEMONIC_LOOP ||
                     (decoded.mnemonic == ZYDIS_MNEMONIC_LOOPE) == zero;
        return JumpFact{*count != 1 && wants,
                        fmt::format("rcx is {:#x} before it counts down", *count)};
    }
    auto flags = value("rflags");
    if (!flags) return std::nullopt;
    const Condition& condition = kConditions[(decoded.opcode & 0xf) / 2];
    bool holds = condition.test(*flags);
    return JumpFact{holds != ((decoded.opcode & 1) != 0),
                    holds ? condition.holds : condition.fails};
}

}  // namespace lantern
