// Something the program is to stop for, or to note values at, as the user asked for it: a place, a
// value that is written, an event. With it what is counted, and the sites in the memory of one
// process that stand for it.
#pragma once

#include <memory>
#include <set>
#include <string>
#include <vector>

#include "core/expressions/evaluator.h"
#include "core/session/block_counts.h"
#include "core/session/place.h"
#include "core/support/address.h"

namespace lantern {

// What a breakpoint waits for.
enum class Cause {
    place,
    write,  // of a value: a watchpoint
    access,
    read,    // by an instruction that reads it
    thrown,  // a C++ exception
    caught,
    panic,  // Rust
    signal,
    load,  // of a library
    unload,
    fork,  // vfork too
    exec,
    thread_start,
    thread_end,
    exit,  // the program is about to end
    system_call,
    heap,       // something our library in front of the allocator has found
    sanitizer,  // one that the program is built with reports something
};
// "place", "write", "access", "read", "throw", "catch", "panic", "signal", "load", "unload",
// "fork", "exec", "thread-start", "thread-end", "exit", "syscall", "heap",
// "sanitizer"
std::string_view cause_word(Cause cause);

// The memory a watchpoint stands for, and how it is watched.
struct WatchedValue {
    Value value;  // where it lies; `bytes` are its bytes when they were looked at last
    RunRange range{};
    std::vector<std::byte> bytes;
    std::vector<std::byte> bytes_before;  // the same before the events of `batch`: threads that
                                          // wrote at the same moment
    std::uint64_t batch = 0;
    std::uint64_t events =
        0;  // since it is watched, those that it passed and those that wrote what was there too
    bool follows = false;  // resolved anew at each stop
    // The frame a local variable belongs to; when it is left, the watchpoint ends.
    struct Owner {
        ThreadId thread = 0;
        RunAddress frame;  // its call frame address
        RunAddress back;   // where it returns to
        std::string function;
    };
    std::optional<Owner> owner;
    std::vector<RunAddress> frame_ends;  // where a thread stops that may be about to leave it
    std::vector<unsigned> debug_registers;
    bool by_pages = false;
    bool by_steps = false;
    bool has_ended = false;
    bool is_of_program =
        false;  // it lies in the program itself, from start to end: it is watched in each run

    // Nothing watches it: what did was another process.
    void forget_process() {
        debug_registers.clear();
        by_pages = false;
        owner.reset();
        frame_ends.clear();
    }
};

// The condition and the noted expressions, as they were read for the function they were last met
// in. Kept from hit to hit.
struct ReadExpressions {
    std::pair<const Function*, const InlinedCall*> place{};
    std::shared_ptr<const Expression> condition;
    std::vector<std::shared_ptr<const Expression>> noted;
};

// What has become of its hits, in all processes of the session.
struct HitCounts {
    std::string problem;           // why the condition could not be computed at the last hit
    std::string doubt;             // about what it or a note reads, at the first hit in a place
    std::uint64_t times_true = 0;  // the condition was, in that thread
    std::uint64_t hits = 0;        // stopped, or noted
    std::uint64_t passes =
        0;               // went on: the condition did not hold, or the count was not there yet
    BlockCounts blocks;  // of one that counts blocks
};

// What the user asked for.
struct BreakpointWish {
    Cause cause = Cause::place;
    Place place;          // of Cause::place
    std::string subject;  // else what it is about: a type, a signal, a library, a system call, an
                          // expression; may be empty
    bool is_on = true;
    std::string condition;    // stops only where this is not zero; empty: always
    unsigned thread = 0;      // only in this thread; 0: in any
    std::uint64_t after = 0;  // passes this many first
    std::uint64_t every = 1;  // then stops at each such one
    bool once = false;        // switches itself off when it has stopped
    // What to note at each hit, instead of stopping; empty: it stops.
    std::vector<std::string> noted;
    std::uint64_t note_limit = 0;

    bool is_note() const { return !noted.empty() || counts_blocks(); }
    bool counts_blocks() const {
        return cause == Cause::place && place.kind == Place::Kind::blocks;
    }
    bool is_watch() const {
        return cause == Cause::write || cause == Cause::access || cause == Cause::read;
    }
    bool has_sites() const {
        return cause == Cause::place || cause == Cause::thrown || cause == Cause::caught ||
               cause == Cause::panic || cause == Cause::heap || cause == Cause::sanitizer;
    }
};

// The wish, its counts, and what became of it in one process.
struct Breakpoint : BreakpointWish {
    struct Site {
        RunAddress
            address;  // in the running program; before it runs, as if loaded at its file addresses
        CodeSite code;
        std::string module;  // path
        bool inserted = false;
        // Jumps to the address that come behind the position: to a later one of the same line, or
        // past the line (nothing).
        struct Jump {
            RunAddress from;
            std::optional<CodePosition> to;
        };
        std::vector<Jump> jumps_past;
        unsigned block = 0,
                 blocks = 0;  // "block 2 of 3" of a line whose code the compiler has taken apart
    };
    unsigned number = 0;
    std::shared_ptr<HitCounts> counts =
        std::make_shared<HitCounts>();  // one for all processes that have this breakpoint
    std::vector<Site>
        sites;  // of a place, throw, catch, panic; empty: waits for a library that brings it
    std::shared_ptr<WatchedValue> watched;
    mutable ReadExpressions read;
    std::set<std::pair<const Function*, const InlinedCall*>> doubted;  // places that were asked
    std::string source_text;  // of the line of a place, as it was when it was set
    std::string moved;        // what a rebuild did to its place; empty: nothing
};

}  // namespace lantern
