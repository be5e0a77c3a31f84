// Call stacks walked over a stack that holds anything, with registers that hold anything, on the
// code and rules of a real program: the walk ends, frames do not repeat, and every reason is a
// sentence.
#include <algorithm>
#include <cstdlib>
#include <set>

#include "fuzz/any_stack.h"

using namespace lantern;
using namespace lantern::fuzzing;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    AnyStack target(program(), fuzzing::as_bytes(data, size));
    Unwinder walk(target, 1);
    std::set<std::uint64_t> tops;
    for (unsigned level = 0; const Frame* frame = walk.frame(level); ++level) {
        if (level > kStackSize) std::abort();
        bool is_own = frame->origin != FrameOrigin::inlined &&
                      frame->origin != FrameOrigin::tail_call && !frame->is_signal_frame;
        if (is_own && !tops.insert(frame->registers.stack_pointer().value).second && level > 0 &&
            !walk.frame(level - 1)->is_signal_frame)
            std::abort();
    }
    walk.candidates();
    return 0;
}
