// The two ways to go one source line further: over the functions it calls, or into the first one.
#pragma once

#include "core/session/line_plan.h"
#include "core/session/movement.h"

namespace lantern {

class LineStep {
  public:
    LineStep(Session& session, Movement& movement);

    Stop over();
    Stop into();

  private:
    enum class Progress { arrived, keep_going };

    bool start();                       // false: there is no line here to step by
    void plan(std::vector<FileRange> ranges);
    Stop run_plan(const std::set<RunAddress>& also);
    std::optional<Stop> pass_computed_jump();
    FileRange stretch_without_line(FileAddress at);
    Progress look_around(Stop& stop);
    Stop leave(Stop stop);
    Stop to_lines_further_out();
    std::optional<Stop> enter_call();
    RunAddress here();
    bool is_in_frame_or_outside(ThreadId thread);
    bool is_steppable(const Module& module) const;  // the user's own code, or the library the step began in

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
};

// What a function that has just returned gave back: its value in the registers the convention says.
ReturnedValue returned_value(Target& target, ThreadId thread, const Module& module, const Function& function);

}  // namespace lantern
