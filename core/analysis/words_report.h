// The raw stack of a frame: what each word between its stack pointer and its end is, as far as that
// can be known, and what is wrong with it.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/session/moment.h"

namespace lantern {

enum class WordKind {
    return_address,
    saved_register,
    variable,
    canary,
    argument,
    red_zone,
    leftover,  // looks like an address of code or of the stack, and belongs to nothing that is
               // known
    spill,     // the function's own code keeps something there that has no name
    nameless,  // inside of the frame, and nothing in the function's code writes it: alignment,
               // unused
    unreadable,
};
std::string_view word_of(WordKind kind);

struct StackWord {
    std::uint64_t address = 0;
    std::int64_t from_end = 0;  // from the end of its frame: the call frame address (DWARF 5 §6.4)
    std::uint64_t value = 0;
    WordKind kind = WordKind::nameless;
    std::string name;     // "level, toll", "rbp of main", "into main, lockflow.c:120"
    std::string content;  // what the value says: a number, a text, what it points at
    std::string warning;  // not empty: it is not what it should be
};

struct StackFrameWords {
    unsigned level = 0;  // of the function itself; those inlined into it share it
    std::string function;
    std::uint64_t stack_pointer = 0, end = 0;  // run addresses
    std::vector<StackWord> words;              // from the lowest address
    std::vector<std::string> checks;           // what was compared, and whether it agrees
};

struct WordsReport {
    ThreadId thread = 0;
    std::vector<StackFrameWords> frames;  // the selected one first
    std::vector<std::string> damage;      // what is broken, a sentence each
    bool is_cut = false;                  // a frame was too large to be shown whole
};

struct WordsQuery {
    unsigned callers = 0;  // frames beyond the selected one
    bool from_below =
        false;  // the innermost frame from what may be in use under its stack pointer on
};
// Throws RequestError where there is no frame.
WordsReport report_words(const Moment& moment, const WordsQuery& query);

}  // namespace lantern
