#include "core/unwind/unwinder.h"

#include <fmt/format.h>

#include "core/support/error.h"
#include "core/unwind/frame_context.h"

namespace lantern {
namespace {

constexpr unsigned kMostFrames = 1'000'000;  // a stack that long is broken or endless; the walk says so

}  // namespace

std::optional<dwarf::FrameRow> frame_row_at(const dwarf::FrameDescription& description, FileAddress pc) {
    for (const dwarf::FrameRow& row : description.rows)
        if (row.range.contains(pc)) return row;
    return std::nullopt;
}

Unwinder::Unwinder(Target& target, ThreadId thread) : target_(target), thread_(thread) {
    add_physical(target_.registers(thread_), FrameOrigin::innermost, false);
}

const Frame* Unwinder::frame(unsigned level) {
    // A frame's own address becomes known with its caller, so the walk is always one step ahead.
    while (!ended_ && resolved_ <= level) add_next();
    return level < frames_.size() ? &frames_[level] : nullptr;
}

const Frame* Unwinder::caller_of_function(const Frame& callee) {
    for (unsigned level = callee.level + 1;; ++level) {
        const Frame* next = frame(level);
        if (!next || next->origin != FrameOrigin::inlined) return next;
    }
}

std::vector<const Frame*> Unwinder::frames(unsigned limit) {
    std::vector<const Frame*> all;
    for (unsigned i = 0; i < limit && frame(i); ++i) all.push_back(&frames_[i]);
    return all;
}

// Adds the frame with these registers, preceded by a frame for each inlined call that holds its address.
void Unwinder::add_physical(const Registers& registers, FrameOrigin origin, bool is_call_site) {
    Frame base;
    base.walk = this;
    base.registers = registers;
    base.origin = origin;
    base.program_counter = registers.program_counter();
    base.lookup_address = is_call_site ? base.program_counter - 1 : base.program_counter;
    base.module = target_.module_at(base.lookup_address);
    if (base.module) {
        const ModuleSymbols& symbols = base.module->symbols();
        base.function = symbols.function_at(base.file_address());
        base.line = symbols.line_at(base.file_address());
    }
    if (!base.function) {
        base.level = static_cast<unsigned>(frames_.size());
        frames_.push_back(std::move(base));
        return;
    }
    base.body = &base.module->symbols().body_of(*base.function);
    auto chains = chains_at(*base.body, base.file_address());
    std::optional<SourceLine> line = base.line;
    for (std::size_t i = 0; i < chains.size(); ++i) {
        Frame frame = base;
        frame.level = static_cast<unsigned>(frames_.size());
        frame.inlined = chains[i].inlined;
        frame.scopes = chains[i].scopes;
        frame.line = line;
        if (i > 0) frame.origin = chains[i - 1].inlined ? FrameOrigin::inlined : origin;
        if (chains[i].inlined) {
            // The frame outside of it stands at the call that was inlined.
            line = SourceLine{chains[i].inlined->call_file, chains[i].inlined->call_line,
                              static_cast<std::uint16_t>(chains[i].inlined->call_column), {}, true};
        }
        frames_.push_back(std::move(frame));
    }
}

bool Unwinder::is_code(RunAddress address) {
    const Module* module = target_.module_at(address);
    if (!module) return false;
    for (const Segment& segment : module->symbols().elf().segments())
        if (segment.executable && segment.range.contains(module->to_file(address))) return true;
    return false;
}

void Unwinder::add_next() {
    if (frames_.size() >= kMostFrames) {
        ended_ = true;
        why_ended_ = fmt::format("the walk was cut after {} frames", kMostFrames);
        return;
    }
    resolved_ = frames_.size();
    Frame& physical = frames_.back();
    auto caller = caller_of(physical);
    // Inlined frames share the physical frame's address.
    for (std::size_t i = frames_.size() - 1; i-- > 0 && frames_[i + 1].origin == FrameOrigin::inlined;) {
        frames_[i].call_frame_address = physical.call_frame_address;
        frames_[i].is_signal_frame = physical.is_signal_frame;
    }
    if (!caller) {
        ended_ = true;
        return;
    }
    RunAddress next = caller->registers.program_counter();
    if (next.value == 0) {
        ended_ = true;
        return;
    }
    bool grows = caller->registers.stack_pointer() > physical.registers.stack_pointer();
    if (!grows && !physical.is_signal_frame) {
        ended_ = true;
        why_ended_ = fmt::format("the caller of frame {} would lie below it on the stack: the stack is damaged", physical.level);
        return;
    }
    if (!target_.module_at(next)) {
        std::byte probe;
        if (target_.read_available(next, std::span(&probe, 1)) == 0) {
            ended_ = true;
            why_ended_ = fmt::format("the return address {:#x} of frame {} leads nowhere: the stack is damaged", next.value, physical.level);
            return;
        }
    }
    // The frame a signal interrupted stands at the very instruction, not behind a call.
    add_physical(caller->registers, caller->origin, !physical.is_signal_frame);
}

std::optional<Unwinder::Caller> Unwinder::caller_of(Frame& physical) {
    if (!physical.module) return by_return_address(physical);
    try {
        auto description = physical.module->symbols().frame_description(physical.file_address());
        if (description) return by_rules(physical, *description);
        return by_frame_pointer(physical);
    } catch (const Error& error) {
        why_ended_ = fmt::format("the caller of frame {} cannot be computed: {}", physical.level, error.what());
        return std::nullopt;
    }
}

std::optional<Unwinder::Caller> Unwinder::by_rules(Frame& physical, const dwarf::FrameDescription& description) {
    using Kind = dwarf::RegisterRule::Kind;
    auto row = frame_row_at(description, physical.file_address());
    if (!row) return by_frame_pointer(physical);
    FrameContext context(target_, physical);
    std::optional<std::uint64_t> cfa;
    if (row->cfa_is_expression) {
        cfa = dwarf::evaluate_number(row->cfa_expression, nullptr, context);
    } else if (auto base = physical.registers.get(row->cfa_register)) {
        cfa = *base + static_cast<std::uint64_t>(row->cfa_offset);
    }
    if (!cfa) {
        why_ended_ = fmt::format("the rules for frame {} need a register that is not known", physical.level);
        return std::nullopt;
    }
    physical.call_frame_address = RunAddress(*cfa);
    physical.is_signal_frame = description.is_signal_frame;

    Caller caller{physical.registers, FrameOrigin::call_frame_information};
    for (unsigned number = 0; number < dwarf::kFrameRegisters; ++number) {
        const dwarf::RegisterRule& rule = row->registers[number];
        std::uint64_t at = *cfa + static_cast<std::uint64_t>(rule.number);
        std::optional<std::uint64_t> value;
        switch (rule.kind) {
            case Kind::unspecified: {
                // The ABI's callee-saved registers keep their value; the rest is lost by a call (psABI §3.2.1).
                bool kept = number == 3 || number == 6 || (number >= 12 && number <= 15);
                value = kept || description.is_signal_frame ? physical.registers.get(number) : std::nullopt;
                break;
            }
            case Kind::undefined: break;
            case Kind::same_value: value = physical.registers.get(number); break;
            case Kind::offset: value = context.read_memory(at, 8); break;
            case Kind::value_offset: value = at; break;
            case Kind::in_register: value = physical.registers.get(static_cast<unsigned>(rule.number)); break;
            case Kind::expression:
                if (auto address = dwarf::evaluate_number(rule.expression, nullptr, context, cfa)) value = context.read_memory(*address, 8);
                break;
            case Kind::value_expression: value = dwarf::evaluate_number(rule.expression, nullptr, context, cfa); break;
        }
        if (number == kStackPointerNumber && rule.kind == Kind::unspecified) value = *cfa;
        if (value) caller.registers.set(number, *value);
        else caller.registers.forget(number);
    }
    auto return_address = caller.registers.get(description.return_address_register);
    if (!return_address) return std::nullopt;  // "undefined": this is the outermost frame
    caller.registers.set_program_counter(RunAddress(*return_address));
    caller.registers.forget(kFlagsRegister);
    return caller;
}

std::optional<Unwinder::Caller> Unwinder::by_frame_pointer(const Frame& physical) {
    auto frame_pointer = physical.registers.frame_pointer();
    if (!frame_pointer || RunAddress(*frame_pointer) < physical.registers.stack_pointer()) return by_return_address(physical);
    std::uint64_t words[2];
    if (target_.read_available(RunAddress(*frame_pointer), std::as_writable_bytes(std::span(words))) != sizeof words || !is_code(RunAddress(words[1])))
        return by_return_address(physical);
    Caller caller{Registers{}, FrameOrigin::frame_pointer};
    caller.registers.thread_base = physical.registers.thread_base;
    caller.registers.set(kFramePointerNumber, words[0]);
    caller.registers.set_stack_pointer(RunAddress(*frame_pointer + 16));
    caller.registers.set_program_counter(RunAddress(words[1]));
    return caller;
}

// A call through a bad pointer leaves exactly this: a program counter in no code, and the way back on top of the stack.
std::optional<Unwinder::Caller> Unwinder::by_return_address(const Frame& physical) {
    std::uint64_t word = 0;
    RunAddress top = physical.registers.stack_pointer();
    if (target_.read_available(top, std::as_writable_bytes(std::span(&word, 1))) != sizeof word || !is_code(RunAddress(word))) {
        if (physical.level > 0 || !physical.module) why_ended_ = "no rules, frame pointer or return address leads on from here";
        return std::nullopt;
    }
    Caller caller{physical.registers, FrameOrigin::return_address};
    caller.registers.set_stack_pointer(top + 8);
    caller.registers.set_program_counter(RunAddress(word));
    return caller;
}

}  // namespace lantern
