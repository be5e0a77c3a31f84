// The two ways to go one source line further: over the functions it calls, or into the first one.
#pragma once

#include "core/session/line_plan.h"
#include "core/session/movement.h"

#include <map>

namespace lantern {

class LineStep {
  public:
    LineStep(Session& session, Movement& movement, const StepWish& wish);

    Stop over();
    Stop into();
    // To the first line behind the innermost loop around the current instruction. Throws RequestError where there is none.
    Stop out_of_loop();
    // To the first line behind the inlined call `depth` levels in; 1 is the outermost.
    Stop out_of_inlined(std::size_t depth);

  private:
    enum class Progress { arrived, keep_going };

    bool start();                       // false: there is no line here to step by
    void plan(std::vector<FileRange> ranges);
    Stop run_plan(const std::set<RunAddress>& also);
    Stop run_until_out();
    // Calls in the plan whose values are to be kept, by where they return to.
    struct ExpectedReturn {
        const Module* module = nullptr;
        const Function* function = nullptr;
    };
    void expect_returns();
    bool is_landing(RunAddress at, ThreadId thread);
    Stop land();
    void note_return();
    std::optional<Stop> follow_computed_call();
    Stop with_calls(Stop stop);
    std::optional<Stop> pass_computed_jump();
    FileRange stretch_without_line(FileAddress at);
    Progress look_around(Stop& stop);
    Stop leave(Stop stop);
    Stop to_lines_further_out();
    std::optional<Stop> enter_call();
    std::optional<Stop> enter_function(RunAddress callee, int depth);
    std::optional<Stop> run_back(RunAddress back, RunAddress identity);
    std::optional<Stop> through_library(const Module& module, const Function& function, int depth);
    bool is_wanted(const Function& function) const;
    RunAddress here();
    bool is_in_frame_or_outside(ThreadId thread);
    // The user's own code, or code of the same kind as where the step began.
    bool is_steppable(const Module& module) const;
    bool is_steppable(const Module& module, FileAddress at) const;

    Session& session_;
    Movement& movement_;
    LiveProcess& process_;
    ThreadId thread_;
    const Module* module_ = nullptr;
    const Function* function_ = nullptr;
    SourceLine line_;
    std::size_t inlined_depth_ = 0;
    bool enters_inlined_calls_ = false;
    RunAddress identity_;
    std::optional<RunAddress> return_address_;
    LinePlan plan_;
    StepWish wish_;
    RunAddress stack_pointer_;      // when the step began
    std::map<RunAddress, ExpectedReturn> returns_;
    std::set<RunAddress> computed_calls_;
    std::vector<ReturnedValue> calls_;
    std::vector<LandingHook> hooks_;  // those that were there when the step began
    bool left_by_landing_ = false;
    unsigned recordings_ = 0;       // stops made for the sake of returned values
    unsigned searches_ = 0;         // stops made on the way through library code
};

// What a function that has just returned gave back: its value in the registers the convention says.
ReturnedValue returned_value(Target& target, ThreadId thread, const Module& module, const Function& function);

}  // namespace lantern
