// What a location expression may ask of a frame: its registers, its base, memory (see
// dwarf::ExpressionContext).
#pragma once

#include "core/dwarf/location_expression.h"
#include "core/unwind/entry_values.h"
#include "core/unwind/frame.h"

namespace lantern {

class FrameContext : public dwarf::ExpressionContext {
  public:
    // Both are borrowed.
    FrameContext(Target& target, const Frame& frame) : target_(target), frame_(frame) {}

    // Of a frame further out: what the function was called with, where the functions called since
    // did not keep the register and this one never wrote it.
    std::optional<std::uint64_t> register_value(unsigned number) override;
    std::uint64_t read_memory(std::uint64_t address, unsigned size) override;
    std::optional<std::uint64_t> frame_base() override;
    std::optional<std::uint64_t> call_frame_address() override;
    std::uint64_t run_address(FileAddress address) override;
    std::optional<std::uint64_t> thread_local_address(std::uint64_t given) override;
    std::optional<std::uint64_t> object_address() override { return object_; }
    // From what the caller's call site says (DWARF 5 §2.5.1.7, §3.4).
    std::optional<std::uint64_t> entry_value(ByteSpan location) override;

    // Where a call through a register or through memory leads, as the debug information says (run
    // address; DWARF 5 §3.4.1). clang names the register as if it were a place.
    std::optional<RunAddress> target_of(const CallSite& site);

    void set_object_address(RunAddress address) { object_ = address.value; }

  private:
    // `site`: null where nothing is recorded of the call.
    bool calls_us(const CallSite* site, const Frame& caller, FrameContext& in_caller) const;
    // Of a function that left by a jump: what it left in a register for the one that it jumped to.
    std::optional<std::uint64_t> passed_on(unsigned number);
    std::optional<std::uint64_t> on_entry_as_passed_on(ByteSpan location);
    std::optional<std::uint64_t> as_code_passes(ByteSpan location, const Frame& caller,
                                                FrameContext& in_caller) const;

    std::optional<std::uint64_t> object_;
    bool has_given_up = false;  // a value on entry rests on more callers than are asked in one go
    Target& target_;
    const Frame& frame_;
};

// What the debug information says of the call that is under way in a frame further out. Throws
// FormatError.
const std::optional<CallSite>& call_under_way(const Frame& caller, EntryValues& known);

}  // namespace lantern
