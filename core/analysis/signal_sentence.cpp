#include "core/analysis/signal_sentence.h"

#include <fmt/format.h>
#include <signal.h>
#include <string.h>

#include "core/analysis/address_note.h"
#include "core/machine/instruction.h"

namespace lantern {
namespace {

std::optional<Instruction> instruction_at(Session& session, RunAddress address) {
    std::byte bytes[kLongestInstruction];
    std::size_t got = session.target().read_available(address, bytes);
    return decode_instruction(ByteSpan(bytes, got), address);
}

bool writes_memory(const Instruction& instruction) {
    for (const MemoryOperand& operand : instruction.memory)
        if (operand.writes) return true;
    return instruction.kind == Instruction::Kind::call;
}

bool is_readable(Session& session, RunAddress address) {
    std::byte probe;
    return session.target().read_available(address, std::span(&probe, 1)) == 1;
}

// The processor refuses to go where no address can be, and stands at the return still.
std::string bad_return(Session& session, const Stop& stop) {
    std::uint64_t word = 0;
    RunAddress top = session.target().registers(stop.thread).stack_pointer();
    if (session.target().read_available(top, std::as_writable_bytes(std::span(&word, 1))) != sizeof word || is_readable(session, RunAddress(word))) return {};
    std::string text = text_of_word(word);
    return fmt::format("it could not return: its return address has been overwritten with {}", text.empty() ? fmt::format("{:#x}", word) : "the text " + text);
}

std::string memory_fault(Session& session, const Stop& stop) {
    RunAddress pc = session.target().registers(stop.thread).program_counter();
    RunAddress at = stop.fault_address;
    if (at == pc || !is_readable(session, pc)) {
        if (pc.value == 0) return "it called a function through a null pointer";
        return fmt::format("it went on at address {:#x}, where there is no code", pc.value);
    }
    auto instruction = instruction_at(session, pc);
    if (instruction && instruction->kind == Instruction::Kind::returns)
        if (std::string sentence = bad_return(session, stop); !sentence.empty()) return sentence;
    std::string verb = !instruction ? "touched" : writes_memory(*instruction) ? "wrote to" : "read";
    // Outside of the 47 bits a program may use, the processor does not even report the address.
    if (at.value == 0 && instruction && !instruction->memory.empty()) {
        for (const MemoryOperand& operand : instruction->memory) {
            auto base = operand.base ? session.target().registers(stop.thread).get(*operand.base) : std::nullopt;
            if (base && *base >> 47 != 0)
                return fmt::format("it {} memory through a wild pointer: {:#x} can be no address", verb, *base);
        }
    }
    RunAddress stack = session.target().registers(stop.thread).stack_pointer();
    if (at < stack + 65536 && stack < at + 65536 && !is_readable(session, at))
        return fmt::format("it {} address {:#x}, just past the end of its stack: the stack is full, perhaps by a recursion that does not end", verb, at.value);
    if (at.value < 4096)
        return fmt::format("it {} address {:#x}, where nothing is mapped: a null pointer was followed", verb, at.value);
    if (!is_readable(session, at)) return fmt::format("it {} address {:#x}, where nothing is mapped", verb, at.value);
    return fmt::format("it {} address {:#x}, where that is not allowed", verb, at.value);
}

}  // namespace

std::string signal_sentence(Session& session, const Stop& stop) {
    std::string name = signal_name(stop.signal);
    if (stop.is_fault) {
        switch (stop.signal) {
            case SIGSEGV: case SIGBUS: return fmt::format("{}: {}", name, memory_fault(session, stop));
            case SIGFPE: return fmt::format("{}: it divided a whole number by zero, or the result did not fit", name);
            case SIGILL: return fmt::format("{}: it came to bytes that are no instruction of this processor", name);
            default: break;
        }
    }
    switch (stop.signal) {
        case SIGABRT: return fmt::format("{}: the program gave up by itself (abort, or a failed assertion)", name);
        case SIGTRAP: return fmt::format("{}: it came to a breakpoint instruction of its own", name);
        case SIGPIPE: return fmt::format("{}: it wrote to a pipe that nobody reads any more", name);
        case SIGALRM: return fmt::format("{}: its timer ran out", name);
        case SIGTERM: return fmt::format("{}: somebody asked it to end", name);
        default: {
            const char* text = sigdescr_np(stop.signal);
            return fmt::format("{}: {}", name, text ? text : "a signal without a description");
        }
    }
}

}  // namespace lantern
