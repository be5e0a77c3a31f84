// The two ways to go one statement further: over the functions it calls, inlined or not, or into
// the first one.
#pragma once

#include "core/code/joined_rows.h"
#include "core/code/jumped_past.h"
#include "core/session/left_frame.h"
#include "core/session/movement.h"
#include "core/session/step_options.h"
#include "core/target/code_at.h"

#include <map>

namespace lantern {

class LineStep {
  public:
    LineStep(SessionParts& parts, Movement& movement, const StepOptions& wish);

    Stop over();
    Stop into();
    // To the first line behind the innermost loop around the current instruction. Throws
    // RequestError where there is none.
    Stop out_of_loop();
    // To the first position outside of the inlined call.
    Stop out_of_inlined(const Scope& call);

  private:
    static constexpr std::size_t kMostCallsShown = 8;
    // A loop on one line calls without end: no stops for more values than these.
    static constexpr unsigned kMostRecordings = 64;

    enum class Progress { arrived, keep_going };

    // What can be come to from where the thread stands, before the step has arrived on any way.
    struct Ways {
        Movement::Positions arrivals;
        std::set<RunAddress> watched_jumps;  // where control goes from these is known only when it
                                             // gets there, or at which position it arrives
        std::set<RunAddress> calls;          // jumps that leave the function included
        std::set<RunAddress>
            own_calls;  // those that the statement itself makes, not what is inlined into it
        bool are_known = true;  // false: there is code that cannot be read
    };

    CodePosition position_without_line(const Frame& frame) const;
    void settle_in(Unwinder& walk, const Frame& frame);
    bool start();  // false: there is no line here to step by
    Stop go_on();
    void look_ahead();
    std::optional<CodePosition> arrival_by(std::optional<FileAddress> from, FileAddress at) const;
    bool comes_elsewhere_by(const FlowGraph::Node& node) const;
    std::optional<CodePosition> arrival_at(FileAddress at, int behind = -1) const;
    bool counts(const CodePosition& position) const;
    bool is_entered(const CodePosition& position) const;
    Stop run_ways(const std::set<RunAddress>& also);
    bool is_at_goal(const Stop& stop);
    std::optional<Stop> arrive_without_running();
    void expect_returns();
    void expect_return(RunAddress callee, RunAddress back);
    Stop land();
    void note_return();
    std::optional<Stop> follow_computed_call();
    Stop with_calls(Stop stop);
    std::optional<Stop> pass_watched_jump();
    Progress look_around(Stop& stop);
    Stop leave(Stop stop);
    bool has_left_to_wait() const;
    std::optional<Stop> run_to_resumption();
    Stop to_lines_further_out();
    std::optional<Stop> enter_call();
    std::optional<Stop> enter_function(RunAddress callee, int depth);
    std::optional<Stop> run_back(RunAddress back, RunAddress identity);
    std::optional<Stop> through_library(const Module& module, const Function& function, int depth);
    static Stop met_on_the_way(Stop stop);
    bool is_wanted(const Function& function) const;
    bool is_wanted(std::string_view name) const;
    ThreadId mover() const {
        return parts_.selection.thread();
    }  // a followed child goes on in its parent's place
    RunAddress here();
    bool is_in_frame_or_outside(ThreadId thread);
    // The user's own code, or code of the same kind as where the step began.
    bool is_steppable(const Module& module) const;
    bool is_steppable(const Module& module, FileAddress at) const;
    bool is_foreign(const std::string& file) const;
    std::optional<CodePosition> users_position(const Frame& frame) const;

    SessionParts& parts_;
    Movement& movement_;
    LiveProcess& process_;
    const Module* module_ = nullptr;
    const Function* function_ = nullptr;
    const FlowGraph* flow_ = nullptr;
    const JoinedRows* joined_ = nullptr;
    const JumpedPast* jumped_past_ = nullptr;
    const FunctionPositions* positions_ = nullptr;  // of the function
    CodePosition from_;                             // where the step began
    bool enters_ = false;                           // calls are entered, inlined ones too
    std::vector<FileRange> loop_;                   // to be left
    const Scope* leaving_ = nullptr;                // the inlined call to be left
    RunAddress identity_;
    std::optional<RunAddress> return_address_;
    std::optional<Value> task_;  // of the body of an async function
    Ways ways_;
    std::optional<FileAddress> jump_;  // that the thread has come by, one instruction before
    StepOptions wish_;
    std::map<RunAddress, FunctionAt>
        returns_;  // calls whose values are to be kept, by where they return to
    std::set<RunAddress> computed_calls_;
    std::vector<ReturnedValue> calls_;
    ThreadId stepping_ = 0;
    LeftFrame left_frame_;
    bool left_by_landing_ = false;
    unsigned recordings_ = 0;  // stops made for the sake of returned values
    unsigned searches_ = 0;    // stops made on the way through library code
};

// Where a frame stands when its callee has just come back: before whatever begins at the address;
// nothing in the middle of a row.
std::optional<CodePosition> first_position(const Frame& frame);

// What a function that has just returned gave back: its value in the registers the convention says.
ReturnedValue returned_value(Target& target, ThreadId thread, const Module& module,
                             const Function& function);

}  // namespace lantern
