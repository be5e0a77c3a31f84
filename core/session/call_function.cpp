// Calls a function of the program (System V ABI x86-64 §3.2.2, §3.2.3): everything the call may
// touch of the thread's registers and stack is kept before and put back after, however it ends.
#include <fmt/format.h>

#include <cstring>

#include "core/expressions/container_operators.h"
#include "core/machine/calling_convention.h"
#include "core/session/call_function.h"
#include "core/session/left_frame.h"
#include "core/session/returned_value.h"
#include "core/support/error.h"
#include "core/target/code_at.h"
#include "core/values/builtin_types.h"

namespace lantern {
namespace {

constexpr std::uint64_t kKeptStack = 256 * 1024;  // bytes below the stack pointer that are put back
                                                  // after the call, as far as they are mapped

// Which registers and which bytes on the stack the arguments go to.
struct Passing {
    std::vector<std::pair<unsigned, std::uint64_t>> integers;
    std::vector<std::pair<unsigned, std::vector<std::byte>>> vectors;
    std::vector<std::byte> stack;

    void push(ByteSpan bytes) {
        stack.insert(stack.end(), bytes.begin(), bytes.end());
        stack.resize((stack.size() + 7) / 8 * 8);
    }
    void pass_integer(std::uint64_t number) {
        integers.emplace_back(kIntegerParameters[integers.size()], number);
    }
    void pass(const Type& type, ByteSpan bytes);
};

void Passing::pass(const Type& type, ByteSpan bytes) {
    ReturnLocation location = location_of_returned(type);
    std::size_t needs_integers = 0, needs_vectors = 0;
    bool in_registers = location.kind == ReturnLocation::Kind::registers;
    for (const ReturnPiece& piece : location.pieces) {
        if (piece.dwarf_register == kFirstStackRegister)
            in_registers = false;  // a long double
        else
            ++(piece.dwarf_register < kFirstVectorRegister ? needs_integers : needs_vectors);
    }
    // All of it in registers, or none.
    if (!in_registers || integers.size() + needs_integers > std::size(kIntegerParameters) ||
        vectors.size() + needs_vectors > kVectorParameters) {
        if (plain(type).size > 8 && stack.size() % 16 && plain(type).kind == TypeKind::floating)
            stack.resize(stack.size() + 8);
        push(bytes);
        return;
    }
    for (const ReturnPiece& piece : location.pieces) {
        ByteSpan part = bytes.subspan(
            piece.offset, std::min<std::size_t>(piece.size, bytes.size() - piece.offset));
        if (piece.dwarf_register < kFirstVectorRegister) {
            std::uint64_t number = 0;
            std::memcpy(&number, part.data(), part.size());
            pass_integer(number);
        } else {
            std::vector<std::byte> padded(part.begin(), part.end());
            padded.resize(16);
            vectors.emplace_back(kFirstVectorRegister + static_cast<unsigned>(vectors.size()),
                                 padded);
        }
    }
}

// What a call may change of a thread, and the way back.
class Kept {
  public:
    Kept(LiveProcess& process, ThreadId thread)
        : process_(process),
          thread_(thread),
          registers_(process.registers(thread)),
          state_(process.extended_state(thread)) {
        RunAddress top = registers_.stack_pointer();
        start_ = top;
        for (const MemoryRegion& region : process.regions())
            if (region.begin <= top && top < region.end)
                start_ = std::max(region.begin, RunAddress(top.value - kKeptStack));
        stack_.resize(top - start_);
        process.read_memory(start_, stack_);
    }
    void put_back() {
        process_.deliver(thread_, 0);
        process_.write_memory(start_, stack_);
        process_.set_extended_state(thread_, state_);
        process_.set_registers(thread_, registers_);
    }
    const Registers& registers() const { return registers_; }

  private:
    LiveProcess& process_;
    ThreadId thread_;
    Registers registers_;
    std::vector<std::byte> state_, stack_;
    RunAddress start_;
};

std::string why_it_did_not_return(const Stop& stop, const std::string& name, Unwinder& stack) {
    std::string where = stack.frame(0) ? frame_function_name(*stack.frame(0)) : "";
    if (stack.frame(0) && stack.frame(0)->line)
        where += fmt::format(", line {}", stack.frame(0)->line->line);
    switch (stop.reason) {
        case StopReason::signal:
            return fmt::format(
                "{} met {} in {}", name,
                stop.is_fault ? fmt::format("a fault at address {:#x}", stop.fault_address.value)
                              : fmt::format("signal {}", stop.signal),
                where);
        case StopReason::breakpoint:
            return fmt::format("{} came to breakpoint {} in {}", name,
                               stop.breakpoints.empty() ? 0 : stop.breakpoints.front(), where);
        case StopReason::paused: return fmt::format("{} was interrupted in {}", name, where);
        default: return fmt::format("{} did not return", name);
    }
}

// What was returned in memory must outlive the stack it lies on: its bytes are taken; a string is
// taken as its text.
Value taken(const ValueReader& reader, const Type& type, RunAddress address) {
    Value there = value_in_memory(type, address);
    if (!plain(type).is_passed_by_reference()) return value_of_bytes(type, reader.content(there));
    if (auto text = text_content(reader, there)) {
        std::vector<std::byte> bytes(text->size() + 1);
        std::memcpy(bytes.data(), text->data(), text->size());
        const Type& array = array_of(char_type(), bytes.size());
        return value_of_bytes(array, bytes);
    }
    return unavailable_value(type, "what it returned lived no longer than the call");
}

constexpr const char* kStaysChanged = "what it had changed in memory by then stays changed";

// rustc passes what C passes otherwise by a convention of its own.
void refuse_other_convention(const FunctionCall& call, const Module& module,
                             const Function& function) {
    for (const Value& argument : call.arguments) {
        ReturnLocation location = location_of_returned(module, function, *argument.type);
        bool is_like_c = location == location_of_returned(*argument.type) &&
                         location.kind == ReturnLocation::Kind::registers;
        if (plain(*argument.type).size && !is_like_c)
            throw RequestError(
                fmt::format("{} takes a {} in a way that is not known here: it cannot be called",
                            call.name, type_text(*argument.type)),
                "look at the values it would use");
    }
}

}  // namespace

Value call_function(SessionParts& parts, const FunctionCall& call) {
    LiveProcess& live = parts.debuggee.process();
    const Type& returned = call.type->target ? *call.type->target : long_type();
    ValueReader reader(live);
    for (const Value& argument : call.arguments)
        if (plain(*argument.type).is_passed_by_reference())
            throw RequestError(
                fmt::format("{} takes a {} by value, which only the program's own code can copy",
                            call.name, type_text(*argument.type)));
    if (parts.shared.may_call && !parts.shared.may_call(call.name))
        throw RequestError(fmt::format("{} was not called", call.name));

    auto [module, function] = function_at(live, call.address);
    if (function && function->unit->is_rust()) refuse_other_convention(call, *module, *function);
    const ThreadId thread = parts.selection.thread();
    live.leave_system_call(thread);
    Kept kept(live, thread);
    ReturnLocation location = function ? location_of_returned(*module, *function, returned)
                                       : location_of_returned(returned);
    bool in_memory = location.kind == ReturnLocation::Kind::memory;
    std::uint64_t stack = kept.registers().stack_pointer().value - kRedZone;
    if (in_memory) stack -= plain(returned).size;
    stack &= ~(kStackAlignment - 1);
    RunAddress result_address(stack);
    Passing passing;
    if (in_memory) passing.pass_integer(result_address.value);
    for (const Value& argument : call.arguments)
        passing.pass(*argument.type, reader.content(argument));
    stack -= passing.stack.size();
    stack &= ~(kStackAlignment - 1);

    const Module& main = live.main_module();
    RunAddress back = main.to_run(
        main.symbols().elf().entry());  // a place no function of the program comes to again
    Stop stop;
    Value result;
    try {
        live.write_memory(RunAddress(stack), passing.stack);
        std::uint64_t return_address = back.value;
        live.write_memory(RunAddress(stack - 8), std::as_bytes(std::span(&return_address, 1)));
        for (const auto& [number, bytes] : passing.vectors)
            live.set_vector_register(thread, number, bytes);
        Registers registers = kept.registers();
        for (const auto& [number, value] : passing.integers) registers.set(number, value);
        registers.set(kVectorCountRegister, passing.vectors.size());
        registers.system_call =
            ~std::uint64_t{0};  // no system call is taken up again with other registers
        registers.set_stack_pointer(RunAddress(stack - 8));
        registers.set_program_counter(call.address);
        live.set_registers(thread, registers);
        Movement movement(parts);
        LeftFrame left(parts, movement);
        left.set_least(RunAddress(stack), RunAddress(stack) + 1);
        std::set<RunAddress> ends{back};
        left.add_stops(ends);
        bool is_left = false;
        stop = movement.run(ends, [&](ThreadId id) {
            if (id != thread) return false;
            const Registers& now = live.registers(id);
            if (now.program_counter() != back) return is_left = left.is_landing(id);
            return now.stack_pointer().value >= stack;
        });
        if (stop.is_end()) {
            parts.finished(stop, 0);
            throw RequestError(fmt::format("the program ended while {} ran", call.name),
                               Next::restart_by_launch);
        }
        if (is_left && stop.reason == StopReason::stepped)
            throw RequestError(
                fmt::format("{} did not return: an exception or longjmp left it for what runs "
                            "further out; the call was undone",
                            call.name),
                kStaysChanged);
        if (stop.reason != StopReason::stepped) {
            Unwinder there(live, stop.thread ? stop.thread : thread);
            throw RequestError(
                why_it_did_not_return(stop, call.name, there) + "; the call was undone",
                kStaysChanged);
        }
        if (plain(returned).size == 0)
            result = unavailable_value(returned, fmt::format("{} returns nothing", call.name));
        else if (in_memory)
            result = taken(reader, returned, result_address);
        else if (location.kind == ReturnLocation::Kind::registers)
            result = returned_in_registers(live, thread, returned, location);
        else
            result = unavailable_value(returned, "how this type is returned is not known");
    } catch (...) {
        if (parts.debuggee.is_running()) kept.put_back();
        parts.selection.forget_heap();
        throw;
    }
    kept.put_back();
    parts.selection.forget_heap();
    return result;
}

}  // namespace lantern
