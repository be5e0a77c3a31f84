#include "core/analysis/stack_fault.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/analysis/recursion.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr std::uint64_t kLargeFrame = 64 << 10;  // bytes
constexpr std::uint64_t kLargestFrame = 1 << 30;
constexpr std::uint64_t kMostBelow =
    1 << 20;  // bytes below a stack's end at which an access is still taken for one of its own
constexpr unsigned kFramesOfFault = 400;
constexpr unsigned kStackTurns = 8;  // of one function among them: a recursion

bool is_writable(const MemoryRegion& region) {
    return region.permissions.starts_with("rw");
}

// The stack that a thread runs on when its pointer is at or below the end of it.
const MemoryRegion* stack_above(const std::vector<MemoryRegion>& regions, RunAddress address) {
    for (const MemoryRegion& region : regions)
        if (address < region.end && is_writable(region)) return &region;
    return nullptr;
}

// Who calls itself, by ways that differ from turn to turn.
std::string most_frequent(Unwinder& stack) {
    std::map<std::string, unsigned> seen;
    for (unsigned level = 0; level < kFramesOfFault; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        if (frame->inlined || !frame->function) continue;
        ++seen[frame_function_name(*frame)];
    }
    auto most = std::max_element(seen.begin(), seen.end(),
                                 [](const auto& a, const auto& b) { return a.second < b.second; });
    return most != seen.end() && most->second >= kStackTurns ? most->first : std::string();
}

// The innermost function and how much of the stack it takes.
struct OwnFrame {
    std::string function;
    std::uint64_t size = 0;
    RunAddress end;
};
std::optional<OwnFrame> own_frame(Unwinder& stack, RunAddress stack_pointer) {
    for (unsigned level = 0; const Frame* frame = stack.frame(level); ++level) {
        if (frame->inlined) continue;
        if (!frame->call_frame_address || *frame->call_frame_address < stack_pointer)
            return std::nullopt;
        return OwnFrame{frame_function_name(*frame), *frame->call_frame_address - stack_pointer,
                        *frame->call_frame_address};
    }
    return std::nullopt;
}

}  // namespace

std::string stack_fault_cause(const Moment& moment, ThreadId thread, RunAddress at,
                              bool uses_stack_pointer) {
    Target& target = moment.target();
    const auto& regions = target.regions();
    RunAddress pointer = target.registers(thread).stack_pointer();
    const MemoryRegion* below = target.region_at(at);
    bool is_barred = below && below->permissions.starts_with("---");
    const MemoryRegion* under_pointer = target.region_at(pointer);
    bool is_wrong =
        uses_stack_pointer && (under_pointer ? !is_writable(*under_pointer) && !is_barred : true);
    std::string wrong = fmt::format(
        ": the stack pointer is wrong, {:#x} is no stack; what set it, or the frame pointer it "
        "came from, was overwritten",
        pointer.value);
    if (below && !is_barred) return is_wrong ? wrong : "";
    Unwinder stack(target, thread);
    auto own = own_frame(stack, pointer);
    const MemoryRegion* above = stack_above(regions, at);
    // Below the end of a stack, and so is its pointer, or it is about to be.
    if (own && own->size > kLargestFrame) own.reset();
    bool at_its_end = above &&
                      above->begin - at <= std::max(kMostBelow, own ? own->size + kMostBelow : 0) &&
                      (is_barred ? below->end == above->begin : true);
    bool runs_there = own && above && above->begin < own->end && own->end <= above->end;
    bool pointer_is_there = above && pointer < above->end && above->begin < pointer + kMostBelow &&
                            at < pointer + kLargeFrame && pointer < at + kLargeFrame;
    if (at_its_end && (runs_there || pointer_is_there) &&
        (uses_stack_pointer || pointer < above->begin || pointer_is_there)) {
        std::string whose = target.threads().size() > 1 ? fmt::format("the stack of thread {}",
                                                                      target.thread_number(thread))
                                                        : "its stack";
        std::string text = fmt::format(", just past the end of {}: ", whose);
        if (auto recursion = recursion_of(target, stack, thread))
            return text + "the stack is full: " + recursion_words(*recursion);
        if (std::string function = most_frequent(stack); !function.empty())
            return text + fmt::format("the stack is full: {} calls itself and does not come back",
                                      function);
        if (own && own->size >= kLargeFrame)
            return text + fmt::format("the frame of {} takes {} bytes, more than was left",
                                      own->function, with_thousands(own->size));
        return text + "the stack is full";
    }
    return is_wrong ? wrong : "";
}

}  // namespace lantern
