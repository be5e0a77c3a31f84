// Runs one side to its end and tells each entry and return of the functions that both builds have.
//
// A breakpoint byte stands at each function's entry, and one behind each call that led to an entry;
// the latter stay, so that the next call of the place costs nothing more. Which call a return
// belongs to is known by the stack: behind it the stack pointer is the call frame address that the
// call's function had.
//
//     toll(3)   entry: frame at 0x7f10, returns to 0x4011a0      calls: main 0x7f80, toll 0x7f10
//     0x4011a0  stack pointer 0x7f10: that is toll's             calls: main 0x7f80
//     0x4011a0  stack pointer 0x7e40: of a call nobody follows   (it is passed)
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <unordered_map>

#include "core/comparison/function_pairs.h"
#include "core/comparison/walk.h"
#include "core/machine/calling_convention.h"
#include "core/session/debuggee.h"
#include "core/session/landing.h"
#include "core/target/live_process.h"
#include "core/unwind/frame.h"

namespace lantern {

// Where a function's parameters are in place: in optimised code they are when it begins.
FileAddress walked_entry(const ModuleSymbols& symbols, const Function& function);

struct WalkOptions {
    unsigned side = 0;   // which of each pair's functions
    std::string within;  // only while this function runs; empty: always
    std::uint64_t most_events = ~std::uint64_t{0};
    // Memory that nothing has set is filled with this before a function begins; nothing: it is left
    // as it is.
    std::optional<unsigned char> fill;
    std::vector<const Function*> filled;  // before which functions; borrowed
};

class Walker {
  public:
    // All are borrowed. `sink` gets what has come since the last time and may clear it; true: give
    // up.
    using Sink = std::function<bool(Walk& news)>;
    Walker(Debuggee& debuggee, const std::vector<FunctionPair>& pairs, WalkOptions options,
           Sink sink);
    ~Walker();
    // Launches the program and runs it to its end. Throws TargetError.
    void run();

  private:
    struct Followed {
        std::uint32_t number = 0;
        std::uint16_t copy = 0;
        const Function* function = nullptr;
        const FunctionBody* body = nullptr;
        std::vector<const Variable*> parameters;  // as the pair names them; null: it has it not
        unsigned frame_register = 0;              // the call frame address is this and an offset
        std::int64_t frame_offset = 0;
        std::map<std::uint16_t, std::uint32_t> passes;  // by thread
        Frame frame;
    };
    struct Call {
        Followed* of = nullptr;
        RunAddress frame;
        std::uint64_t back = 0;
        std::uint32_t event = 0;
        bool is_told = true;
    };
    enum class WrittenFrom { buffer, list_of_buffers };
    struct Returning {
        bool is_looked_at = false, is_plain = false;
        ReturnLocation location;
    };

    void place_traps();
    void follow(std::uint32_t number, std::uint16_t copy);
    void look_for_writes();
    void look_for_landings();
    bool pass(const TargetEvent& event);
    void enter(Followed& followed, ThreadId thread, const Registers& registers);
    void come_back(ThreadId thread, const Registers& registers);
    void leave_below(std::vector<Call>& calls, RunAddress frame, ThreadId thread);
    void leave_last(std::vector<Call>& calls, ThreadId thread);
    void land(ThreadId thread, const Registers& registers, LandingHook::Kind kind);
    void add_bytes(std::uint64_t address, std::uint64_t length, std::vector<std::byte>& bytes);
    void wrote(ThreadId thread, const Registers& registers, WrittenFrom from);
    std::uint16_t number_of(ThreadId thread) const;
    void tell_name(ThreadId thread);
    void fill_below(const Registers& registers);
    WalkValue returned(const Call& call, ThreadId thread);
    WalkEvent& add(WalkEvent::Kind kind, ThreadId thread);
    void add_value(const WalkValue& value);
    void ended(const TargetEvent& event);
    bool hand_on();

    Debuggee& debuggee_;
    const std::vector<FunctionPair>& pairs_;
    WalkOptions options_;
    Sink sink_;
    LiveProcess* process_ = nullptr;
    const Module* module_ = nullptr;
    std::unordered_map<RunAddress, std::unique_ptr<Followed>> entries_;
    std::unordered_map<RunAddress, bool> returns_, fills_;
    std::map<RunAddress, WrittenFrom> writes_;
    std::map<RunAddress, LandingHook::Kind> landings_;  // where frames are left without returning
    std::map<ThreadId, std::vector<Call>> calls_;
    struct ThreadName {
        std::string name;
        std::uint32_t events = 0;
    };
    std::map<ThreadId, ThreadName> names_;
    std::map<std::pair<std::uint32_t, std::uint64_t>, Returning> returning_;
    std::optional<RunAddress> start_;
    std::uint32_t events_ = 0;  // so far, also those handed on
    unsigned within_ = 0;       // calls of the function that is asked for, in all threads
    // Of each function, all copies together, by thread.
    std::vector<std::map<std::uint16_t, std::uint32_t>> hits_;
    Walk news_;
    bool gives_up_ = false;
};

}  // namespace lantern
