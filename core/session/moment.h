// What is looked at: a target, one of its threads, a frame of that one's stack, and how values are
// to be shown. Reports are made of a moment and of nothing else, so that each works on any process,
// on a core, and on whatever else can be read like one.
#pragma once

#include <exception>
#include <string>

#include "core/expressions/declared_view.h"
#include "core/expressions/evaluator.h"
#include "core/session/library_rules.h"
#include "core/session/presentation.h"
#include "core/session/stop.h"
#include "core/symbols/source_files.h"
#include "core/unwind/unwinder.h"
#include "core/values/value_view.h"

namespace lantern {

// What a thread's registers held when it stopped.
struct RegisterSnapshot {
    ThreadId thread = 0;
    Registers registers;
    std::vector<std::byte> extended;  // see Target::extended_state
};

class Moment {
  public:
    // Everything is borrowed; whoever makes a moment keeps it no longer than that.
    struct Parts {
        Target* target = nullptr;
        ThreadId thread = 0;
        Unwinder* stack =
            nullptr;  // null: there is none, and `why_no_stack` is thrown by whoever asks for it
        std::exception_ptr why_no_stack;
        unsigned level = 0;          // of the selected frame
        const Stop* stop = nullptr;  // why it stands where it does
        std::uint64_t life = 0;
        const std::list<Breakpoint>* breakpoints = nullptr;
        Presentation* presentation = nullptr;
        const ValueContext* surroundings = nullptr;
        SourceFiles* sources = nullptr;
        const LibraryRules* libraries = nullptr;
        std::function<Value(const FunctionCall&)>
            call;  // runs a function of the program; empty: none is run
    };
    explicit Moment(Parts parts) : parts_(std::move(parts)) {}

    Target& target() const { return *parts_.target; }
    ThreadId thread() const { return parts_.thread; }
    unsigned thread_number() const { return target().thread_number(thread()); }
    bool has_stack() const { return parts_.stack != nullptr; }
    Unwinder& stack() const;  // throws RequestError
    const Frame* selected_frame() const {
        return parts_.stack ? parts_.stack->frame(parts_.level) : nullptr;
    }
    unsigned selected_level() const { return parts_.level; }
    const Stop& stop() const { return *parts_.stop; }
    // Counts the starts of the program, and whenever another process or build is looked at: what
    // was seen before is not comparable.
    std::uint64_t life() const { return parts_.life; }
    const std::list<Breakpoint>& breakpoints() const { return *parts_.breakpoints; }
    Presentation& presentation() const { return *parts_.presentation; }
    EvaluationContext context() const;
    ViewLimits view_limits() const;  // the usual ones, with the surroundings
    Form form_of(const std::string& name) const;
    const ValueContext& surroundings() const { return *parts_.surroundings; }
    SourceFiles& sources() const { return *parts_.sources; }
    const LibraryRules& libraries() const { return *parts_.libraries; }

  private:
    Parts parts_;
};

// Whether a source still is what was compiled: the module that is looked at decides, else the first
// that names the source.
SourceState source_state(const Moment& moment, const std::string& recorded_source);
// The source that was compiled is older than what lies there now, or is another.
bool is_stale(const Moment& moment, const std::string& recorded_source);

}  // namespace lantern
