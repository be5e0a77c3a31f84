// What one run of a program told while it was walked: which functions were entered and left, with
// what, and what was written, in order.
//
//     events   enter tally | enter toll | return toll | written | return tally | end
//     values   each event has a few, one after another in one list; texts are kept once
//
// Functions are numbers that two walks share: the walk of another build uses the same ones for the
// same functions, so two lists can be laid side by side.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace lantern {

struct WalkValue {
    enum class Kind : std::uint8_t {
        none,     // it had none there, or none that can be stood for
        number,   // `bits`, extended by its sign
        real,     // `bits` of a double
        address,  // `bits`; of two runs only whether it is null can be compared
        text,     // `text`: the value as it is written, without addresses
    };
    Kind kind = Kind::none;
    bool is_read_through = false;  // it lies behind a pointer or reference that was handed over
    bool is_signed = true;         // of a number
    std::uint32_t text = 0;        // into Walk::texts
    std::uint64_t bits = 0;
};

struct WalkEvent {
    static constexpr std::uint32_t kNobody = ~std::uint32_t{0};
    enum class Kind : std::uint8_t {
        entry,     // values: the parameters, in order
        returned,  // one value: what it returned
        left,      // without returning: by an exception, a panic, longjmp
        written,   // to a file or terminal: values: the descriptor, the text
        named,     // the thread is called so from here on: values: the name
        signal,    // number is `function`
        end,       // values: the exit status, or the signal that killed it
    };
    Kind kind = Kind::entry;
    std::uint16_t thread = 0;    // its number, from 1
    std::uint32_t function = 0;  // see above; of a written one nothing
    std::uint16_t copy = 0;      // which of the function's copies
    std::uint32_t hit = 0;   // of an entry: how often its thread has called the function, from 1
    std::uint32_t pass = 0;  // and how often that place has been passed: a loop may begin there
    std::uint32_t call = 0;  // of a return: the index of its entry among the events
    std::uint32_t first_value = 0, values = 0;
    std::uint32_t jumped_from = kNobody;  // the function that left by a jump to this one's entry
    std::uint64_t caller = 0;  // the address behind the call (file address); 0: not in the program

    bool is_call() const { return kind <= Kind::left; }
};

struct Walk {
    std::vector<WalkEvent> events;
    std::vector<WalkValue> values;
    std::vector<std::string> texts;
    bool is_whole = false;  // the program came to its end

    std::span<const WalkValue> values_of(const WalkEvent& event) const {
        return std::span(values).subspan(event.first_value, event.values);
    }
    // The number of the thread that is asked for by its number or by the name it has last; 0: there
    // is none so far.
    unsigned thread_called(const std::string& wanted) const;
    // As a person reads it: "7", "0.5", "\"Wren\"", "an address", "null".
    std::string text_of(const WalkValue& value) const;
};

}  // namespace lantern
