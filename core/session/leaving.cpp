// Movements that change where the program is instead of letting it run there: divert and leave.
#include <fmt/format.h>

#include "core/expressions/conversion.h"
#include "core/session/returned_value.h"
#include "core/session/session.h"
#include "core/support/error.h"
#include "core/target/live_process.h"

namespace lantern {

std::string Session::divert(const Place& place) {
    here().debuggee.refuse_while_moving();
    LiveProcess& live = process();
    const Frame* frame = stack().frame(0);
    const Function* from = frame->function;
    auto sites = resolve_place(place, context());
    // Of several copies of the code, the one in the function we are in.
    const PlaceSite* chosen = nullptr;
    for (const PlaceSite& site : sites) {
        const Function* function =
            site.module ? site.module->symbols().function_at(site.code.address) : nullptr;
        if (!chosen || (from && function == from)) chosen = &site;
    }
    const Function* to =
        chosen->module ? chosen->module->symbols().function_at(chosen->code.address) : nullptr;
    Registers registers = live.registers(thread());
    registers.set_program_counter(chosen->address);
    registers.system_call = ~std::uint64_t{0};
    live.set_registers(thread(), registers);
    here().selection.leave_stack();
    here().last_stop = Stop{};
    here().last_stop.reason = StopReason::diverted;
    here().last_stop.thread = thread();
    ++shared_.movements;
    if (chosen->code.position) here().selection.stand_at(*chosen->code.position);
    if (to == from) return {};
    return fmt::format(
        "this is in another function, {}: it will use {}'s stack frame as if it were its own, and "
        "return to {}'s caller",
        chosen->code.function.empty() ? place.text : chosen->code.function,
        from ? from->name : "the old one", from ? from->name : "that");
}

Stop Session::leave(std::string_view text) {
    here().debuggee.refuse_while_moving();
    LiveProcess& live = process();
    const Frame* frame = selected_frame();
    if (!frame) throw RequestError("no frame is selected");
    if (frame->inlined)
        throw RequestError(
            fmt::format("{} was inlined and does not return on its own", frame->inlined->name),
            Next::divert);
    if (frame->has_left)
        throw RequestError(fmt::format("{} has left by a jump: nothing of it is on the stack",
                                       frame_function_name(*frame)),
                           "callee goes to the function that it jumped to; leave there returns to "
                           "the same caller");
    const Frame* caller = stack().caller_of_function(*frame);
    if (!caller || !frame->call_frame_address)
        throw RequestError(fmt::format("{} is the outermost frame: it has no caller",
                                       frame_function_name(*frame)));
    // Registers that the caller is not known to have keep what they hold: that is what a return
    // does.
    Registers registers = live.registers(thread());
    for (unsigned number = 0; number < kGeneralRegisters; ++number)
        if (auto value = caller->registers.get(number)) registers.set(number, *value);
    registers.set_program_counter(caller->program_counter);
    registers.system_call = ~std::uint64_t{0};
    Stop stop;
    stop.reason = StopReason::returned;
    stop.thread = thread();
    stop.returned = ReturnedValue{frame_function_name(*frame),
                                  unavailable_value(void_type(), "it was left without a value")};
    std::vector<std::pair<unsigned, std::vector<std::byte>>> vectors;
    if (!text.empty()) {
        if (!frame->body)
            throw RequestError(
                fmt::format("what {} returns is not known: it has no debug information",
                            frame_function_name(*frame)),
                Next::leave_and_set_result_register);
        if (!frame->body->returned)
            throw RequestError(fmt::format("{} returns nothing", frame_function_name(*frame)),
                               Next::leave_without_value);
        const Type& type = *frame->body->returned;
        ValueReader reader(live);
        Value value = converted(reader, evaluate(text, context()), type, 0);
        ReturnLocation location = location_of_returned(*frame->module, *frame->function, type);
        if (location.kind != ReturnLocation::Kind::registers)
            throw RequestError("a value of this type is returned in memory",
                               Next::leave_and_set_memory);
        std::vector<std::byte> bytes = reader.content(value);
        for (const ReturnPiece& piece : location.pieces) {
            if (piece.dwarf_register >= kFirstStackRegister)
                throw RequestError("a long double cannot be set as a returned value");
            std::vector<std::byte> part(
                bytes.begin() + static_cast<std::ptrdiff_t>(piece.offset),
                bytes.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(
                                    bytes.size(), piece.offset + piece.size)));
            if (piece.dwarf_register >= kFirstVectorRegister) {
                part.resize(16);
                vectors.emplace_back(piece.dwarf_register, std::move(part));
            } else {
                std::uint64_t word = 0;
                std::copy(part.begin(), part.end(), reinterpret_cast<std::byte*>(&word));
                registers.set(piece.dwarf_register, word);
            }
        }
        stop.returned->value = value;
    }
    std::uint64_t stops = live.stops();
    live.set_registers(thread(), registers);
    for (const auto& [number, bytes] : vectors) live.set_vector_register(thread(), number, bytes);
    return told_of(here().finished(std::move(stop), stops));
}

}  // namespace lantern
