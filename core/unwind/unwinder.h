// Walks a thread's call stack, one frame at a time and no further than asked (DWARF 5 §6.4.4).
#pragma once

#include <deque>
#include <map>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/unwind/call_before.h"
#include "core/unwind/entry_values.h"
#include "core/unwind/frame.h"
#include "core/unwind/tail_calls.h"

namespace lantern {

class Unwinder {
  public:
    // `target` is borrowed; the result holds until the target moves. `standing`: at which position
    // of its address the thread stands, where that is known; else everything at the address has
    // begun.
    Unwinder(Target& target, ThreadId thread, const CodePosition* standing = nullptr);
    Unwinder(const Unwinder&) = delete;
    Unwinder& operator=(const Unwinder&) = delete;

    // The innermost frame with its own call frame address; nothing is read of its caller. For what
    // is asked at every hit.
    const Frame& innermost();
    // Null when the stack has fewer frames. Its call frame address is known if it can be. Frames
    // stay where they are until this object goes.
    const Frame* frame(unsigned level);
    // The frame that holds the call of the function this frame belongs to; inlined calls, and
    // functions that left by a tail call, are passed over. Null at the outermost.
    const Frame* caller_of_function(const Frame& frame);
    // Up to `limit` frames, innermost first.
    std::vector<const Frame*> frames(unsigned limit);
    // Why the walk ended: empty when it reached the outermost frame in order.
    const std::string& why_it_ended() const { return why_ended_; }
    // Where it ended in disorder: words further up the stack that could be return addresses,
    // because a call stands before where they lead.
    struct Candidate {
        RunAddress at, leads_to;
    };
    std::vector<Candidate> candidates() const;
    EntryValues& entry_values() { return entry_values_; }
    // A frame is being looked for: what that rests on cannot rest on the frame's own callers.
    bool is_under_way() const { return is_under_way_; }
    // See may_come_back; kept.
    bool may_have_come_back(const Frame& frame);

  private:
    EntryValues entry_values_;

    struct Caller {
        Registers registers;
        FrameOrigin origin = FrameOrigin::call_frame_information;
        unsigned words_skipped = 0;
    };

    // What is known of a place in the code, whichever frame stands there: a recursion passes the
    // same ones again and again.
    struct Code {
        const Module* module = nullptr;
        const Function* function = nullptr;
        const FunctionBody* body = nullptr;
        std::optional<CodePosition> position;
        std::vector<ScopeChain> chains;
        bool has_rules = false;  // looked for; `row` is empty where there are none
        std::optional<dwarf::FrameRow> row;
        unsigned return_register = kProgramCounterNumber;
        bool is_signal_frame = false;
        bool has_call = false;  // looked for
        std::optional<CallBefore> call;
        const Function* called = nullptr;   // whose first instruction the call leads to
        const Module* called_in = nullptr;  // where that is
        bool is_linked = false;             // it leads there through a linkage table
    };

    Code& code_at(RunAddress lookup, const CodePosition* standing = nullptr);
    void read_rules(Code& code, RunAddress lookup);
    void read_call(Code& code, RunAddress return_address);
    void add_physical(const Registers& registers, FrameOrigin origin, bool is_call_site,
                      const CodePosition* standing = nullptr);
    void add_next();
    bool was_guessed() const;
    void add_tail_calls(const Frame& physical, const Registers& caller);
    void add_left(const Module& module, const TailStep& step, bool may_lack_others);
    void add_chains(const Frame& base, const std::vector<ScopeChain>& chains,
                    std::optional<SourceLine> line);
    const Function* called_by(const Registers& caller, Code& code);
    std::optional<RunAddress> frame_address_of(const Frame& physical, const Code& code);
    std::optional<Caller> caller_of(Frame& physical);
    std::optional<Caller> by_rules(Frame& physical, const Code& code);
    std::optional<Caller> by_frame_pointer(const Frame& physical);
    std::optional<Caller> by_return_address(const Frame& physical);
    std::optional<Caller> by_scan(const Frame& physical);
    bool is_code(RunAddress address) const;
    std::optional<RunAddress> begin_of(const Frame& physical) const;
    bool called_from_top(const Frame& physical) const;

    Target& target_;
    ThreadId thread_;
    std::unordered_map<RunAddress, Code> code_;  // by the address that is looked up
    // By the function that was called and where the one that runs begins.
    std::map<std::pair<const Function*, std::optional<RunAddress>>, TailWay> tail_ways_;
    std::map<const Function*, bool> come_back_;
    std::deque<Frame> frames_;
    std::size_t resolved_ = 0;  // how many of them know their own call frame address, or never will
    bool ended_ = false, is_under_way_ = false;
    std::string why_ended_;
};

// The call-frame row that holds at an address, if the module has one. Throws FormatError.
std::optional<dwarf::FrameRow> frame_row_at(const dwarf::FrameDescription& description,
                                            FileAddress pc);

}  // namespace lantern
