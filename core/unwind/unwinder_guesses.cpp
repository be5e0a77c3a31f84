// How a caller is found where no rules are left: by the chain of frame pointers, by the word on
// top, by looking through the stack.
#include "core/unwind/unwinder.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "core/support/error.h"
#include "core/target/code_at.h"
#include "core/unwind/frame_context.h"

namespace lantern {
namespace {

constexpr std::size_t kWordsScanned = 1024;
constexpr std::size_t kWordsForBetter = 64;  // looked at behind the first that would do

}  // namespace

std::optional<Unwinder::Caller> Unwinder::by_frame_pointer(const Frame& physical) {
    // Right behind its call, and in a leaf that keeps no frame, the word on top is what a call of
    // this very function left: surer than a frame pointer that is still the caller's.
    if (called_from_top(physical)) return by_return_address(physical);
    auto frame_pointer = physical.registers.frame_pointer();
    if (!frame_pointer || RunAddress(*frame_pointer) < physical.registers.stack_pointer())
        return by_return_address(physical);
    std::uint64_t words[2];
    if (target_.read_available(RunAddress(*frame_pointer),
                               std::as_writable_bytes(std::span(words))) != sizeof words ||
        !is_code(RunAddress(words[1])))
        return by_return_address(physical);
    Caller caller{Registers{}, FrameOrigin::frame_pointer};
    caller.registers.thread_base = physical.registers.thread_base;
    caller.registers.set(kFramePointerNumber, words[0]);
    caller.registers.set_stack_pointer(RunAddress(*frame_pointer + 16));
    caller.registers.set_program_counter(RunAddress(words[1]));
    return caller;
}

// Where the function of a frame begins, by debug information or the linker's symbols.
std::optional<RunAddress> Unwinder::begin_of(const Frame& physical) const {
    if (!physical.module) return std::nullopt;
    if (physical.function) return physical.module->to_run(physical.function->low());
    auto nearest = physical.module->symbols().nearest_name(physical.file_address());
    return nearest ? std::optional(physical.lookup_address - nearest->offset) : std::nullopt;
}

bool Unwinder::called_from_top(const Frame& physical) const {
    std::uint64_t word = 0;
    bool is_there =
        target_.read_available(physical.registers.stack_pointer(),
                               std::as_writable_bytes(std::span(&word, 1))) == sizeof word;
    auto call = is_there && is_code(RunAddress(word)) ? call_before(target_, RunAddress(word))
                                                      : std::nullopt;
    if (!call) return false;
    // Where no code is, nothing has happened since the call.
    return !is_code(physical.lookup_address) ||
           (call->target && call->target == begin_of(physical));
}

// A call through a bad pointer leaves exactly this: a program counter in no code, and the way back
// on top of the stack.
std::optional<Unwinder::Caller> Unwinder::by_return_address(const Frame& physical) {
    std::uint64_t word = 0;
    RunAddress top = physical.registers.stack_pointer();
    bool is_there =
        target_.read_available(top, std::as_writable_bytes(std::span(&word, 1))) == sizeof word;
    if (!is_there || !is_code(RunAddress(word)) || !call_before(target_, RunAddress(word)))
        return by_scan(physical);
    Caller caller{physical.registers, FrameOrigin::return_address};
    caller.registers.set_stack_pointer(top + 8);
    caller.registers.set_program_counter(RunAddress(word));
    return caller;
}

// The last resort: the first word further up that a call could have left, one of this very function
// before any other.
std::optional<Unwinder::Caller> Unwinder::by_scan(const Frame& physical) {
    std::vector<std::uint64_t> words(kWordsScanned);
    RunAddress top = physical.registers.stack_pointer();
    words.resize(target_.read_available(top, std::as_writable_bytes(std::span(words))) /
                 sizeof words[0]);
    std::optional<RunAddress> begin = begin_of(physical);
    std::optional<std::size_t> found;
    for (std::size_t i = 0; i < words.size() && (!found || i <= *found + kWordsForBetter); ++i) {
        RunAddress word(words[i]);
        auto call = is_code(word) ? call_before(target_, word) : std::nullopt;
        if (!call) continue;
        bool is_of_this = call->target && begin && *call->target == *begin;
        if (!found || is_of_this) found = i;
        if (is_of_this) break;
    }
    if (!found) {
        if (physical.level > 0 || !physical.module)
            why_ended_ = "no rules, frame pointer or return address leads on from here";
        return std::nullopt;
    }
    Caller caller{Registers{}, FrameOrigin::stack_scan, static_cast<unsigned>(*found)};
    caller.registers.thread_base = physical.registers.thread_base;
    caller.registers.set_stack_pointer(top + 8 * (*found + 1));
    caller.registers.set_program_counter(RunAddress(words[*found]));
    return caller;
}

std::vector<Unwinder::Candidate> Unwinder::candidates() const {
    constexpr std::size_t kMost = 4;
    std::vector<Candidate> found;
    if (why_ended_.empty() || frames_.empty()) return found;
    const Frame& last = frames_.back();
    RunAddress from = last.call_frame_address.value_or(last.registers.stack_pointer());
    std::vector<std::uint64_t> words(kWordsScanned);
    words.resize(target_.read_available(from, std::as_writable_bytes(std::span(words))) /
                 sizeof words[0]);
    for (std::size_t i = 0; i < words.size() && found.size() < kMost; ++i)
        if (is_code(RunAddress(words[i])) && call_before(target_, RunAddress(words[i])))
            found.push_back({from + 8 * i, RunAddress(words[i])});
    return found;
}

}  // namespace lantern
