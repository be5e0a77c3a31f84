#include "core/session/surroundings.h"

#include <fmt/format.h>

#include "core/machine/calling_convention.h"

namespace lantern {
namespace {

constexpr unsigned kMostFrames = 200;  // frames an address on the stack is looked for in

// The frame whose part of the stack holds the address.
std::optional<unsigned> frame_holding(Unwinder& stack, RunAddress address) {
    for (unsigned level = 0; level < kMostFrames; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        if (frame->origin == FrameOrigin::inlined) continue;
        if (frame->call_frame_address && address < *frame->call_frame_address) return level;
    }
    return std::nullopt;
}

}  // namespace

std::string SessionSurroundings::describe(RunAddress address) const {
    if (!session_.has_threads() || session_.is_moving()) return {};
    const auto& regions = session_.target().regions();
    auto after = std::upper_bound(regions.begin(), regions.end(), address, [](RunAddress a, const MemoryRegion& r) { return a < r.begin; });
    if (after == regions.begin()) return {};
    const MemoryRegion& region = *std::prev(after);
    if (address >= region.end) return {};
    RunAddress top = session_.target().registers(session_.thread()).stack_pointer();
    bool own_stack = top >= region.begin && top < region.end;
    if (own_stack) {
        if (address < RunAddress(top.value - kRedZone)) return "below the stack: no function's any more";
        if (address < top) return "stack of frame 0";
        auto level = frame_holding(session_.stack(), address);
        return level ? fmt::format("stack of frame {}", *level) : "stack";
    }
    if (region.name == "[heap]") return "heap";
    if (region.name == "[stack]") return "stack of another thread";
    for (ThreadId id : session_.target().threads()) {
        RunAddress pointer = session_.target().registers(id).stack_pointer();
        if (region.contains(pointer)) return fmt::format("stack of thread {}", session_.target().thread_number(id));
        if (region.permissions.starts_with("---") && after != regions.end() && after->begin == region.end && after->contains(pointer)) return fmt::format("guard of the stack of thread {}", session_.target().thread_number(id));
    }
    if (region.name.starts_with('[')) return region.name.substr(1, region.name.size() - 2);
    if (region.name.empty()) return region.permissions.starts_with("rw") ? "anonymous memory" : "memory that is kept free";
    return "in " + region.name.substr(region.name.rfind('/') + 1);
}

}  // namespace lantern
