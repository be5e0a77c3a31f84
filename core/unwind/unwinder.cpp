// How a caller is found, in this order, each only where the one before has nothing to say:
//
//     rules        the compiler's call-frame information: registers from slots of the frame
//     frame pointer    the chain that rbp leads along, where the code saves it (unwinder_guesses)
//     return address   the word on top looks like one, and nothing is known of the code
//     scan             words further up that a call could have left; marked as a guess
//
// Between a frame and its caller there may have been calls that were jumps (tail calls): they left
// nothing, and are told where the call sites leave only one way (by add_tail_calls).
#include "core/unwind/unwinder.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "core/support/error.h"
#include "core/target/code_at.h"
#include "core/target/linkage.h"
#include "core/unwind/frame_context.h"

namespace lantern {
namespace {

std::optional<SourceLine> source_line(const CodePosition& position) {
    if (position.line == 0 || !position.file) return std::nullopt;
    return SourceLine{*position.file,
                      position.line,
                      position.column,
                      {position.address, position.end},
                      position.is_statement};
}

constexpr unsigned kMostFrames =
    1'000'000;  // a stack that long is broken or endless; the walk says so

}  // namespace

std::optional<dwarf::FrameRow> frame_row_at(const dwarf::FrameDescription& description,
                                            FileAddress pc) {
    for (const dwarf::FrameRow& row : description.rows)
        if (row.range.contains(pc)) return row;
    return std::nullopt;
}

Unwinder::Unwinder(Target& target, ThreadId thread, const CodePosition* standing)
    : target_(target), thread_(thread) {
    add_physical(target_.registers(thread_), FrameOrigin::innermost, false, standing);
}

const Frame& Unwinder::innermost() {
    if (resolved_ > 0) return frames_.front();
    const Frame& physical = frames_.back();
    try {
        Code& code = code_at(physical.lookup_address);
        read_rules(code, physical.lookup_address);
        auto address = code.row ? frame_address_of(physical, code) : std::nullopt;
        if (!address) return *frame(0);
        for (Frame& each : frames_) each.call_frame_address = address;  // inlined calls share it
    } catch (const FormatError&) {
        return *frame(0);
    }
    return frames_.front();
}

const Frame* Unwinder::frame(unsigned level) {
    // A frame's own address becomes known with its caller, so the walk is always one step ahead.
    struct UnderWay {
        bool& is;
        bool was = std::exchange(is, true);
        ~UnderWay() { is = was; }
    } under_way{is_under_way_};
    while (!ended_ && resolved_ <= level) add_next();
    return level < frames_.size() ? &frames_[level] : nullptr;
}

const Frame* Unwinder::caller_of_function(const Frame& callee) {
    for (unsigned level = callee.level + 1;; ++level) {
        const Frame* next = frame(level);
        if (!next || (next->origin != FrameOrigin::inlined && !next->has_left)) return next;
    }
}

bool Unwinder::may_have_come_back(const Frame& frame) {
    auto [known, is_new] = come_back_.try_emplace(frame.function);
    if (is_new) known->second = may_come_back(frame.module->symbols(), *frame.function);
    return known->second;
}

std::vector<const Frame*> Unwinder::frames(unsigned limit) {
    std::vector<const Frame*> all;
    for (unsigned i = 0; i < limit && frame(i); ++i) all.push_back(&frames_[i]);
    return all;
}

Unwinder::Code& Unwinder::code_at(RunAddress lookup, const CodePosition* standing) {
    auto [found, is_new] = code_.try_emplace(lookup);
    Code& code = found->second;
    if (!is_new) return code;
    code.module = target_.module_at(lookup);
    if (!code.module) return code;
    const ModuleSymbols& symbols = code.module->symbols();
    FileAddress address = code.module->to_file(lookup);
    code.function = symbols.function_at(address);
    if (!code.function) return code;
    code.body = &symbols.body_of(*code.function);
    code.position =
        standing ? *standing : symbols.positions_of(*code.function).in_statement(address);
    code.chains = code.position ? chains_down_to(*code.body, address, code.position->inlined)
                                : chains_at(*code.body, address);
    return code;
}

// Throws FormatError.
void Unwinder::read_rules(Code& code, RunAddress lookup) {
    if (std::exchange(code.has_rules, true) || !code.module) return;
    FileAddress address = code.module->to_file(lookup);
    auto description = code.module->symbols().frame_description(address);
    if (!description) return;
    code.row = frame_row_at(*description, address);
    code.return_register = description->return_address_register;
    code.is_signal_frame = description->is_signal_frame;
}

void Unwinder::read_call(Code& code, RunAddress return_address) {
    if (std::exchange(code.has_call, true)) return;
    code.call = call_before(target_, return_address);
    if (!code.call || !code.call->target) return;
    RunAddress target = *code.call->target;
    if (auto bound = bound_by_linkage_table(target_, target)) {
        target = *bound;
        code.is_linked = true;
    }
    auto [module, called] = function_at(target_, target);
    if (!called || module->to_run(called->low()) != target) return;
    code.called = called;
    code.called_in = module;
}

// Adds the frame with these registers, preceded by a frame for each inlined call that holds its
// address.
void Unwinder::add_physical(const Registers& registers, FrameOrigin origin, bool is_call_site,
                            const CodePosition* standing) {
    Frame base;
    base.walk = this;
    base.registers = registers;
    base.origin = origin;
    base.program_counter = registers.program_counter();
    base.lookup_address = is_call_site ? base.program_counter - 1 : base.program_counter;
    const Code& code = code_at(base.lookup_address, standing);
    base.module = code.module;
    base.function = code.function;
    base.body = code.body;
    base.position = code.position;
    if (!base.function) {
        if (code.module)
            base.line = code.module->symbols().line_at(code.module->to_file(base.lookup_address));
        base.level = static_cast<unsigned>(frames_.size());
        frames_.push_back(std::move(base));
        return;
    }
    add_chains(base, code.chains, code.position ? source_line(*code.position) : std::nullopt);
}

// The frames that share one place in the code; the line is that of the innermost.
void Unwinder::add_chains(const Frame& base, const std::vector<ScopeChain>& chains,
                          std::optional<SourceLine> line) {
    for (std::size_t i = 0; i < chains.size(); ++i) {
        const ScopeChain& chain = chains[i];
        Frame& frame = frames_.emplace_back(base);
        frame.level = static_cast<unsigned>(frames_.size() - 1);
        frame.inlined = chain.inlined;
        frame.scopes = chain.scopes;
        frame.line = line;
        if (i > 0) {
            frame.origin = chains[i - 1].inlined ? FrameOrigin::inlined : base.origin;
            frame.may_lack_others = false;
        }
        if (chain.inlined) {
            // The frame outside of it stands at the call that was inlined.
            line.reset();
            if (chain.inlined->call_line)
                line = SourceLine{chain.inlined->call_file,
                                  chain.inlined->call_line,
                                  static_cast<std::uint16_t>(chain.inlined->call_column),
                                  {},
                                  true};
        }
    }
}

bool Unwinder::is_code(RunAddress address) const {
    const Module* module = target_.module_at(address);
    if (!module) {  // made while the program runs: code without a file
        const MemoryRegion* region = target_.region_at(address);
        return region && region->permissions.size() > 2 && region->permissions[2] == 'x';
    }
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
    for (std::size_t i = frames_.size() - 1;
         i-- > 0 && frames_[i + 1].origin == FrameOrigin::inlined;) {
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
        why_ended_ = fmt::format(
            "the caller of frame {} would lie below it on the stack: the stack is damaged",
            physical.level);
        return;
    }
    if (!target_.module_at(next)) {
        std::byte probe;
        if (target_.read_available(next, std::span(&probe, 1)) == 0) {
            ended_ = true;
            why_ended_ = fmt::format(
                "the return address {:#x} of frame {} leads nowhere: the stack is damaged",
                next.value, physical.level);
            return;
        }
    }
    // The frame a signal interrupted stands at the very instruction, not behind a call.
    bool is_call_site = !physical.is_signal_frame;
    bool is_certain = !was_guessed() && caller->origin == FrameOrigin::call_frame_information;
    if (is_call_site && is_certain) add_tail_calls(physical, caller->registers);
    std::size_t first = frames_.size();
    add_physical(caller->registers, caller->origin, is_call_site);
    for (; caller->words_skipped && first < frames_.size(); ++first)
        frames_[first].words_skipped = caller->words_skipped;
}

// Of the last frame; inlined calls share how they were found with the innermost of them.
bool Unwinder::was_guessed() const {
    std::size_t level = frames_.size() - 1;
    while (level > 0 && frames_[level].origin == FrameOrigin::inlined) --level;
    return frames_[level].origin != FrameOrigin::innermost &&
           frames_[level].origin != FrameOrigin::call_frame_information;
}

// The call leads to another function than the one that runs: that one has jumped on, and left
// nothing on the stack (DWARF 5 §3.4.1). The functions between are those of the only way there.
void Unwinder::add_tail_calls(const Frame& physical, const Registers& caller) {
    Code& code = code_at(caller.program_counter() - 1);
    read_call(code, caller.program_counter());
    const Function* called = code.called ? code.called : called_by(caller, code);
    const Module* module = code.called ? code.called_in : code.module;
    if (!called || called == physical.function) return;
    // Through the linkage table, before that function runs, the loader does.
    bool is_loaded = physical.function && physical.module == module && !module->is_system_library();
    if (code.is_linked && !is_loaded) return;
    auto begins = begin_of(physical);
    auto [known, is_new] = tail_ways_.try_emplace({called, begins});
    if (is_new) {
        TailEnd running{physical.module ? &physical.module->symbols() : nullptr, physical.function,
                        begins ? std::optional(physical.module->to_file(*begins)) : std::nullopt,
                        [&](FileAddress entry) {
                            return behind_linkage_table(target_, module->to_run(entry)) == begins;
                        }};
        known->second = tail_way(module->symbols(), *called, running);
    }
    const TailWay& way = known->second;
    bool may_lack = way.may_lack;  // before the innermost of them
    for (auto step = way.steps.rbegin(); step != way.steps.rend(); ++step)
        add_left(*module, *step, std::exchange(may_lack, false));
    if (!way.steps.empty()) resolved_ = frames_.size();
}

// It stands at the jump. By which of several is not known: its line may be, and the rest is told as
// it was called.
void Unwinder::add_left(const Module& module, const TailStep& step, bool may_lack_others) {
    bool is_known = step.jumps.size() == 1;
    FileAddress at = is_known ? step.jumps[0] : step.function->low();
    Frame base;
    base.walk = this;
    base.origin = is_known ? FrameOrigin::tail_call : FrameOrigin::one_of_tail_calls;
    base.has_left = true;
    base.may_lack_others = may_lack_others;
    base.went_straight = is_known && !may_lack_others;
    base.module = &module;
    base.function = step.function;
    base.body = &module.symbols().body_of(*step.function);
    base.program_counter = base.lookup_address = module.to_run(at);
    base.registers.set_program_counter(base.program_counter);
    if (is_known) {
        const Code& code = code_at(base.lookup_address);
        base.position = code.position;
        if (base.position) base.position->row = dwarf::kLastRow;  // the jump is of the last
        add_chains(base, code.chains, code.position ? source_line(*code.position) : std::nullopt);
        return;
    }
    const auto& positions = module.symbols().positions_of(*step.function);
    std::optional<SourceLine> line = source_line(positions.within(step.jumps[0], nullptr));
    for (FileAddress jump : step.jumps)
        if (line && positions.within(jump, nullptr).line != line->line) line.reset();
    add_chains(base, {chains_down_to(*base.body, at, nullptr).back()}, line);
}

// By a call through a register or through memory, where the debug information says what leads
// there. What rests on the caller's own caller is not asked for: the walk is not there yet.
const Function* Unwinder::called_by(const Registers& caller, Code& code) {
    if (!code.call || code.call->target || !code.function) return nullptr;
    Frame frame;
    frame.registers = caller;
    frame.program_counter = caller.program_counter();
    frame.lookup_address = frame.program_counter - 1;
    frame.module = code.module;
    frame.function = code.function;
    frame.body = code.body;
    try {
        read_rules(code, frame.lookup_address);
        if (code.row) frame.call_frame_address = frame_address_of(frame, code);
        FrameContext context(target_, frame);
        const auto& site = call_under_way(frame, entry_values_);
        auto target = site ? context.target_of(*site) : std::nullopt;
        if (!target) return nullptr;
        auto [module, called] = function_at(target_, *target);
        return called && module == code.module && module->to_run(called->low()) == *target
                   ? called
                   : nullptr;
    } catch (const Error&) {  // damaged, or it cannot be read: nothing is known of it
        return nullptr;
    }
}

std::optional<Unwinder::Caller> Unwinder::caller_of(Frame& physical) {
    if (!physical.module)
        return is_code(physical.lookup_address) ? by_frame_pointer(physical)
                                                : by_return_address(physical);
    try {
        Code& code = code_at(physical.lookup_address);
        read_rules(code, physical.lookup_address);
        if (code.row) return by_rules(physical, code);
        return by_frame_pointer(physical);
    } catch (const Error& error) {
        why_ended_ = fmt::format("the caller of frame {} cannot be computed: {}", physical.level,
                                 error.what());
        return std::nullopt;
    }
}

std::optional<RunAddress> Unwinder::frame_address_of(const Frame& physical, const Code& code) {
    const dwarf::FrameRow& row = *code.row;
    if (row.cfa_is_expression) {
        FrameContext context(target_, physical);
        auto address = dwarf::evaluate_number(row.cfa_expression, nullptr, context);
        return address ? std::optional(RunAddress(*address)) : std::nullopt;
    }
    auto base = physical.registers.get(row.cfa_register);
    return base ? std::optional(RunAddress(*base + static_cast<std::uint64_t>(row.cfa_offset)))
                : std::nullopt;
}

std::optional<Unwinder::Caller> Unwinder::by_rules(Frame& physical, const Code& code) {
    using Kind = dwarf::RegisterRule::Kind;
    const dwarf::FrameRow* row = &*code.row;
    FrameContext context(target_, physical);
    auto address = frame_address_of(physical, code);
    if (!address) {
        why_ended_ =
            fmt::format("the rules for frame {} need a register that is not known", physical.level);
        return std::nullopt;
    }
    physical.call_frame_address = address;
    std::optional<std::uint64_t> cfa = address->value;
    physical.is_signal_frame = code.is_signal_frame;

    Caller caller{physical.registers, FrameOrigin::call_frame_information};
    for (unsigned number = 0; number < dwarf::kFrameRegisters; ++number) {
        const dwarf::RegisterRule& rule = row->registers[number];
        std::uint64_t at = *cfa + static_cast<std::uint64_t>(rule.number);
        std::optional<std::uint64_t> value;
        switch (rule.kind) {
            case Kind::unspecified: {
                // The ABI's callee-saved registers keep their value; the rest is lost by a call
                // (psABI §3.2.1).
                bool kept = number == 3 || number == 6 || (number >= 12 && number <= 15);
                value =
                    kept || code.is_signal_frame ? physical.registers.get(number) : std::nullopt;
                break;
            }
            case Kind::undefined: break;
            case Kind::same_value: value = physical.registers.get(number); break;
            case Kind::offset: value = context.read_memory(at, 8); break;
            case Kind::value_offset: value = at; break;
            case Kind::in_register:
                value = physical.registers.get(static_cast<unsigned>(rule.number));
                break;
            case Kind::expression:
                if (auto address = dwarf::evaluate_number(rule.expression, nullptr, context, cfa))
                    value = context.read_memory(*address, 8);
                break;
            case Kind::value_expression:
                value = dwarf::evaluate_number(rule.expression, nullptr, context, cfa);
                break;
        }
        if (number == kStackPointerNumber && rule.kind == Kind::unspecified) value = *cfa;
        if (value)
            caller.registers.set(number, *value);
        else
            caller.registers.forget(number);
    }
    auto return_address = caller.registers.get(code.return_register);
    if (!return_address) return std::nullopt;  // "undefined": this is the outermost frame
    caller.registers.set_program_counter(RunAddress(*return_address));
    caller.registers.forget(kFlagsRegister);
    return caller;
}

}  // namespace lantern
