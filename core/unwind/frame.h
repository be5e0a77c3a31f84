// One frame of a call stack. A function that was inlined has a frame of its own, with the registers
// of the function that holds it.
#pragma once

#include <optional>
#include <vector>

#include "core/machine/registers.h"
#include "core/symbols/function.h"
#include "core/target/target.h"

namespace lantern {

// How a frame was found, from sure to guessed.
enum class FrameOrigin {
    innermost,               // the thread's own registers
    call_frame_information,  // computed by the rules the compiler left
    frame_pointer,           // no rules there: the chain of saved frame pointers
    return_address,  // no rules and no code there: the word on top of the stack looked like a
                     // return address
    inlined,         // part of the frame below it
    stack_scan,  // found by looking through the stack for a word that a call of this very function
                 // could have left
    tail_call,   // has left nothing on the stack: inferred from the call sites of its caller and of
                 // what it called
    one_of_tail_calls,  // the same, by one of several jumps: it is told as where it was called
};

struct Frame {
    unsigned level = 0;
    FrameOrigin origin = FrameOrigin::innermost;
    Registers registers;
    RunAddress program_counter;  // where it will go on
    // For looking things up: the program counter, or for a caller one byte before, inside its call
    // instruction.
    RunAddress lookup_address;
    std::optional<RunAddress> call_frame_address;
    bool is_signal_frame = false;
    unsigned words_skipped = 0;  // stack_scan: how many words lay between
    bool has_left = false;  // by a jump (or the inlined call in it has): see FrameOrigin::tail_call
    // It has left, and between it and the frame before this one others may have run that left
    // so too.
    bool may_lack_others = false;
    bool went_straight = false;  // it has left by a jump that is known, and that led to that frame

    const Module* module = nullptr;      // null: code that belongs to no file
    const Function* function = nullptr;  // null: no DWARF for it
    const FunctionBody* body = nullptr;  // of `function`
    const InlinedCall* inlined =
        nullptr;                       // set when the frame is an inlined call inside `function`
    std::vector<const Scope*> scopes;  // of this frame, innermost first
    std::optional<SourceLine> line;
    std::optional<CodePosition> position;  // of the innermost of the frames that share the address
    class Unwinder* walk = nullptr;  // leads on to the caller; null for a frame that is in no stack

    FileAddress file_address() const {
        return module ? module->to_file(lookup_address) : FileAddress();
    }
    // Which of the rows of that address it stands at.
    std::uint16_t row() const {
        return position && position->address == file_address() ? position->row : dwarf::kLastRow;
    }
    bool is_inlined() const { return inlined != nullptr; }
};

// The lines of the frame's own function, in its own source, that stretches of code come from;
// nothing where none are known.
std::optional<LineSpan> lines_of(const Frame& frame, std::span<const FileRange> ranges);

// "fill_chamber", else the linker's name with an offset, else the address.
// A library's function by the name that programs call it by: "puts" of _IO_puts, "scanf" of
// __isoc99_scanf.
std::string name_as_called(const ModuleSymbols& symbols, const Function& function);
std::string frame_function_name(const Frame& frame);

}  // namespace lantern
