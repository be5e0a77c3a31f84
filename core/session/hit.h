// What becomes of a hit. Judging leaves no trace: the same run can be gone through again and
// nothing is counted twice. What is to be remembered of it, a sink takes: counts, notes, `once` and
// limits.
#pragma once

#include "core/session/breakpoint.h"
#include "core/session/notes.h"
#include "core/symbols/position.h"
#include "core/values/value_view.h"

namespace lantern {

struct Hit {
    enum class Verdict {
        of_another,  // another thread's: it is nothing to this breakpoint
        fails,       // the condition does not hold
        not_due,     // by its counts: `after`, `every`
        notes,       // `values` are to be noted, and it goes on
        stops,
    } verdict = Verdict::of_another;
    std::string problem;  // why the condition could not be computed, which stops; or a value that
                          // was to be noted
    std::vector<NotedValue> values;  // of a note, one for each expression
};

// `position`: where at its address the thread stands; may be null. Reads the program and writes
// nothing.
Hit judge_hit(const Breakpoint& breakpoint, Target& target, ThreadId thread,
              const CodePosition* position, Results& results, const ViewLimits& limits);

class HitSink {
  public:
    virtual ~HitSink() = default;
    virtual void take(Breakpoint& breakpoint, ThreadId thread, Hit hit) = 0;
};

}  // namespace lantern
