#include "core/unwind/frame_context.h"

#include <algorithm>

#include "core/code/call_argument.h"
#include "core/code/since_entry.h"
#include "core/dwarf/operations.h"
#include "core/runtime/c_library.h"
#include "core/support/error.h"
#include "core/target/code_at.h"
#include "core/unwind/call_before.h"
#include "core/unwind/unwinder.h"

namespace lantern {

std::uint64_t FrameContext::read_memory(std::uint64_t address, unsigned size) {
    std::uint64_t value = 0;
    target_.read_memory(RunAddress(address),
                        std::as_writable_bytes(std::span(&value, 1)).first(size));
    return value;
}

std::optional<std::uint64_t> FrameContext::frame_base() {
    if (!frame_.body) return std::nullopt;
    auto expression = dwarf::expression_at(frame_.body->frame_base, frame_.file_address());
    if (!expression) return std::nullopt;
    // What nearly every function has; conditions ask for it again and again.
    if (expression->size() == 1 &&
        static_cast<std::uint8_t>(expression->front()) == dwarf::DW_OP_call_frame_cfa)
        return call_frame_address();
    return dwarf::evaluate_number(*expression, frame_.function->unit, *this);
}

std::optional<std::uint64_t> FrameContext::call_frame_address() {
    if (!frame_.call_frame_address) return std::nullopt;
    return frame_.call_frame_address->value;
}

std::uint64_t FrameContext::run_address(FileAddress address) {
    return frame_.module ? frame_.module->to_run(address).value : address.value;
}

namespace {

// Which thread-local block is the module's: they are numbered from 1 in the order the loader met
// them; 0 if it has none.
std::uint64_t thread_local_number(Target& target, const Module* wanted) {
    std::uint64_t number = 0;
    for (const Module& module : target.modules()) {
        if (module.symbols().elf().thread_local_image()) ++number;
        if (&module == wanted) return module.symbols().elf().thread_local_image() ? number : 0;
    }
    return 0;
}

}  // namespace

namespace {

// Offsets are counted from the block's beginning. gcc's split units give the address in the file
// instead. What is neither is not in the block.
std::optional<std::uint64_t> offset_in_block(const ElfFile::ThreadLocal& image,
                                             std::uint64_t given) {
    if (given < image.size) return given;
    std::uint64_t behind = given - image.at.value;
    return given >= image.at.value && behind < image.size ? std::optional(behind) : std::nullopt;
}

}  // namespace

// The main program's block lies directly below the thread base ("variant II", ELF Handling for
// Thread-Local Storage §3.4.6). Those of libraries are found through the thread's vector of blocks
// (§3.2).
std::optional<std::uint64_t> FrameContext::thread_local_address(std::uint64_t given) {
    const auto& modules = target_.modules();
    std::uint64_t base = frame_.registers.thread_base;
    if (modules.empty() || !base || !frame_.module) return std::nullopt;
    auto image = frame_.module->symbols().elf().thread_local_image();
    auto offset = image ? offset_in_block(*image, given) : std::nullopt;
    if (!offset) return std::nullopt;
    if (frame_.module == &modules.front()) {
        std::uint64_t size =
            (image->size + image->alignment - 1) / image->alignment * image->alignment;
        return base - size + *offset;
    }
    std::uint64_t number = thread_local_number(target_, frame_.module);
    if (!number) return std::nullopt;
    try {
        auto block = c_library::thread_local_block(
            [&](RunAddress word) { return target_.read<std::uint64_t>(word); }, RunAddress(base),
            number);
        return block ? std::optional(block->value + *offset) : std::nullopt;
    } catch (const MemoryError&) {
        return std::nullopt;
    }
}

// A call site speaks for this frame only if it calls this function: a tail call in between would
// have put another one in its place. What is called in another unit the caller's unit only
// declares, so the instruction is asked first; one through a table of the linker's leads to the
// name that is declared.
bool FrameContext::calls_us(const CallSite* site, const Frame& caller,
                            FrameContext& in_caller) const {
    const ModuleSymbols &ours = frame_.module->symbols(), &theirs = caller.module->symbols();
    auto call = call_before(target_, caller.program_counter);
    if (call && call->target) {
        auto [module, called] = function_at(target_, *call->target);
        if (called)
            return called == frame_.function && module->to_run(called->low()) == *call->target;
    }
    if (!site) return false;
    if (site->callee) {
        if (caller.module == frame_.module && theirs.is_entry_of(*site->callee, *frame_.function))
            return true;
        std::string name = theirs.linker_name_of(*site->callee);
        return !name.empty() && ours.body_of(*frame_.function).is_external &&
               name == ours.linker_name_of(frame_.function->entry_offset);
    }
    auto target = in_caller.target_of(*site);
    return target && frame_.module->to_file(*target) == frame_.function->low();
}

std::optional<RunAddress> FrameContext::target_of(const CallSite& site) {
    if (site.target.empty()) return std::nullopt;
    dwarf::Location location = dwarf::evaluate_location(site.target, site.unit, *this);
    if (location.pieces.size() != 1) return std::nullopt;
    using Kind = dwarf::LocationPiece::Kind;
    const dwarf::LocationPiece& piece = location.pieces[0];
    std::optional<std::uint64_t> number;
    if (piece.kind == Kind::in_register)
        number = register_value(static_cast<unsigned>(piece.number));
    else if (piece.kind == Kind::memory || piece.kind == Kind::value)
        number = piece.number;
    return number ? std::optional(RunAddress(*number)) : std::nullopt;
}

namespace {

// Of an expression that is one register and nothing else.
std::optional<unsigned> any_register_of(ByteSpan location) {
    if (location.size() != 1) return std::nullopt;
    unsigned number = static_cast<std::uint8_t>(location[0]) - dwarf::DW_OP_reg0;
    constexpr unsigned kShortForms = 32;  // DW_OP_reg0 to DW_OP_reg31
    return number < kShortForms ? std::optional(number) : std::nullopt;
}

std::optional<unsigned> register_of(ByteSpan location) {
    auto number = any_register_of(location);
    return number && *number < kGeneralRegisters ? number : std::nullopt;
}

// What it comes to was read from memory last: DW_OP_deref, or DW_OP_deref_size with its operand.
bool ends_in_memory(ByteSpan expression) {
    auto is = [&](std::size_t from_end, std::uint8_t operation) {
        return expression.size() >= from_end &&
               static_cast<std::uint8_t>(expression[expression.size() - from_end]) == operation;
    };
    return is(1, dwarf::DW_OP_deref) || is(2, dwarf::DW_OP_deref_size);
}

// Of the form DW_OP_entry_value, length, location (DWARF 5 §2.5.1.7), and nothing else.
bool is_value_on_entry_of(ByteSpan expression, ByteSpan location) {
    if (expression.size() != location.size() + 2) return false;
    auto operation = static_cast<std::uint8_t>(expression[0]);
    return (operation == dwarf::DW_OP_entry_value || operation == dwarf::DW_OP_GNU_entry_value) &&
           static_cast<std::size_t>(expression[1]) == location.size() &&
           std::ranges::equal(expression.subspan(2), location);
}

std::optional<CallArgument> argument_in(const Frame& caller, ByteSpan location) {
    auto number = register_of(location);
    if (!number) return std::nullopt;
    KeptCode& code = kept_code(caller.module->symbols(), *caller.function);
    return call_argument(code, code.flow().around(caller.file_address()), *number);
}

// "What lies there" of a sum with what lies there.
bool leaves_out_a_part(const CallSite::Parameter& parameter, const Frame& caller) {
    auto number = any_register_of(parameter.location);
    if (!number || !ends_in_memory(parameter.value)) return false;
    KeptCode& code = kept_code(caller.module->symbols(), *caller.function);
    return is_computed_from_memory(code, code.flow().around(caller.file_address()), *number);
}

// "What this register holds", of one that has been written since it was copied for the call.
bool is_of_what_is_gone(const CallSite::Parameter& parameter, const Frame& caller) {
    if (parameter.value.size() != 2 || parameter.value[1] != std::byte{0}) return false;
    unsigned copied = static_cast<std::uint8_t>(parameter.value[0]) - dwarf::DW_OP_breg0;
    auto made = argument_in(caller, parameter.location);
    return made && made->is_gone && made->copied == copied && made->plus == 0;
}

}  // namespace

// What the caller's code puts into the register, where its debug information does not say it.
std::optional<std::uint64_t> FrameContext::as_code_passes(ByteSpan location, const Frame& caller,
                                                          FrameContext& in_caller) const {
    auto made = argument_in(caller, location);
    if (!made || made->is_gone) return std::nullopt;
    if (made->address) return caller.module->to_run(*made->address).value;
    std::optional<std::uint64_t> value = 0;
    if (made->copied) {
        in_caller.depth = depth + 1;  // that one may again rest on its caller
        value = in_caller.register_value(*made->copied);
    }
    if (!value) return std::nullopt;
    std::uint64_t sum = *value + made->plus;
    return made->size == 4 ? static_cast<std::uint32_t>(sum) : sum;
}

namespace {

bool holds_since_entry(const Frame& frame, unsigned number) {
    if (!frame.function || number >= kGeneralRegisters) return false;
    KeptCode& code = kept_code(frame.module->symbols(), *frame.function);
    return holds_since_entry(code, code.flow().around(frame.file_address()), number);
}

}  // namespace

// It is there as long as that one has not written it, nor been entered anew.
std::optional<std::uint64_t> FrameContext::passed_on(unsigned number) {
    if (!frame_.went_straight || !frame_.walk) return std::nullopt;
    unsigned level = frame_.level;
    const Frame* next = &frame_;
    while (level > 0 && next->program_counter == frame_.program_counter)
        next = frame_.walk->frame(--level);
    if (!holds_since_entry(*next, number) || frame_.walk->may_have_come_back(*next))
        return std::nullopt;
    return next->has_left ? FrameContext(target_, *next).passed_on(number)
                          : next->registers.get(number);
}

// Where the function has passed on what it was given, in the same register or in another one.
std::optional<std::uint64_t> FrameContext::on_entry_as_passed_on(ByteSpan location) {
    auto number = register_of(location);
    if (!number) return std::nullopt;
    if (holds_since_entry(frame_, *number)) return passed_on(*number);
    const ModuleSymbols& symbols = frame_.module->symbols();
    const FlowGraph& flow = kept_code(symbols, *frame_.function).flow();
    std::uint32_t jump = flow.around(frame_.file_address());
    if (jump == FlowGraph::kNone) return std::nullopt;
    auto site = symbols.call_site_at(*frame_.function, flow.nodes()[jump].behind());
    if (!site) return std::nullopt;
    for (const CallSite::Parameter& parameter : site->parameters)
        if (auto into = register_of(parameter.location))
            if (is_value_on_entry_of(parameter.value, location)) return passed_on(*into);
    return std::nullopt;
}

std::optional<std::uint64_t> FrameContext::register_value(unsigned number) {
    auto value = frame_.registers.get(number);
    if (!value && frame_.has_left) value = passed_on(number);
    bool may_ask_callers = frame_.level > 0 && frame_.walk && !frame_.walk->is_under_way();
    if (value || !may_ask_callers || number >= kGeneralRegisters || !frame_.function) return value;
    if (!holds_since_entry(frame_, number)) return std::nullopt;
    auto place = static_cast<std::byte>(dwarf::DW_OP_reg0 + number);
    return entry_value(std::span(&place, 1));
}

std::optional<std::uint64_t> FrameContext::entry_value(ByteSpan location) {
    constexpr unsigned kMostCallers = 32;  // each may again ask for a value on entry
    if (!frame_.walk || !frame_.function) return std::nullopt;
    if (depth >= kMostCallers) {
        has_given_up = true;
        return std::nullopt;
    }
    const Frame* caller = frame_.walk->caller_of_function(frame_);
    if (!caller || !caller->function || !caller->module) return std::nullopt;
    auto& values = frame_.walk->entry_values().values;
    std::pair key(frame_.level, std::vector<std::byte>(location.begin(), location.end()));
    if (auto known = values.find(key); known != values.end()) return known->second;
    const auto& site = call_under_way(*caller, frame_.walk->entry_values());
    FrameContext in_caller(target_, *caller);
    in_caller.depth = depth;
    in_caller.operations_left = operations_left;
    std::optional<std::uint64_t> value;
    bool is_of_this_call = calls_us(site ? &*site : nullptr, *caller, in_caller) &&
                           !frame_.walk->may_have_come_back(frame_);
    if (is_of_this_call) {
        if (site)
            for (const CallSite::Parameter& parameter : site->parameters)
                if (!value && std::ranges::equal(parameter.location, location) &&
                    !is_of_what_is_gone(parameter, *caller) &&
                    !leaves_out_a_part(parameter, *caller))
                    value = dwarf::evaluate_number(parameter.value, site->unit, in_caller);
        if (!value && !in_caller.has_given_up) value = as_code_passes(location, *caller, in_caller);
    }
    operations_left = in_caller.operations_left;
    if (!value && frame_.has_left) value = on_entry_as_passed_on(location);
    bool was_cut_short = !value && in_caller.has_given_up;
    has_given_up |= was_cut_short;
    if (!was_cut_short) values.emplace(std::move(key), value);
    return value;
}

const std::optional<CallSite>& call_under_way(const Frame& caller, EntryValues& known) {
    auto [found, is_new] = known.calls.try_emplace(caller.program_counter);
    if (is_new)
        found->second = caller.module->symbols().call_site_at(
            *caller.function, caller.module->to_file(caller.program_counter));
    return found->second;
}

}  // namespace lantern
